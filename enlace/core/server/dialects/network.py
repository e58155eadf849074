"""What servers on a network have in common: parameters, and what to say when they are away."""

from __future__ import annotations

import ssl
from collections.abc import Hashable
from typing import Any

from sqlalchemy import ColumnElement, Integer, Text, cast, func, text, type_coerce
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import SQLAlchemyError

from ...model.connection import ConnectionSpec
from ...problem import Problem
from ..limits import STATEMENT_SECONDS
from ..places import checked_file
from ..refusal import Refusal
from .base import Parameter, ServerKind, driver_error

TLS = (
    ("prefer", "Encrypt when the server can"),
    ("require", "Always encrypt"),
    ("verify", "Always encrypt, and check the server's certificate"),
    ("off", "Never encrypt"),
)


class NetworkServer(ServerKind):
    """A server reached by host and port. Subclasses give the driver's part."""

    port: int

    @property
    def parameters(self) -> tuple[Parameter, ...]:  # type: ignore[override]
        return (
            Parameter("host", "Host", "The server's name or address.", True, initial="localhost"),
            Parameter("port", "Port", f"{self.port} unless the server was set up otherwise.", initial=str(self.port)),
            Parameter("database", "Database", "The database's name on that server.", True),
            Parameter("user", "User", "The user to sign in as.", True),
            Parameter("tls", "Encryption", "How the connection is protected on its way (TLS).", choices=TLS),
            Parameter("ca", "Certificate file", "The authority that signed the server's certificate, where it is "
                      "not one that this machine trusts."),
        )  # fmt: skip

    def port_of(self, spec: ConnectionSpec) -> int:
        """The port of a connection. Raises Problem."""
        given = spec["port"].strip() or str(self.port)
        if not given.isascii() or not given.isdigit() or not 0 < int(given) < 65536:
            raise Problem(f"“{given}” is not a port.", "Ports are numbers from 1 to 65535.", code="missing")
        return int(given)

    def place_of(self, spec: ConnectionSpec) -> str:
        return f"{spec['user']}@{spec['host']}:{spec['port'] or self.port}/{spec['database']}"

    def sentence(self, refusal: Refusal) -> tuple[str, str]:
        return _SENTENCES.get(refusal.code, ("The database refused the statement.", "Its own words say why."))

    def shortened(self, column: ColumnElement[Any], length: int, is_bytes: bool = False) -> ColumnElement[Any]:
        return func.substr(column, 1, length) if is_bytes else func.left(cast(column, Text), length)

    def size_of(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        return type_coerce(func.octet_length(column), Integer)

    def trust(self, context: ssl.SSLContext, spec: ConnectionSpec) -> None:
        if not spec["ca"]:
            return
        try:
            context.load_verify_locations(checked_file(spec["ca"])[0])
        except (Problem, OSError, ssl.SSLError) as error:
            hint = "Give the path of a PEM file on the machine that runs Enlace."
            raise Problem("The certificate file can't be used.", hint, str(error), "tls") from None

    def quick(self, engine: Engine, sql: str) -> Hashable:
        """One value asked outside any transaction, None when the server is away."""
        try:
            with engine.connect() as connection:
                row = connection.execution_options(isolation_level="AUTOCOMMIT").execute(text(sql)).first()
                return tuple(row) if row else None
        except (SQLAlchemyError, driver_error(engine)):
            return None

    def alive(self, connection: Connection, sql: str, session: Hashable) -> bool:
        """Whether a statement that looks for a session finds it."""
        return connection.execute(text(sql), {"session": session}).first() is not None


_SENTENCES = {
    "away": (
        "The database server does not answer.",
        "Nothing typed is lost. Try again in a moment; if it stays away, ask who runs the server.",
    ),
    "sign-in": (
        "The server did not let Enlace in.",
        "Check the user and the password, and that this machine is allowed to connect.",
    ),
    "no database": (
        "The server has no database of that name.",
        "Check its name; capitals count on most servers.",
    ),
    "locked": (
        "Somebody else holds these rows locked.",
        "Wait until they have finished, then try again.",
    ),
    "deadlock": (
        "Two saves waited for each other, and the server stopped this one.",
        "Nothing was written. Save again.",
    ),
    "serialization": (
        "Others changed the same rows at the same moment, and the server stopped this save.",
        "Nothing was written. Save again.",
    ),
    "read-only": ("The database takes no changes at the moment.", "Ask who runs the server."),
    "denied": (
        "The user of this connection may not do that.",
        "Ask who runs the server for the right, or connect as another user.",
    ),
    "table gone": (
        "The database no longer has a table or column that this needs.",
        "A builder can look at the connection's tables and make the form anew.",
    ),
    "slow": (
        f"The database took longer than {STATEMENT_SECONDS:.0f} seconds, so the question was stopped.",
        "Try again, or order by a column that has an index.",
    ),
    "tls": (
        "The connection can't be encrypted as asked.",
        "Look at the connection's test; it says what is missing.",
    ),
}
