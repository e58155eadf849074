"""A text of several statements, cut apart, and what a CALL among them runs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from sqlglot.tokens import Token, TokenType

from .functions import tokens_of

CALL = "CALL"


@dataclass(frozen=True)
class Piece:
    """One statement as it was written. called: what stands after CALL; "" where it is no call."""

    written: str
    called: str


def pieces_of(script: str, dialect: str) -> Iterator[Piece]:
    """The statements of a script, cut by tokens, not at each semicolon: one within a text ends nothing. dialect: sqlglot's;
    raises its errors."""
    statement: list[Token] = []
    for token in [*tokens_of(script, dialect), None]:
        if token is not None and token.token_type != TokenType.SEMICOLON:
            statement.append(token)
        elif statement:
            yield _piece(script, statement)
            statement = []


def _piece(script: str, tokens: list[Token]) -> Piece:
    start, end = tokens[0].start, tokens[-1].end + 1
    is_call = tokens[0].token_type == TokenType.COMMAND and tokens[0].text.upper() == CALL
    return Piece(script[start:end], script[tokens[0].end + 1 : end].strip() if is_call else "")
