"""Fill the draft of the bench's form with many pending changes: run with the server's environment."""

from __future__ import annotations

import os
import sys

import django

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "bench.settings")
    django.setup()
    from enlace.accounts.models import Person
    from enlace.core.draft.pending import as_read, with_value
    from enlace.core.kinds import Formats
    from enlace.core.model.values import key_of
    from enlace.desk.work import Work
    from enlace.workshop.models import Form

    work = Work(Person.objects.get(), Form.objects.get(title="Reading"), Formats.of("en_GB"))
    names = [f.name for f in work.dataset.fields]
    rows = work.rows.whole_rows([f"i{n}" for n in range(1000, 1000 + int(sys.argv[1]))])
    records = {}
    for one, row in rows.items():
        record = as_read(work.dataset, one, key_of(one), dict(zip(names, row, strict=True)))
        records[one] = with_value(record, work.dataset.by_name["note"], "pending")
    work.store.put("Fill", dict.fromkeys(records), records)
