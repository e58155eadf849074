"""Oracle, through oracledb."""

from __future__ import annotations

import socket
from typing import TYPE_CHECKING

from sqlalchemy import URL

from .reflected import ReflectedServer

if TYPE_CHECKING:
    from ..engine import ConnectionSpec


class Oracle(ReflectedServer):
    name = "oracle"
    label = "Oracle"
    port = 1521
    nulls_first = False
    driver = "oracledb"
    scheme = "oracle+oracledb"
    version_sql = "SELECT banner FROM v$version WHERE rownum = 1"
    # Oracle, "Database Error Messages".
    codes = {
        1400: "not null", 1407: "not null", 1: "unique", 2290: "check", 2291: "reference", 2292: "reference",
        12899: "long", 1438: "range", 1722: "type", 60: "deadlock", 54: "locked", 8177: "serialization",
        1017: "sign-in", 12514: "no database", 1031: "denied", 942: "table gone", 904: "table gone",
    }  # fmt: skip

    def url(self, spec: ConnectionSpec) -> URL:
        place = (spec["user"], spec.secret or None, spec["host"], self.port_of(spec))
        return URL.create(self.scheme, *place, None, {"service_name": spec["database"]})

    def number_of(self, error: BaseException | None) -> int:
        first = next(iter(getattr(error, "args", ())), None)
        return int(getattr(first, "code", 0) or 0)

    def offers_tls(self, dialled: socket.socket) -> bool:
        return False  # settled inside the server's own protocol, by the driver
