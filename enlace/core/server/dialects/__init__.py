"""Server kinds, one file each. To add one, add a file and name its class here."""

from __future__ import annotations

from .base import Parameter, ServerKind
from .kept import Kept
from .mariadb import MariaDB
from .oracle import Oracle
from .postgresql import PostgreSQL
from .sqlite import Sqlite
from .sqlserver import SqlServer

SERVER_KINDS: dict[str, ServerKind] = {
    kind.name: kind for kind in (Sqlite(), PostgreSQL(), MariaDB(), SqlServer(), Oracle())
}
_KEPT = Kept()  # not a kind that anyone connects to
# The names of SQLAlchemy's dialects that differ from ours.
_ALIASES = {"mysql": "mariadb", "mssql": "sqlserver"}


def server_kind(name: str) -> ServerKind:
    """The server kind of that name; KeyError when there is none."""
    return _KEPT if name == _KEPT.name else SERVER_KINDS[_ALIASES.get(name, name)]


__all__ = ["SERVER_KINDS", "Parameter", "ServerKind", "server_kind"]
