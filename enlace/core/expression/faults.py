"""Where a text of SQL that is being written is wrong: stretches of it, each with a sentence."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import sqlglot
from sqlglot import exp

from ..words import within_sentence
from .evaluate import Expression
from .parse import AGGREGATES, BEFORE, MOST_CHARACTERS, Names, Unsupported, parser_words, plain_words, statement_of


@dataclass(frozen=True)
class TextFault:
    """What is wrong with characters start to end of a text, counted from 0, `end` not included."""

    start: int
    end: int
    sentence: str


def expression_faults(text: str, names: Names, near: Collection[str] = ()) -> list[TextFault]:
    """What is wrong with an expression. near: where given, the only names that it may use of those that are known.

    >>> expression_faults("tonnes * rat > 0", Names(["tonnes", "rate"]))
    [TextFault(start=9, end=12, sentence='There is no field rat. Is rate meant?')]
    """
    if not text.strip() or len(text) > MOST_CHARACTERS:
        return []
    try:
        whole = statement_of(text)
    except sqlglot.errors.ParseError as error:
        return [_moved(parser_fault(f"{BEFORE}{text}", "sqlite", error, "The expression"), len(text))]
    except (sqlglot.errors.SqlglotError, RecursionError, ValueError) as error:
        return [_moved(unclosed(f"{BEFORE}{text}", error, "The expression"), len(text))]
    if faults := list(_of_names(whole, names, near, len(text))):
        return faults
    try:
        Expression(text, names)
    except Unsupported as error:
        return [TextFault(0, len(text.rstrip()), str(error))]
    return []


def parser_fault(text: str, dialect: str, error: sqlglot.errors.ParseError, what: str) -> TextFault:
    """The token that the parser stopped at. what: is read, such as "The query"."""
    told = error.errors[0] if error.errors else {}
    where = (told.get("line"), told.get("col"))
    tokens = sqlglot.tokenize(text, read=dialect)
    token = next((t for t in tokens if (t.line, t.col) == where), tokens[-1] if tokens else None)
    start, end = (token.start, token.end + 1) if token else (len(text.rstrip()) - 1, len(text.rstrip()))
    words = plain_words(str(told.get("description") or parser_words(error))).rstrip(".").split(" / ")[-1]
    sentence = f"{what} can't be understood from here on: {within_sentence(words)}."
    return TextFault(max(start, 0), end, sentence)


def unclosed(text: str, error: Exception, what: str) -> TextFault:
    """A text or a comment that never ends: from the sign that opens it."""
    if isinstance(error, RecursionError):
        return TextFault(0, len(text), f"{what} is nested too deeply. Make it simpler.")
    start = max(0, *(text.rfind(sign) for sign in ("'", '"', "`", "/*")))
    return TextFault(start, len(text), "What begins here never ends. Close it.")


def fault_at(part: exp.Expr, sentence: str) -> TextFault:
    """A fault of a part that the parser has kept the place of."""
    start = int(part.meta.get("start", 0))
    return TextFault(start, int(part.meta.get("end", start)) + 1, sentence)


def _of_names(whole: exp.Expr, names: Names, near: Collection[str], length: int) -> Iterator[TextFault]:
    for column in whole.find_all(exp.Column):
        if not isinstance(column.this, exp.Identifier):
            continue
        try:
            above = column.parent
            added = above is not None and type(above) in AGGREGATES and column.args.get("table") is not None
            name = names.of_details(above) if above is not None and added else names.of(column)
            if not near or name in near:
                continue
            sentence = f"{column.sql()} is not of this record: only its own fields can be asked here."
        except Unsupported as error:
            sentence = str(error)
        first = fault_at(column.args.get("table") or column.this, sentence)
        yield _moved(TextFault(first.start, fault_at(column.this, "").end, sentence), length)


def _moved(fault: TextFault, length: int) -> TextFault:
    """A fault of the whole statement as one of the expression in it."""
    start = min(max(fault.start - len(BEFORE), 0), max(length - 1, 0))
    return TextFault(start, min(max(fault.end - len(BEFORE), start + 1), length), fault.sentence)
