"""Text: one line, or many."""

from __future__ import annotations

import json
import re
import uuid
from typing import Any

from ..model.dataset import FieldSpec
from .base import Kind, Nonconforming, Unreadable
from .formats import Formats
from .knowledge import checked

TEXTS = ["text", "longtext"]  # the kinds whose values are texts; an extension may add others
ANY = "any"  # a column that holds numbers and texts side by side
_WHOLE = re.compile(r"-?(0|[1-9]\d{0,18})")
_REAL = re.compile(r"-?\d{1,15}\.\d{1,15}(e[+-]?\d{1,2})?", re.I)


def _number(text: str) -> Any:
    """A text as the number that SQLite would take it for (SQLite, "Datatypes In SQLite", section 3); itself otherwise."""
    if _WHOLE.fullmatch(text) and -(2**63) <= int(text) < 2**63:
        return int(text)
    return float(text) if _REAL.fullmatch(text) else text


def _no_constant(word: str) -> None:
    raise ValueError(word)  # Python reads NaN and Infinity; RFC 8259, section 6 does not have them


class Text(Kind):
    name = "text"
    label = "Text"

    def read(self, raw: Any, field: FieldSpec) -> Any:
        if raw is None or isinstance(raw, str):
            return raw
        return raw if field.storage == ANY and isinstance(raw, int | float) else Nonconforming(raw)

    def typed_over(self, text: str, was: Any, field: FieldSpec, formats: Formats) -> Any:
        value = self.parse(text, field, formats)
        if field.storage != ANY or isinstance(was, str) or not isinstance(value, str):
            return value
        return _number(value)

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        if text == "":
            # NULL is what a column that allows it holds for nothing.
            return None if field.nullable else ""
        if "\x00" in text:
            raise Unreadable("The text contains a NUL character, which databases do not keep. Remove it.")
        if field.picture or field.pattern or field.text_check:
            text, wrong = checked(field, text)
            if wrong:
                raise Unreadable(wrong)
        if field.length is not None and len(text) > field.length:
            over = len(text) - field.length
            raise Unreadable(f"At most {field.length} characters fit here; this is {over} too long. Shorten it.")
        return self._in_form(text, field.storage)

    def _in_form(self, text: str, storage: str) -> str:
        """A text that stands for a value of another type, checked as far as it can be without the server."""
        if storage == "uuid":
            try:
                return str(uuid.UUID(text.strip()))
            except ValueError:
                raise Unreadable("This is not a UUID. It has 32 hexadecimal digits, in groups of 8-4-4-4-12.") from None
        if storage == "json":
            try:
                json.loads(text, parse_constant=_no_constant)
            except json.JSONDecodeError as error:
                place = f"line {error.lineno}, column {error.colno}"
                raise Unreadable(f"This is not JSON. Look at {place}: {error.msg.lower()}.") from None
            except ValueError:
                raise Unreadable("This is not JSON: NaN and Infinity are no numbers there.") from None
            except RecursionError:
                raise Unreadable("This JSON is nested too deeply.") from None
        return text


class LongText(Text):
    name = "longtext"
    label = "Long text"
    editor = "lines"

    def parse(self, text: str, field: FieldSpec, formats: Formats) -> Any:
        # HTML forms send line ends as CR LF whatever was stored (HTML, "constructing the entry list").
        return super().parse(text.replace("\r\n", "\n"), field, formats)

    def same(self, a: Any, b: Any, field: FieldSpec) -> bool:
        if isinstance(a, str) and isinstance(b, str):
            return a.replace("\r\n", "\n") == b.replace("\r\n", "\n")
        return super().same(a, b, field)
