"""A dataset from a table: labels, kinds, widths and rules that the catalog and some rows suggest."""

from __future__ import annotations

import datetime
import re
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from ..kinds import is_picture
from ..server.catalog import Catalog, Column, Table, first_rows
from ..server.dialects import server_kind
from ..server.engine import ConnectionSpec, reading
from .references import NAMING, details_of, with_lookups
from .spec import DatasetSpec, FieldSpec, RuleSpec

SAMPLE_ROWS = 50
SAMPLE_CUT = 400
ACRONYMS = {"id", "imo", "iso", "vat", "url", "utc", "eta", "etd", "iban", "uuid", "gt", "teu", "no"}
YEAR = re.compile(r"(^|[^a-z])(year|yr|ano)$|Year$", re.I)
UNITS = {"m", "km", "kg", "kn", "cm", "mm", "t", "eur", "usd"}


# Names of types that the standard or many servers share (SQLite, "Datatypes In SQLite", section 3.1.1, and common practice).
TYPES = re.compile(
    r"(UNSIGNED )?(BIG |TINY|SMALL|MEDIUM|BIG)?INT(EGER)?[248]?( UNSIGNED)?|BIT|BOOL(EAN)?|"
    r"(NATIVE |VARYING |N|VAR|NVAR|LONGVAR)?CHAR(ACTER)?( VARYING)?2?|(TINY|MEDIUM|LONG)?TEXT|N?CLOB|STRING|UUID|"
    r"(TINY|MEDIUM|LONG)?BLOB|(VAR)?BINARY|IMAGE|REAL|DOUBLE( PRECISION)?|FLOAT[48]?|"
    r"DEC(IMAL)?|NUMERIC|NUMBER|(SMALL)?MONEY|DATE|TIME|DATETIME2?|TIMESTAMP|(TIME|TIMESTAMP) WITH(OUT)? TIME ZONE|TIMESTAMPTZ"
)


def _made_up(column: Column) -> bool:
    """Whether a column's declared type is a word of somebody's own, or none, so that its rows tell what it holds."""
    return not column.family and not TYPES.fullmatch(column.type_text.upper().split("(")[0].strip())


def label_of(name: str) -> str:
    """A column name as a label: `gross_tonnage` → "Gross tonnage", `shipName` → "Ship name", `length_m` → "Length (m)"."""
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", name)
    parts = [part for part in re.split(r"[\s_\-.]+", words) if part]
    if not parts:
        return name or "(no name)"
    unit = ""
    if len(parts) > 1 and parts[-1].lower() in UNITS:
        last = parts.pop()
        unit = f" ({last.upper() if len(last) == 3 else last.lower()})"
    made = [_word(part, first=i == 0) for i, part in enumerate(parts)]
    return " ".join(made) + unit


def _word(part: str, first: bool) -> str:
    if part.lower() == "no":
        return "No." if first else "no."
    if part.lower() in ACRONYMS or (part.isupper() and 1 < len(part) <= 4):
        return part.upper()
    lower = part if not part.isascii() else part.lower()
    return lower[:1].upper() + lower[1:] if first else lower


def make_dataset(spec: ConnectionSpec, name: str) -> DatasetSpec:
    """The dataset that a table or view suggests. Raises Problem when there is no such table."""
    catalog = Catalog.of(spec)
    table = catalog.table(name)
    with reading(spec) as connection:
        rows = first_rows(connection, table, SAMPLE_ROWS, SAMPLE_CUT)
        types = server_kind(spec.kind).stored_types(connection, name, [c.name for c in table.columns if _made_up(c)])
    samples = [[row[i] for row in rows if row[i] is not None] for i in range(len(table.columns))]
    for i, one in enumerate(table.columns):
        # What a declared type of somebody's own means, the rows tell: one value of each type that is there.
        samples[i] += types.get(one.name, [])
    fields = tuple(_field(spec, table, one, samples[i]) for i, one in enumerate(table.columns))
    rules = tuple(RuleSpec(check.expression, check.name) for check in table.checks) + _enumerations(table)
    return DatasetSpec(
        table=table.name,
        fields=with_lookups(catalog, table, fields, rules),
        key=table.identity,
        # A row number may be another row's by now, and all columns are what people edit: the whole record is compared.
        compare="edited"
        if set(table.identity) <= {*table.key, *(c for u in table.uniques for c in u.columns)}
        else "all",
        read_only_because=why_read_only(table),
        rules=rules,
        uniques=tuple(one.columns for one in table.uniques),
        is_view=table.is_view,
        order=tuple(one.name for one in fields),
        details=details_of(catalog, table),
    )


