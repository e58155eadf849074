"""Values bound into conditions that are written as SQL."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from sqlalchemy import BindParameter, ColumnElement, bindparam, text
from sqlglot import exp

from ..expression.push import Sql
from ..server.dialects import server_kind
from .parameters import marked

_NUMBERS = {"decimal": "NUMERIC"}  # a text, as a number is bound here, is never the same as a number that is computed
CASTS = {
    "sqlite": _NUMBERS,
    "kept": _NUMBERS,
    "postgresql": {
        "whole": "BIGINT",
        "decimal": "NUMERIC",
        "text": "TEXT",
        "yesno": "BOOLEAN",
        "date": "DATE",
        "datetime": "TIMESTAMP",
        "time": "TIME",
    },
}


def only_bound(sql: str, bound: Mapping[str, Any], server: str) -> ColumnElement[bool]:
    """A condition in a server's SQL with the values bound that it uses; other colons in it are no parameters."""
    # Each under a name of its own in the statement: several conditions stand in one, and each counts its values from 0.
    used: list[BindParameter[Any]] = [
        bindparam(name, value, unique=True) for name, value in bound.items() if re.search(rf":{name}\b", sql)
    ]
    return text(marked(sql, server)).bindparams(*used).self_group()  # type: ignore[return-value]


def bound_value(server: str, bound: dict[str, Any], value: Any, kind: str) -> Sql:
    """A value in an expression's SQL, as a parameter that `bound` takes."""
    name = f"bound{len(bound)}"
    bound[name] = server_kind(server).bound(value)
    cast = CASTS.get(server, {}).get(kind)
    mark = exp.Placeholder(this=name).sql()
    return Sql(f"CAST({mark} AS {cast})" if cast else mark, kind)
