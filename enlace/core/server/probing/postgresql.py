"""What testing PostgreSQL asks for."""

from __future__ import annotations

import socket
import struct

from sqlalchemy import text

from ...model.connection import ConnectionSpec
from ...near import closest
from ...problem import Problem
from ..dialects.postgresql_schemas import schemas_of
from ..engine import reading
from ..refusal import Refusal
from .network import NetworkProbe

SSL_REQUEST = struct.pack("!ii", 8, 80877103)  # PostgreSQL, "Message Formats": SSLRequest


class PostgreSQLProbe(NetworkProbe):
    version_sql = "SELECT 'PostgreSQL ' || current_setting('server_version')"

    def offers_tls(self, dialled: socket.socket) -> bool:
        dialled.sendall(SSL_REQUEST)
        return dialled.recv(1) == b"S"

    def needless_rights(self, spec: ConnectionSpec) -> str:
        rights = self._ask(
            spec,
            "SELECT concat_ws(', ', CASE WHEN rolsuper THEN 'superuser' END, CASE WHEN rolcreaterole THEN 'makes roles' END,"
            " CASE WHEN rolreplication THEN 'replication' END, CASE WHEN rolbypassrls THEN 'passes row security' END,"
            " CASE WHEN NOT rolsuper AND pg_has_role('pg_read_server_files', 'MEMBER') THEN 'reads files' END,"
            " CASE WHEN NOT rolsuper AND pg_has_role('pg_execute_server_program', 'MEMBER') THEN 'runs programs' END)"
            " FROM pg_roles WHERE rolname = current_user",
        )
        return str(rights or "")

    def _tables_listed(self, spec: ConnectionSpec) -> str:
        with reading(spec) as connection:
            known = [str(name) for name in connection.execute(text("SELECT nspname FROM pg_namespace")).scalars()]
        for name in schemas_of(spec["schema"]):
            if name not in ("$user", *known):
                near = closest(name, known)
                hint = f"The closest name is “{near}”; capitals count." if near else "Check the name; capitals count."
                raise Problem(f"There is no schema “{name}” in this database.", hint, code="missing")
        return super()._tables_listed(spec)

    def _may_write(self, spec: ConnectionSpec) -> str:
        away = self._ask(spec, "SELECT pg_is_in_recovery() OR current_setting('default_transaction_read_only') = 'on'")
        if away:
            raise Problem(*self.kind.sentence(Refusal("read-only", "")), code="read-only")
        count = self._ask(
            spec,
            "SELECT count(*) FROM pg_class WHERE relkind IN ('r', 'p') AND pg_table_is_visible(oid) "
            "AND relnamespace NOT IN ('pg_catalog'::regnamespace, 'information_schema'::regnamespace) "
            "AND has_table_privilege(oid, 'INSERT, UPDATE, DELETE')",
        )
        if not count:
            raise Problem(*self.kind.sentence(Refusal("denied", "")), code="denied")
        return f"Yes, in {count} tables" if count != 1 else "Yes, in 1 table"
