"""SQL Server, through pymssql."""

from __future__ import annotations

from sqlalchemy import ColumnElement, func

from .reflected import ReflectedServer


class SqlServer(ReflectedServer):
    name = "sqlserver"
    label = "SQL Server"
    port = 1433
    driver = "pymssql"
    scheme = "mssql+pymssql"
    # SQL Server, "Database Engine events and errors".
    codes = {
        515: "not null", 2627: "unique", 2601: "unique", 547: "reference", 8152: "long", 2628: "long", 8115: "range",
        220: "range", 245: "type", 1205: "deadlock", 1222: "locked", 3960: "serialization", 18456: "sign-in",
        4060: "no database", 229: "denied", 3906: "read-only", 208: "table gone", 207: "table gone", 50000: "trigger",
    }  # fmt: skip

    def one_in(self, several: int) -> ColumnElement[bool]:
        return func.abs(func.checksum(func.newid())) % several == 0
