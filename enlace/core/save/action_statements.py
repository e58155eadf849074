"""The statements of a server action: cut apart, and held to what an action may do.

They change rows (INSERT, UPDATE, DELETE), run a procedure (CALL), or run a function that somebody made (SELECT f(…)).
"""

from __future__ import annotations

from dataclasses import dataclass

import sqlglot
from sqlalchemy import TextClause, text
from sqlglot import exp

from ..dataset.parameters import WRITES, marked
from ..expression.parse import parser_words
from ..model.connection import ConnectionSpec
from ..problem import Problem
from ..server.dialects import server_kind
from ..server.engine import reading
from ..server.functions import called, check_calls
from ..server.pieces import Piece, pieces_of

CHANGES = (exp.Insert, exp.Update, exp.Delete)
PERSON = "person"
MOST_STATEMENTS = 20
HINT = (
    "An action may INSERT, UPDATE and DELETE rows, CALL a procedure, or SELECT what a function gives, and nothing else."
)


@dataclass(frozen=True)
class ActionStatement:
    """One statement. names: the values that it takes. calls: it runs a procedure or function, which alone knows what it does."""

    sql: TextClause
    names: tuple[str, ...]
    calls: bool


def statements_of(script: str, server: str, known: set[str]) -> tuple[ActionStatement, ...]:
    """The statements of a script, apart by semicolons. known: the names that may stand after a colon. Raises Problem."""
    dialect = WRITES[server]
    try:
        pieces = list(pieces_of(script, dialect))
        trees = [sqlglot.parse_one(piece.called or piece.written, read=dialect) for piece in pieces]
    except (sqlglot.errors.SqlglotError, RecursionError) as error:
        raise Problem("A statement can't be understood.", "Check its SQL.", parser_words(error), code="bad") from None
    if not trees:
        raise Problem("The action has no statement.", "Type an INSERT, UPDATE, DELETE or CALL.", code="bad")
    if len(trees) > MOST_STATEMENTS:
        raise Problem(f"An action has at most {MOST_STATEMENTS} statements.", "Make two of it.", code="bad")
    return tuple(_statement(piece, tree, server, known) for piece, tree in zip(pieces, trees, strict=True))


def check_action(spec: ConnectionSpec, statements: str) -> None:
    """Raises Problem where a statement calls what it must not. Looked at when an action is kept."""
    dialect, server = WRITES[spec.kind], server_kind(spec.kind)
    for piece in pieces_of(statements, dialect):
        check_calls(piece.called or piece.written, spec.kind, dialect, spec, writing=True)
        if not piece.called:
            continue
        if server.in_process:
            raise Problem("This server has no procedures.", "Write the statements themselves.", code="bad")
        with reading(spec) as connection:
            for name in called(piece.called, dialect):
                if server.commits_by_itself(connection, name):
                    hint = "An action is done whole or not at all: take COMMIT, and what defines tables, out of it."
                    raise Problem(f"{name} ends the transaction that it runs in.", hint, code="bad")


def _statement(piece: Piece, tree: exp.Expr, server: str, known: set[str]) -> ActionStatement:
    calls = not isinstance(tree, CHANGES)
    if calls and not (_is_call(tree) if piece.called else _selects_a_call(tree)):
        raise Problem(f"“{piece.written[:60]}” is not a statement for an action.", HINT, code="bad")
    names = tuple(dict.fromkeys(str(placeholder.this) for placeholder in tree.find_all(exp.Placeholder)))
    for name in names:
        if name not in known:
            hint = "After a colon stands the name of one of this form's fields, or :person."
            raise Problem(f"There is no field “{name}” to put in.", hint, code="bad")
    return ActionStatement(text(marked(piece.written, server)), names, calls)


def _is_call(tree: exp.Expr | None) -> bool:
    """Whether it is a routine with its arguments, in a schema or not."""
    return isinstance(tree.expression if isinstance(tree, exp.Dot) else tree, exp.Func)


def _selects_a_call(tree: exp.Expr) -> bool:
    return (
        isinstance(tree, exp.Select)
        and all(_is_call(shown.unalias()) for shown in tree.selects)
        and not any(value for part, value in tree.args.items() if part != "expressions")
    )
