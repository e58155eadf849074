"""Parameters of a builder's SQL: its colons, and the values that are bound for them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from sqlalchemy import BindParameter, TextClause, bindparam, text
from sqlalchemy.types import NullType
from sqlglot.tokens import TokenType

from ..problem import Problem
from ..server.functions import tokens_of

# The names that sqlglot has for the servers' SQL.
WRITES = {
    "sqlite": "sqlite",
    "kept": "sqlite",
    "postgresql": "postgres",
    "mariadb": "mysql",
    "sqlserver": "tsql",
    "oracle": "oracle",
}
NAMED = re.compile(r"(?<![:\w\\]):(\w+)(?!:)")
THERE_TOO = "__there"  # a second name of a parameter
THERE = re.compile(r"(?<![:\w\\]):(\w+)(?=\s+IS\s+(?:NOT\s+)?NULL\b)", re.I)


def marked(sql: str, server: str) -> str:
    """The SQL with the colons that stand before no parameter marked as such, for SQLAlchemy's text()."""
    made = list(sql)
    for token in tokens_of(sql, WRITES[server]):
        if token.token_type in (TokenType.STRING, TokenType.IDENTIFIER, TokenType.NATIONAL_STRING, TokenType.DCOLON):
            for i in range(token.start, token.end + 1):
                if made[i] == ":":
                    made[i] = "\\:"
    return "".join(made)


def bound_text(sql: str, server: str, parameter_values: Mapping[str, Any]) -> TextClause:
    """A query with the values of its parameters; one that has none when the query is run raises Problem then.

    PostgreSQL is told no type, so that it takes a parameter, as it takes a literal, for what stands beside it; only
    where nothing does, in `:x IS NULL`, is one a text.
    """
    written = marked(sql, server)
    untyped = server == "postgresql"
    if untyped:
        written = THERE.sub(r"CAST(:\1__there AS TEXT)", written)
    bound: list[BindParameter[Any]] = []
    for name in dict.fromkeys(NAMED.findall(written)):
        asked = name.removesuffix(THERE_TOO)
        if asked in parameter_values:
            value = parameter_values[asked]
            bound.append(bindparam(name, value, type_=NullType()) if untyped else bindparam(name, value))
        else:
            bound.append(bindparam(name, callable_=_asks_for(asked), type_=NullType()))
    return text(written).bindparams(*bound)


def _asks_for(name: str) -> Callable[[], Any]:
    def run() -> Any:
        raise Problem(f"The query asks for {name}.", "Its rows are seen where a value is given.", code="parameters")

    return run
