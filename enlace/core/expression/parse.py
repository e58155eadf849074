"""Read an SQL scalar expression: one expression, of bounded size, over names that are known."""

from __future__ import annotations

import logging
import re
from collections.abc import Collection, Iterable, Mapping

import sqlglot
from sqlglot import exp

from ..near import closest

logging.getLogger("sqlglot").setLevel(logging.CRITICAL)  # what it can't parse is told to the person instead
MOST_CHARACTERS = 10_000
MOST_NODES = 1_000
MOST_DEPTH = 60
BEFORE = "SELECT ("  # as the only column of a SELECT: some functions are also statements of their own
AGGREGATES: dict[type, str] = {exp.Sum: "sum", exp.Avg: "avg", exp.Min: "min", exp.Max: "max", exp.Count: "count"}
MASTER = "master"


class Unsupported(ValueError):
    """The expression uses something that is not evaluated here, or is no expression at all."""


def parsed(text: str, dialect: str = "sqlite") -> exp.Expr:
    """The tree of an expression. Raises Unsupported."""
    if len(text) > MOST_CHARACTERS:
        raise Unsupported("The expression is too long.")
    if not text.strip():
        raise Unsupported("There is no expression.")
    try:
        whole = statement_of(text, dialect)
    except (sqlglot.errors.SqlglotError, RecursionError) as error:
        raise Unsupported(_told(error)) from None
    parts = {name for name, value in whole.args.items() if value}
    columns = whole.expressions
    if not isinstance(whole, exp.Select) or not parts <= {"expressions", "kind"} or len(columns) != 1:
        raise Unsupported("This is more than one expression.")
    if not isinstance(columns[0], exp.Paren):
        raise Unsupported("This is more than one expression.")
    tree: exp.Expr = columns[0].this
    if sum(1 for _ in tree.walk()) > MOST_NODES:
        raise Unsupported("The expression has too many parts.")
    if _depth(tree) > MOST_DEPTH:
        raise Unsupported("The expression is nested too deeply.")
    return tree.transform(_known_by_name, copy=False)


def _known_by_name(node: exp.Expr) -> exp.Expr:
    """What the parser leaves as a function of some name: OCTET_LENGTH, as MariaDB tells a check's LENGTH (ISO/IEC 9075-2, 6.29)."""
    if isinstance(node, exp.Anonymous) and node.name.lower() == "octet_length" and len(node.expressions) == 1:
        return exp.ByteLength(this=node.expressions[0])
    return node


def statement_of(text: str, dialect: str = "sqlite") -> exp.Expr:
    """The statement that an expression is read in, behind BEFORE. Raises what the parser raises, and RecursionError."""
    return sqlglot.parse_one(f"{BEFORE}{text}\n)", read=dialect)


def parser_words(error: Exception) -> str:
    """The first line of what the parser says, without the colours that it sets for terminals and names of its own parts."""
    return plain_words(re.sub(r"\x1b\[\d+m", "", str(error)).splitlines()[0])


def plain_words(told: str) -> str:
    """What a parser says without the names that only its own code knows."""
    return re.sub(r"Required keyword: .*? missing for <class .*?>", "Something is missing", told)


def _told(error: Exception) -> str:
    if isinstance(error, RecursionError):
        return "The expression is nested too deeply."
    if isinstance(error, sqlglot.errors.TokenError):
        return "A text or a comment in it never ends."
    return re.sub(r"\. Line \d+, Col: \d+\.?$", "", parser_words(error)) + "."


def _depth(tree: exp.Expr) -> int:
    deepest, level = 0, [tree]
    while level:
        deepest += 1
        level = [child for node in level for child in node.iter_expressions()]
    return deepest


class Names:
    """The names an expression may use.

    fields: those of the record. lookups: the names under which looked-up records are reached (`berth.depth_m`).
    details: those of the details that aggregates may add up (`sum(cargo_line.tonnes)`). master: whether the record has
    a master (`master.vessel_id`). Lookups and details as mappings tell their columns; () for those that are not known.
    """

    def __init__(
        self,
        fields: Iterable[str],
        lookups: Collection[str] | Mapping[str, Collection[str]] = (),
        details: Collection[str] | Mapping[str, Collection[str]] = (),
        master: bool = False,
    ) -> None:
        self._fields = {name.lower(): name for name in fields}
        self._lookups = {name.lower(): name for name in lookups} | ({MASTER: MASTER} if master else {})
        self._details = {name.lower(): name for name in details}
        self._lookup_columns, self._detail_columns = lookups, details

    def of(self, column: exp.Expr) -> str:
        """The name that a column means, in its own spelling. Raises Unsupported."""
        owner, name = column.args.get("table"), column.name
        if column.args.get("db") or column.args.get("catalog"):
            raise Unsupported(f"There is no {column.sql()}.")
        if owner is None:
            if name.lower() not in self._fields:
                raise Unsupported(f"There is no field {name}.{_perhaps(name, self._fields.values())}")
            return self._fields[name.lower()]
        if owner.name.lower() not in self._lookups:
            known = _perhaps(owner.name, self._lookups.values())
            raise Unsupported(f"There is no {owner.name} to take {name} from.{known}")
        return _inner(self._lookup_columns, self._lookups[owner.name.lower()], name)

    def of_details(self, node: exp.Expr) -> str:
        """The name of an aggregate over details, such as `sum(cargo_line.tonnes)`. Raises Unsupported."""
        column = node.this
        if not isinstance(column, exp.Column) or column.args.get("table") is None:
            raise Unsupported("An aggregate is over a column of a detail, such as sum(cargo_line.tonnes).")
        owner = column.args["table"].name
        if owner.lower() not in self._details:
            raise Unsupported(f"There is no detail {owner}.{_perhaps(owner, self._details.values())}")
        return f"{AGGREGATES[type(node)]}({_inner(self._detail_columns, self._details[owner.lower()], column.name)})"


def _inner(several: Collection[str] | Mapping[str, Collection[str]], owner: str, name: str) -> str:
    """A column of what one of several lookups or details leads to. Raises Unsupported."""
    columns = several.get(owner, ()) if isinstance(several, Mapping) else ()
    column = next((column for column in columns if column.lower() == name.lower()), "" if columns else name)
    if not column:
        raise Unsupported(f"{owner} has no column {name}.{_perhaps(name, columns)}")
    return f"{owner}.{column}"


def _perhaps(name: str, known: Iterable[str]) -> str:
    """The name that was meant, where one is near."""
    near = closest(name, known)
    return f" Is {near} meant?" if near else ""
