"""Patterns of LIKE."""

from __future__ import annotations


def escaped(said: str) -> str:
    """A text as it stands in a LIKE pattern whose escape character is an exclamation mark."""
    return said.replace("!", "!!").replace("%", "!%").replace("_", "!_")
