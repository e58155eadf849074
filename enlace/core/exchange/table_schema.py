"""Values of a Data Package in plain notation, as its Table Schema (v2, and v1) says that they are written."""

from __future__ import annotations

import datetime
import re
from collections.abc import Callable, Mapping, Sequence
from typing import Any

Reading = Callable[[str], str]
TRUE, FALSE = ("true", "True", "TRUE", "1"), ("false", "False", "FALSE", "0")
MOMENTS: dict[str, Callable[[datetime.datetime], Any]] = {
    "date": datetime.datetime.date,
    "time": datetime.datetime.time,
    "datetime": lambda moment: moment.isoformat(" "),
}
AROUND = re.compile(r"^[^\d.+-]+|[^\d.]+$", re.ASCII)  # what may stand beside a number that is not bare


def readings(schema: Any, heads: Sequence[str]) -> list[Reading]:
    """By column, a function from a text of the file to it in plain notation; what does not fit the schema stays as it is."""
    said = schema if isinstance(schema, dict) else {}
    fields = [item for item in _several(said.get("fields")) if isinstance(item, dict)]
    by_name = {str(field.get("name")): field for field in fields}
    common = _missing(said.get("missingValues", [""]))
    return [_reading(by_name.get(head, {}), common) for head in heads]


def names_of(schema: Any) -> list[str]:
    """The names of a schema's fields, in their order."""
    fields = _several(schema.get("fields")) if isinstance(schema, dict) else []
    return [str(field.get("name", "")) for field in fields if isinstance(field, dict)]


def _several(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _missing(said: Any) -> set[str]:
    """Values that stand for none: texts, or in v2 objects with a value and what it means."""
    return {str(item.get("value", "")) if isinstance(item, dict) else str(item) for item in _several(said)}


def _reading(field: Mapping[str, Any], common: set[str]) -> Reading:
    missing = _missing(field["missingValues"]) if "missingValues" in field else common
    known = _plain(field)
    if known is None:
        return lambda text: "" if text in missing else text
    read = known
    return lambda text: "" if text in missing else read(text)


def _plain(field: Mapping[str, Any]) -> Reading | None:
    """How texts of a field are read, None where they are plain already."""
    kind, written = str(field.get("type")), field.get("format")
    if kind in ("number", "integer"):
        return _number(field)
    if kind == "boolean":
        yes = set(map(str, _several(field.get("trueValues")) or TRUE))
        no = set(map(str, _several(field.get("falseValues")) or FALSE))
        return lambda text: "yes" if text in yes else "no" if text in no else text
    if kind in MOMENTS and isinstance(written, str) and "%" in written:
        return _moment(written, MOMENTS[kind])
    return None


def _number(field: Mapping[str, Any]) -> Reading | None:
    point, group = str(field.get("decimalChar") or "."), str(field.get("groupChar") or "")
    bare = field.get("bareNumber", True) is not False
    if point == "." and not group and bare:
        return None

    def read(text: str) -> str:
        digits = text if bare else AROUND.sub("", text.strip())
        digits = digits.replace(group, "") if group else digits
        return digits.replace(point, ".") if point != "." else digits

    return read


def _moment(written: str, of: Callable[[datetime.datetime], Any]) -> Reading:
    def read(text: str) -> str:
        try:
            return str(of(datetime.datetime.strptime(text.strip(), written)))
        except ValueError:
            return text

    return read
