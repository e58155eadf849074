"""What servers on a network have in common: parameters, the steps of the test, and what to say when they are away."""

from __future__ import annotations

import socket
import ssl
from collections.abc import Hashable
from typing import TYPE_CHECKING, Any

from sqlalchemy import ColumnElement, Integer, Text, cast, func, text, type_coerce
from sqlalchemy.engine import Connection

from ...problem import Problem
from ..places import check_server, checked_file
from ..refusal import Refusal
from .base import STATEMENT_SECONDS, Parameter, ServerKind, TestStep

if TYPE_CHECKING:
    from ..engine import ConnectionSpec

CONNECT_SECONDS = 8
LOCK_SECONDS = 6
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

    # -- the test ------------------------------------------------------------------------------------

    def test_steps(self) -> tuple[tuple[str, TestStep], ...]:
        return (
            ("Name resolved", self._name_resolved),
            ("Port open", self._port_open),
            ("Encryption", self._encryption),
            ("Signed in", self._signed_in),
            ("Database found", self._database_found),
            ("Tables listed", self._tables_listed),
            ("May write", self._may_write),
        )

    def _name_resolved(self, spec: ConnectionSpec) -> str:
        if missing := self.missing():
            raise Problem("This kind of server can't be reached yet.", missing, code="driver")
        try:
            found = socket.getaddrinfo(spec["host"].strip(), self.port_of(spec), type=socket.SOCK_STREAM)
        except (OSError, UnicodeError) as error:
            hint = "Check the host for typing errors; try the server's numeric address."
            raise Problem(f"No machine is known as “{spec['host']}”.", hint, str(error), "missing") from None
        return ", ".join(dict.fromkeys(str(one[4][0]) for one in found))

    def _dial(self, spec: ConnectionSpec) -> socket.socket:
        check_server(spec["host"], self.port_of(spec))
        return socket.create_connection((spec["host"].strip(), self.port_of(spec)), CONNECT_SECONDS)

    def _port_open(self, spec: ConnectionSpec) -> str:
        port = self.port_of(spec)
        try:
            self._dial(spec).close()
        except TimeoutError as error:
            hint = "A firewall may be in between, or the machine is off."
            raise Problem(f"Port {port} of {spec['host']} does not answer.", hint, str(error), "away") from None
        except OSError as error:
            hint = "Check the port, that the server runs, and that it listens on the network and not only locally."
            words = error.strerror or str(error)
            raise Problem(f"Nothing listens on port {port} of {spec['host']}.", hint, words, "away") from None
        return str(port)

    def _encryption(self, spec: ConnectionSpec) -> str:
        wanted = spec["tls"] or "prefer"
        if wanted == "off":
            return "Not wanted"
        with self._dial(spec) as dialled:
            dialled.settimeout(CONNECT_SECONDS)
            try:
                encrypts = self.offers_tls(dialled)
            except (OSError, IndexError) as error:
                what = f"What listens there does not answer as {self.label} does."
                raise Problem(what, "Check the port and the kind of server.", str(error), "away") from None
            if not encrypts:
                if wanted == "prefer":
                    return "The server offers none; the connection is not encrypted"
                hint = "Switch encryption on at the server, or choose “Encrypt when the server can”."
                raise Problem("The server does not encrypt connections.", hint, code="tls")
            context = ssl.create_default_context()
            if wanted == "verify":
                self._trust(context, spec)
            else:
                context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
            try:
                with context.wrap_socket(dialled, server_hostname=spec["host"].strip()) as secured:
                    return str(secured.version()) + (", certificate checked" if wanted == "verify" else "")
            except ssl.SSLCertVerificationError as error:
                hint = "Give the file of the authority that signed it, or the host by the name in the certificate."
                raise Problem("The server's certificate can't be trusted.", hint, error.verify_message, "tls") from None
            except OSError as error:
                raise Problem("The encrypted connection broke off.", "Ask who runs the server.", str(error)) from None

    def _trust(self, context: ssl.SSLContext, spec: ConnectionSpec) -> None:
        if not spec["ca"]:
            return
        try:
            context.load_verify_locations(checked_file(spec["ca"])[0])
        except (Problem, OSError, ssl.SSLError) as error:
            hint = "Give the path of a PEM file on the machine that runs Enlace."
            raise Problem("The certificate file can't be used.", hint, str(error), "tls") from None

    def offers_tls(self, dialled: socket.socket) -> bool:
        """Whether the server at the other end encrypts; leaves the socket ready for the TLS handshake."""
        raise NotImplementedError

    def _signed_in(self, spec: ConnectionSpec) -> str:
        try:
            self._ask(spec, "SELECT 1")
        except Problem as problem:
            if problem.code != "no database":
                raise
            return spec["user"]
        beyond = self.needless_rights(spec)
        return f"{spec['user']}; it may do more than Enlace needs: {beyond}" if beyond else spec["user"]

    def needless_rights(self, spec: ConnectionSpec) -> str:
        """Rights of the one who signed in that no form needs and that somebody could misuse, in words; "" for none."""
        return ""

    def _database_found(self, spec: ConnectionSpec) -> str:
        return str(self._ask(spec, self.version_sql))

    version_sql: str

    def _tables_listed(self, spec: ConnectionSpec) -> str:
        from ..catalog import Catalog

        catalog = Catalog.of(spec)
        count = len(catalog.tables) + len(catalog.views)
        return f"{count} tables and views" if count != 1 else "1 table or view"

    def _may_write(self, spec: ConnectionSpec) -> str:
        raise NotImplementedError

    def _ask(self, spec: ConnectionSpec, sql: str) -> Any:
        from ..engine import reading

        with reading(spec) as connection:
            return connection.execute(text(sql)).scalar()

    def quick(self, spec: ConnectionSpec, sql: str) -> Hashable:
        """One value asked outside any transaction, None when the server is away."""
        from sqlalchemy.exc import SQLAlchemyError

        from ..engine import driver_error, engine_for

        engine = engine_for(spec)
        try:
            with engine.connect() as connection:
                found = connection.execution_options(isolation_level="AUTOCOMMIT").execute(text(sql)).first()
                return tuple(found) if found else None
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
