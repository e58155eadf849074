"""The CHECK constraints in the statement that made an SQLite table.

SQLite keeps that statement as it was written and tells no constraint by itself. Only the constraints are read of it: a column
may be declared in any way that SQLite takes ("CREATE TABLE", section 3.1: a type may be any name, or be left out), and what
can't be read of one column must not lose the conditions of the others.
"""

from __future__ import annotations

from collections.abc import Sequence

import sqlglot
from sqlglot.errors import SqlglotError
from sqlglot.tokens import Token, TokenType

OPENS, CLOSES, NAMES = TokenType.L_PAREN, TokenType.R_PAREN, (TokenType.IDENTIFIER, TokenType.STRING)


def checks_in(statement: str) -> list[tuple[str, str]]:
    """(name, condition) of each CHECK constraint, the name "" where it has none.

    >>> checks_in("CREATE TABLE t (a, b made AS (a + 1), CONSTRAINT deep CHECK (a > 0))")
    [('deep', 'a > 0')]
    """
    try:
        tokens = sqlglot.tokenize(statement, read="sqlite")
    except SqlglotError:
        return []  # the server's word on save stands in for what can't be read
    checks = []
    for i, token in enumerate(tokens[:-1]):
        opens = tokens[i + 1].token_type is OPENS
        if token.text.upper() != "CHECK" or token.token_type in NAMES or not opens:
            continue
        end = _closing(tokens, i + 1)
        if end is not None:
            checks.append((_name(tokens, i), _plain(statement[tokens[i + 1].end + 1 : tokens[end].start])))
    return checks


def _closing(tokens: Sequence[Token], opening: int) -> int | None:
    """The place of the bracket that closes the one at a place."""
    depth = 0
    for i in range(opening, len(tokens)):
        depth += (tokens[i].token_type is OPENS) - (tokens[i].token_type is CLOSES)
        if not depth:
            return i
    return None


def _name(tokens: Sequence[Token], check: int) -> str:
    named = check > 1 and tokens[check - 2].token_type is TokenType.CONSTRAINT
    return tokens[check - 1].text if named else ""


def _plain(condition: str) -> str:
    try:
        return sqlglot.parse_one(condition, read="sqlite").sql(dialect="sqlite")
    except (SqlglotError, RecursionError):
        return condition.strip()
