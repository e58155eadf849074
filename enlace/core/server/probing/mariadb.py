"""What testing MariaDB or MySQL asks for."""

from __future__ import annotations

import socket

from sqlalchemy import text

from ...model.connection import ConnectionSpec
from ...problem import Problem
from ..engine import reading
from ..refusal import Refusal
from .network import NetworkProbe

CLIENT_SSL = 0x800  # a capability flag of the first packet (MariaDB, "Connection", initial handshake)


class MariaDBProbe(NetworkProbe):
    version_sql = "SELECT version()"

    def offers_tls(self, dialled: socket.socket) -> bool:
        packet = b""
        while len(packet) < 5 or len(packet) < 4 + int.from_bytes(packet[:3], "little"):
            part = dialled.recv(4096)
            if not part:
                return False
            packet += part
        body = packet[4:]
        # protocol version, server version up to a zero byte, connection id, 8 bytes of salt, a zero byte, flags
        at = body.find(b"\0", 1) + 1 + 4 + 8 + 1
        if body[:1] == b"\xff" or len(body) < at + 2 or not int.from_bytes(body[at : at + 2], "little") & CLIENT_SSL:
            return False
        # The client asks for TLS with a short packet: flags, greatest packet, character set, 23 zero bytes.
        flags = CLIENT_SSL | 0x200 | 0x8000
        asked = flags.to_bytes(4, "little") + (2**24).to_bytes(4, "little") + b"\x2d" + b"\0" * 23
        dialled.sendall(len(asked).to_bytes(3, "little") + b"\x01" + asked)
        return True

    def _may_write(self, spec: ConnectionSpec) -> str:
        if self._ask(spec, "SELECT @@global.read_only"):
            raise Problem(*self.kind.sentence(Refusal("read-only", "")), code="read-only")
        wanted = "privilege_type IN ('INSERT', 'UPDATE', 'DELETE')"
        everywhere = self._ask(spec, f"SELECT count(*) FROM information_schema.user_privileges WHERE {wanted}")
        here = self._ask(
            spec,
            "SELECT (SELECT count(*) FROM information_schema.schema_privileges "
            f"WHERE {wanted} AND database() LIKE table_schema) + "
            f"(SELECT count(*) FROM information_schema.table_privileges WHERE {wanted} AND table_schema = database())",
        )
        if not everywhere and not here:
            raise Problem(*self.kind.sentence(Refusal("denied", "")), code="denied")
        return "Yes"

    def needless_rights(self, spec: ConnectionSpec) -> str:
        with reading(spec) as connection:
            grants = " ".join(str(row[0]) for row in connection.execute(text("SHOW GRANTS"))).upper()
        # Rights on the one database are what Enlace is there for; those on all of them are not.
        everywhere = [text.split(" ON *.*")[0] for text in grants.split("GRANT ")[1:] if " ON *.*" in text]
        rights = {right.strip() for text in everywhere for right in text.split(",")}
        worst = {"ALL PRIVILEGES": "everything on every database", "FILE": "files", "SUPER": "superuser",
                 "PROCESS": "other sessions", "CREATE USER": "makes users", "GRANT OPTION": "hands on rights"}  # fmt: skip
        return ", ".join(words for right, words in worst.items() if right in rights)
