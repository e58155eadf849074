"""Oracle, through oracledb."""

from __future__ import annotations

from sqlalchemy import URL, ColumnElement, func

from ...model.connection import ConnectionSpec
from .reflected import ReflectedServer


class Oracle(ReflectedServer):
    name = "oracle"
    label = "Oracle"
    port = 1521
    nulls_first = False
    driver = "oracledb"
    scheme = "oracle+oracledb"
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

    def one_in(self, several: int) -> ColumnElement[bool]:
        return func.dbms_random.value() < 1 / several
