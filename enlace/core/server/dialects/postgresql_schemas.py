"""The schemas of PostgreSQL that tables are looked for in: its documentation, "The Schema Search Path" (5.9.3)."""

from __future__ import annotations

import re

from sqlalchemy import text
from sqlalchemy.engine import Connection

from ...listed import names_of

TABLES, VIEWS = "rp", "vm"


def schemas_of(given: str) -> list[str]:
    """The names of a list such as `sales, "Old, sales"`: as they are written, capitals too."""
    return list(dict.fromkeys(names_of(given)))


def search_path(given: str) -> str:
    """The same as a value of the setting `search_path`, as it stands among the options of a connection (libpq, `options`)."""
    several = ",".join('"' + name.replace('"', '""') + '"' for name in schemas_of(given))
    return re.sub(r"([\\\s])", r"\\\1", several)


def names_in_sight(connection: Connection, kinds: str) -> list[str]:
    """Tables or views (`TABLES`, `VIEWS`) that are known without naming a schema; of several with one name the first."""
    return [str(name) for name in connection.execute(text(_IN_SIGHT), {"kinds": list(kinds)}).scalars()]


def out_of_sight(connection: Connection) -> dict[str, int]:
    """How many tables and views each schema has that the connection does not reach by their names alone, where any."""
    return {str(name): int(count) for name, count in connection.execute(text(_OUT_OF_SIGHT))}


_OWN = """c.relnamespace NOT IN ('pg_catalog'::regnamespace, 'information_schema'::regnamespace) AND c.relpersistence <> 't'"""
_IN_SIGHT = f"""
SELECT c.relname FROM pg_class c WHERE c.relkind::text = ANY (:kinds) AND pg_table_is_visible(c.oid) AND {_OWN}
"""
_OUT_OF_SIGHT = f"""
SELECT n.nspname, count(*) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind IN ('r', 'p', 'v', 'm') AND {_OWN} AND n.nspname NOT LIKE 'pg\\_%' AND NOT pg_table_is_visible(c.oid)
    AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')
GROUP BY n.nspname ORDER BY n.nspname
"""
