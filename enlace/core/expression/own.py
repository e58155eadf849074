"""Functions that a developer's own code adds to expressions: in Python over a record, in SQL over a server's rows.

A function is strict: it gives NULL where an argument is NULL, on both sides, and neither side is asked then.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlglot import exp

from .functions import ExpressionError
from .parse import Unsupported

TYPES = ("whole", "decimal", "text", "yesno", "date", "datetime", "time")


@dataclass(frozen=True)
class OwnFunction:
    """One function. takes: the types of its arguments, of TYPES. gives: that of its value.

    compute: its Python side, of as many values; an ExpressionError or any other error means that it has no value there.
    sql: its SQL side, of the kind of server and the arguments in SQL; None where rows can't be asked for it, so that it
    serves rules, conditions and calculated fields that are computed while somebody edits.
    """

    name: str
    takes: tuple[str, ...]
    gives: str
    compute: Callable[..., Any]
    sql: Callable[[str, Sequence[str]], str] | None = None


OWN: dict[str, OwnFunction] = {}


def own_function(node: exp.Expr) -> OwnFunction | None:
    """The function that a call is of; None where nobody added one of its name. Raises Unsupported for other arguments."""
    own = OWN.get(node.name.lower()) if isinstance(node, exp.Anonymous) else None
    if own is not None and len(node.expressions) != len(own.takes):
        count = len(own.takes)
        raise Unsupported(f"{own.name} takes {count} value{'s' * (count != 1)}, and has {len(node.expressions)}.")
    return own


def computed(own: OwnFunction, arguments: Sequence[Callable[[Mapping[str, Any]], Any]]) -> Callable[[Any], Any]:
    """A function of a record."""

    def run(record: Mapping[str, Any]) -> Any:
        values = [argument(record) for argument in arguments]
        if None in values:
            return None
        try:
            return own.compute(*values)
        except ExpressionError:
            raise
        except Exception as error:
            # What a developer's function stumbles over is no fault of who edits, and must not fail the edit.
            raise ExpressionError(f"{own.name} has no value here: {error}.") from error

    return run
