"""The engine from a program of one's own: open a table, edit, validate, rehearse, save, and settle a conflict.

python examples/engine.py harbour.sqlite3
"""

import sys
from dataclasses import replace

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.draft import conflicts
from enlace.core.draft.pending import as_read, with_text
from enlace.core.kinds import Formats
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.values import key_of
from enlace.core.rules import RecordRules
from enlace.core.save import rehearse, save

formats = Formats.of("en_GB")
connection = ConnectionSpec.of("sqlite", path=sys.argv[1])
dataset = make_dataset(connection, "vessel")  # fields, key, lookups and rules, as the schema says them
rules = RecordRules(dataset)
row = Rows.of(connection, dataset).window(3, 1)[0]  # the fourth vessel, in the order of the key
stored = dict(zip(dataset.by_name, row.values, strict=True))
record = as_read(dataset, row.id, key_of(row.id), stored)

wrong = with_text(record, dataset.by_name["draught_m"], "93", formats)
for complaint in rules.complaints(wrong.values(stored), wrong.touched, new=False):
    print("refused:", complaint.sentence)

right = with_text(record, dataset.by_name["draught_m"], "9.3", formats)
print("rehearsed:", rehearse(connection, dataset, [right], rules).failed or "it would be saved")
print("saved:", len(save(connection, dataset, [right], rules).ids))

late = with_text(record, dataset.by_name["draught_m"], "7", formats)  # still as it was read before the save
outcome = save(connection, dataset, [late], rules)
for conflict in outcome.conflicts.values():
    disputed = conflicts.versions(dataset, replace(late, conflict=conflict))
    print("conflict:", [f"{v.field.label}: mine {v.mine}, theirs {v.theirs}" for v in disputed if v.disputed])