def _enumerations(table: Table) -> tuple[RuleSpec, ...]:
    """An enumeration's values as rules, so that a wrong one is told while somebody types."""

    def quoted(text: str, mark: str) -> str:
        return mark + text.replace(mark, mark * 2) + mark

    return tuple(
        RuleSpec(f"{quoted(c.name, chr(34))} IN ({', '.join(quoted(one, chr(39)) for one in c.choices)})")
        for c in table.columns
        if c.choices
    )


def why_read_only(table: Table) -> str:
    """Why the records of a table can't be edited; "" when they can."""
    if table.is_view:
        return (
            f"{table.name} is a view: its rows are computed from other tables, so they can be read but not edited here."
        )
    if not table.identity:
        return (
            f"{table.name} has no key, and its columns can't be compared one by one, so two of its rows could not be told apart when saving. "
            "They can be read but not edited. A primary key on the table would change that."
        )
    return ""


def _field(spec: ConnectionSpec, table: Table, column: Column, values: list[Any]) -> FieldSpec:
    kind, facts = kind_of(column, table, values)
    server = server_kind(spec.kind)
    if kind in ("date", "time", "datetime") and not column.family:
        facts["storage"] = server.storage_of(values, kind)
    shown_only = kind == "binary" or column.family == "shown"
    read_only = bool(why_read_only(table)) or column.computed or shown_only
    # A key that is a reference as well (one-to-one tables) is chosen from its list, whoever could number it.
    numbered = column.numbered and all(column.name not in one.columns for one in table.references)
    made = numbered or column.computed
    needed = not column.nullable or (column.name in table.key and column.default is None)
    return FieldSpec(
        name=column.name,
        label=label_of(column.name),
        kind=kind,
        format=_format(table, column, kind),
        type_text=column.type_text,
        width=max(width_of(kind, label_of(column.name), values, facts.get("length")), 100 if column.numbered else 0),
        nullable=column.nullable,
        required=needed and not made,
        read_only=read_only or numbered,
        numbered=numbered,
        computed=column.computed,
        default=column.default,
        help="Values of this type are shown here but can't be edited." if column.family == "shown" else "",
        **facts,
    )


def _format(table: Table, column: Column, kind: str) -> str:
    """Whole numbers that are names rather than amounts (keys, references, years) are written without groups of digits."""
    referring = {name for one in table.references for name in one.columns}
    named = column.name in (*table.key, *referring) or YEAR.search(column.name)
    return "0" if kind == "whole" and named and not column.numbered else ""


def kind_of(column: Column, table: Table, values: list[Any]) -> tuple[str, dict[str, Any]]:
    """The field kind for a column, and what its declared type says of length, precision, scale and storage.

    Declared types are read as SQLite reads them (SQLite, "Datatypes In SQLite", section 3.1), with the
    standard's names for dates, times and truth values before that; undeclared ones are judged by values.
    """
    if column.family:
        return _kind_of_family(column, values)
    texts = any(isinstance(v, str) for v in values)
    if _made_up(column) and texts and any(isinstance(v, int | float) for v in values):
        return "text", {"storage": "any"}  # numbers and texts side by side stay what they are
    declared = column.type_text.upper()
    size = [int(n) for n in re.findall(r"\d+", declared[declared.find("(") :])] if "(" in declared else []
    name = declared.split("(")[0].strip()
    if "BOOL" in name or (("INT" in name or name == "BIT") and _is_flag(column, table)):
        return "yesno", {"storage": "int"}
    if "TIMESTAMP" in name or "DATETIME" in name:
        return "datetime", {}
    if name == "DATE":
        return "date", {}
    if name.startswith("TIME"):
        return "time", {}
    if _made_up(column) and texts:
        return kind_of_values(values)
    if "INT" in name:
        return "whole", {}
    if any(part in name for part in ("CHAR", "CLOB", "TEXT", "UUID", "STRING")):
        return _text_kind(name, size, column, values)
    if "BLOB" in name or "BINARY" in name or "IMAGE" in name:
        return _bytes_kind(column, values), {}
    if any(part in name for part in ("REAL", "FLOA", "DOUB")):
        return "decimal", {"storage": "float"}
    if any(part in name for part in ("DEC", "NUMERIC", "MONEY", "NUMBER")):
        scale = size[1] if len(size) > 1 else (0 if size else None)
        return "decimal", {"storage": "numeric15", "precision": size[0] if size else None, "scale": scale}
    return kind_of_values(values)


