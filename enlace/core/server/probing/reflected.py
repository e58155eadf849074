"""What is asked of servers that have not been tried."""

from __future__ import annotations

import socket

from ...model.connection import ConnectionSpec
from ..dialects.network import NetworkServer
from ..limits import STATEMENT_SECONDS
from .network import NetworkProbe


class ReflectedProbe(NetworkProbe):
    """version_sql: what asks such a server for its version."""

    def __init__(self, kind: NetworkServer, version_sql: str) -> None:
        super().__init__(kind)
        self.version_sql = version_sql

    def offers_tls(self, dialled: socket.socket) -> bool:
        return False  # settled inside the server's own protocol, by the driver

    def _may_write(self, spec: ConnectionSpec) -> str:
        return f"Not looked into for this kind; a save says. Statements may take {STATEMENT_SECONDS:.0f} seconds"
