"""The steps of testing a server on a network, from its name to the right to write."""

from __future__ import annotations

import socket
import ssl
from typing import Any

from sqlalchemy import text

from ...model.connection import ConnectionSpec
from ...problem import Problem
from ..catalog import Catalog
from ..dialects.network import NetworkServer
from ..engine import reading
from ..limits import CONNECT_SECONDS
from ..places import check_server
from .step import Steps


class NetworkProbe:
    """The steps for a kind of server. Subclasses say what differs."""

    def __init__(self, kind: NetworkServer) -> None:
        self.kind = kind

    def steps(self) -> Steps:
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
        # Told first, in place of an error of a driver that is not there.
        if missing := self.kind.missing():
            raise Problem("This kind of server can't be reached yet.", missing, code="driver")
        try:
            addresses = socket.getaddrinfo(spec["host"].strip(), self.kind.port_of(spec), type=socket.SOCK_STREAM)
        except (OSError, UnicodeError) as error:
            hint = "Check the host for typing errors; try the server's numeric address."
            raise Problem(f"No machine is known as “{spec['host']}”.", hint, str(error), "missing") from None
        return ", ".join(dict.fromkeys(str(address[4][0]) for address in addresses))

    def _dial(self, spec: ConnectionSpec) -> socket.socket:
        check_server(spec["host"], self.kind.port_of(spec))
        return socket.create_connection((spec["host"].strip(), self.kind.port_of(spec)), CONNECT_SECONDS)

    def _port_open(self, spec: ConnectionSpec) -> str:
        port = self.kind.port_of(spec)
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
                what = f"What listens there does not answer as {self.kind.label} does."
                raise Problem(what, "Check the port and the kind of server.", str(error), "away") from None
            if not encrypts:
                if wanted == "prefer":
                    return "The server offers none; the connection is not encrypted"
                hint = "Switch encryption on at the server, or choose “Encrypt when the server can”."
                raise Problem("The server does not encrypt connections.", hint, code="tls")
            context = ssl.create_default_context()
            if wanted == "verify":
                self.kind.trust(context, spec)
            else:
                # Encrypted against those who listen; who answers is checked only where a builder asks for it.
                context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
            try:
                with context.wrap_socket(dialled, server_hostname=spec["host"].strip()) as secured:
                    return str(secured.version()) + (", certificate checked" if wanted == "verify" else "")
            except ssl.SSLCertVerificationError as error:
                hint = "Give the file of the authority that signed it, or the host by the name in the certificate."
                raise Problem("The server's certificate can't be trusted.", hint, error.verify_message, "tls") from None
            except OSError as error:
                raise Problem("The encrypted connection broke off.", "Ask who runs the server.", str(error)) from None

    def offers_tls(self, dialled: socket.socket) -> bool:
        """Whether the server at the other end encrypts; leaves the socket ready for the TLS handshake."""
        raise NotImplementedError

    def _signed_in(self, spec: ConnectionSpec) -> str:
        try:
            self._ask(spec, "SELECT 1")
        except Problem as problem:
            # Signed in all the same: the next step tells that the database is not there.
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
        catalog = Catalog.of(spec)
        count, beyond = len(catalog.tables) + len(catalog.views), catalog.out_of_sight()
        if beyond and not count:
            hint = f"There are {beyond}: change the connection, and name them under Schemas."
            raise Problem("No table is in sight.", hint, code="missing")
        told = f"{count} tables and views" if count != 1 else "1 table or view"
        return f"{told}; out of sight {beyond}" if beyond else told

    def _may_write(self, spec: ConnectionSpec) -> str:
        raise NotImplementedError

    def _ask(self, spec: ConnectionSpec, sql: str) -> Any:
        with reading(spec) as connection:
            return connection.execute(text(sql)).scalar()