FAMILIES = {
    "whole": "whole",
    "decimal": "decimal",
    "yes or no": "yesno",
    "date": "date",
    "time": "time",
    "date and time": "datetime",
    "shown": "text",
}


def _kind_of_family(column: Column, values: list[Any]) -> tuple[str, dict[str, Any]]:
    """The kind where the server's own type settles it."""
    facts = {"storage": column.storage, "precision": column.precision, "scale": column.scale}
    if column.family == "bytes":
        return _bytes_kind(column, values), {}
    if column.family == "long text":
        return "longtext", {"length": column.length}
    if column.family == "text":
        unbounded = column.type_text.lower() == "text" and not column.storage
        size = [column.length] if column.length else []
        kind, found = _text_kind("TEXT" if unbounded else "CHAR", size, column, values)
        return ("text" if column.choices else kind), {**found, "length": column.length, "storage": column.storage}
    return FAMILIES[column.family], facts


def _bytes_kind(column: Column, values: list[Any]) -> str:
    pictures = any(isinstance(v, bytes) and is_picture(v) for v in values)
    named = re.search(r"photo|picture|image|portrait|logo|thumbnail|cover|avatar|icon", column.name, re.I)
    return "picture" if pictures or (named and not values) else "binary"


def _text_kind(name: str, size: list[int], column: Column, values: list[Any]) -> tuple[str, dict[str, Any]]:
    length = size[0] if size else None
    texts = [v for v in values if isinstance(v, str)]
    long_by_name = re.search(r"remark|note|comment|description|text|body|memo", column.name, re.I)
    long_by_value = any("\n" in v or len(v) > 120 for v in texts)
    # A declared length alone says little: some schemas give every text 2 000 characters.
    long_by_size = (length or 0) > 300 and (long_by_name or not (texts or NAMING.search(column.name)))
    if long_by_value or long_by_size or (length is None and "CHAR" not in name and long_by_name):
        return "longtext", {"length": length}
    return "text", {"length": length}


def kind_of_values(values: Sequence[Any]) -> tuple[str, dict[str, Any]]:
    """The field kind for values that no declared type speaks of."""
    kinds = {type(v) for v in values}
    for one, kind in BY_TYPE.items():
        if kinds == {one}:
            return kind, {"storage": "native"} if kind in ("date", "time", "datetime") else {}
    if kinds and kinds <= {int, float, Decimal}:
        return "decimal", {"storage": "float"} if float in kinds else {}
    if kinds == {bytes}:
        return ("picture" if any(is_picture(v) for v in values) else "binary"), {}
    return ("longtext" if any(isinstance(v, str) and "\n" in v for v in values) else "text"), {}


BY_TYPE = {
    int: "whole",
    bool: "yesno",
    datetime.date: "date",
    datetime.time: "time",
    datetime.datetime: "datetime",
}


def _is_flag(column: Column, table: Table) -> bool:
    """Whether the table's CHECK allows a whole-number column the values 0 and 1 only."""
    name = re.escape(column.name)
    pattern = rf'\s*[\("`\[]*{name}["`\]]*\s+IN\s*\(\s*0\s*,\s*1\s*\)\s*\)?\s*|\s*[\("`\[]*{name}["`\]]*\s+BETWEEN\s+0\s+AND\s+1\s*\)?\s*'
    return any(re.fullmatch(pattern, check.expression, re.I) for check in table.checks)


def width_of(kind: str, label: str, values: Sequence[Any], length: int | None = None) -> int:
    """Pixels for a grid column: room for the label and for typical values, within reason."""
    fixed = {"date": 118, "time": 84, "datetime": 178, "yesno": 76, "picture": 96, "binary": 130, "longtext": 240}
    heading = 30 + 8 * len(label)
    if kind in fixed:
        return min(max(fixed[kind], heading), 280)
    typical = sorted(len(str(v)) for v in values)[int(len(values) * 0.9)] if values else min(length or 12, 20)
    return min(max(22 + round(8.6 * min(typical, 32)), heading, 64), 300)
