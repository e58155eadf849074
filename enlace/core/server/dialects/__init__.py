"""Server kinds, one file each. To add one, add a file and name its class here."""

from __future__ import annotations

from .base import ServerKind
from .sqlite import Sqlite

SERVER_KINDS: dict[str, ServerKind] = {kind.name: kind for kind in (Sqlite(),)}


def server_kind(name: str) -> ServerKind:
    """The server kind of that name; KeyError when there is none."""
    return SERVER_KINDS[name]


__all__ = ["SERVER_KINDS", "ServerKind", "server_kind"]
