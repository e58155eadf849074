"""The statement that a save will run for a record, as text to read: the values written into it."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any

from ..draft.pending import PendingRecord
from ..model.connection import ConnectionSpec
from ..server.dialects import server_kind
from ..server.engine import engine_for
from .plan import Part, grouped
from .statements import Statements

LONGEST = 120


class _Spoken(str):
    """Words that stand in a statement for a value that is not known yet."""


def statement_text(spec: ConnectionSpec, part: Part, record: PendingRecord) -> str:
    """The SQL for one record of a draft, "" when there is none. For reading: the save itself binds its values."""
    kind = server_kind(spec.kind)
    batches = grouped(part, [record])
    if not batches:
        return ""
    statements = Statements(kind, part.dataset, lambda *_: _Spoken("(the key of the new record)"))
    bound = statements.of(batches[0], check=True)
    # With names for parameters, whatever the driver takes: a question mark could not be told from one in a text.
    made: Any = type(engine_for(spec).dialect)
    dialect = made(paramstyle="named")
    compiled = bound.statement.compile(dialect=dialect, column_keys=list(bound.values))
    values = {name: column[0] for name, column in bound.columns(batches[0].acts).items()}
    values = {**compiled.params, **values}
    return re.sub(r"(?<![:\w]):([a-z]\w*)", lambda m: literal(values[m[1]]) if m[1] in values else m[0], str(compiled))


def literal(value: Any) -> str:
    """A value as SQL writes it, long ones cut."""
    if value is None:
        return "NULL"
    if isinstance(value, _Spoken | int | float | Decimal):
        return str(value)
    if isinstance(value, bytes):
        return f"X'{value[:16].hex()}{'…' if len(value) > 16 else ''}'"
    text = str(value)
    shown = text[:LONGEST] + ("…" if len(text) > LONGEST else "")
    return "'" + shown.replace("'", "''") + "'"
