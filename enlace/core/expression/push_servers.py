"""What differs in the SQL of the servers, as texts: each argument is SQL already."""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp


class Server:
    """SQL as PostgreSQL has it; the others change what they have otherwise."""

    name = "postgresql"
    dialect = "postgres"
    same = "IS NOT DISTINCT FROM"
    today = "CURRENT_DATE"
    now = "CAST(CURRENT_TIMESTAMP(0) AS TIMESTAMP)"
    extremes = {"greatest": "GREATEST", "least": "LEAST"}
    types = {
        "decimal": "NUMERIC",
        "whole": "NUMERIC",
        "text": "TEXT",
        "yesno": "BOOLEAN",
        "date": "DATE",
        "datetime": "TIMESTAMP",
        "time": "TIME",
        "bytes": "BYTEA",
    }

    def out(self, sql: str, kind: str) -> str:
        """A result as Enlace's field kinds read it."""
        if kind == "whole":
            wide = f"CAST({sql} AS NUMERIC)"
            return f"(CASE WHEN ABS({wide}) < 9223372036854775807 THEN CAST({sql} AS BIGINT) END)"
        return self.null("text") if kind == "null" else sql

    def leaf(self, sql: str, kind: str) -> str:
        """A column, so that its values compare as what they stand for."""
        return sql

    def quoted(self, text: str) -> str:
        return exp.Literal.string(text).sql(dialect=self.dialect)

    def literal(self, number: str) -> str:
        return number

    def boolean(self, value: bool) -> str:
        return "TRUE" if value else "FALSE"

    def null(self, kind: str) -> str:
        return f"CAST(NULL AS {self.types[kind]})"

    def truth(self, sql: str) -> str:
        return sql

    def wide(self, sql: str, kind: str) -> str:
        """A number that arithmetic does not overflow."""
        return f"CAST({sql} AS NUMERIC)"

    def as_whole(self, sql: str) -> str:
        return f"CAST({sql} AS INTEGER)"

    def as_text(self, sql: str, kind: str) -> str:
        return f"CAST({sql} AS TEXT)"

    def number(self, text: str) -> str:
        """A text as a number; NULL where it is none."""
        plain = r"'^\s*[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,2})?\s*$'"
        return f"(CASE WHEN {text} ~ {plain} THEN CAST(TRIM({text}) AS NUMERIC) END)"

    def binary(self, text: str) -> str:
        """A text that compares by its code points."""
        return f'{text} COLLATE "C"'

    def arithmetic(self, left: str, sign: str, right: str, kind: str) -> str:
        if sign in "/%":
            right = f"NULLIF({right}, 0)"
        if sign == "/" and kind == "whole":
            return f"DIV({left}, {right})"
        return f"({left} {sign} {right})"

    def rounded(self, sql: str, places: str) -> str:
        return f"ROUND({sql}, {places})"

    def floor(self, sql: str) -> str:
        return f"FLOOR({sql})"

    def ceiling(self, sql: str) -> str:
        return f"CEILING({sql})"

    def like(self, text: str, pattern: str, escape: str) -> str:
        return f"({text} ILIKE {pattern} ESCAPE {escape or chr(39) * 2})"

    def length(self, text: str) -> str:
        return f"LENGTH({text})"

    def byte_length(self, text: str) -> str:
        return f"OCTET_LENGTH({text})"

    def substring(self, text: str, start: str, length: str = "") -> str:
        if not length:
            return f"SUBSTRING({text} FROM {start})"
        safe = f"(CASE WHEN {length} >= 0 THEN {length} END)"
        return f"SUBSTRING({text} FROM {start} FOR {safe})"

    def left(self, text: str, count: str) -> str:
        return f"LEFT({text}, GREATEST({count}, 0))"

    def right(self, text: str, count: str) -> str:
        return f"RIGHT({text}, GREATEST({count}, 0))"

    def position(self, text: str, part: str) -> str:
        return f"POSITION({part} IN {text})"

    def replaced(self, text: str, old: str, new: str) -> str:
        return f"REPLACE({text}, {old}, {new})"

    def joined(self, parts: Sequence[str]) -> str:
        return "(" + " || ".join(parts) + ")"

    def moment(self, sql: str, kind: str) -> str:
        """A date, datetime or ISO text as one of the two."""
        return f"CAST({sql} AS {self.types[kind]})"

    def moved(self, moment: str, kind: str, sign: str, count: str, unit: str) -> str:
        return f"CAST(({moment} {sign} {count} * INTERVAL '1 {unit}') AS {self.types[kind]})"

    def difference(self, a: str, b: str, kind: str) -> str:
        if kind == "date":
            return f"({a} - {b})"
        return f"(CAST(EXTRACT(EPOCH FROM ({a} - {b})) AS NUMERIC) / 86400)"

    def extracted(self, moment: str, unit: str) -> str:
        # What never ends has no year: infinity is no whole number.
        part = f"NULLIF(NULLIF(FLOOR(EXTRACT({unit} FROM {moment})), 'Infinity'), '-Infinity')"
        return f"CAST({part} AS INTEGER)"


class MariaDB(Server):
    name = "mariadb"
    dialect = "mysql"
    same = "<=>"
    now = "CURRENT_TIMESTAMP()"
    types = {
        "decimal": "DECIMAL(60,18)",
        "whole": "SIGNED",
        "text": "CHAR",
        "yesno": "SIGNED",
        "date": "DATE",
        "datetime": "DATETIME(6)",
        "time": "TIME(6)",
        "bytes": "BINARY",
    }

    def out(self, sql: str, kind: str) -> str:
        if kind == "whole":
            return f"CAST(CASE WHEN ABS({sql}) < 9223372036854775807 THEN {sql} END AS SIGNED)"
        return self.null("text") if kind == "null" else sql

    def literal(self, number: str) -> str:
        # 1e3 would be a binary fraction, and everything that it meets.
        return f"CAST({number} AS DECIMAL(60,18))" if "e" in number.lower() else number

    def wide(self, sql: str, kind: str) -> str:
        return f"CAST({sql} AS DECIMAL(40,0))" if kind == "whole" else f"CAST({sql} AS DECIMAL(60,18))"

    def as_whole(self, sql: str) -> str:
        return f"CAST({sql} AS SIGNED)"

    def as_text(self, sql: str, kind: str) -> str:
        return f"CAST({sql} AS CHAR)"

    def number(self, text: str) -> str:
        plain = r"'^[[:space:]]*[+-]?([0-9]+[.]?[0-9]*|[.][0-9]+)([eE][+-]?[0-9]{1,2})?[[:space:]]*$'"
        return f"(CASE WHEN {text} REGEXP {plain} THEN CAST({text} AS DECIMAL(60,18)) END)"

    def binary(self, text: str) -> str:
        return f"CONVERT({text} USING utf8mb4) COLLATE utf8mb4_nopad_bin"

    def arithmetic(self, left: str, sign: str, right: str, kind: str) -> str:
        if sign == "/" and kind == "whole":
            return f"({left} DIV {right})"
        if sign == "/":
            left = f"CAST({left} AS DECIMAL(60,18))"  # a quotient has four digits more than what is divided
        return f"({left} {sign} {right})"  # a division by zero is NULL here

    def like(self, text: str, pattern: str, escape: str) -> str:
        # An escape sign has to be one; what no pattern holds stands for none.
        sign = escape or "'\x01'"
        return f"(LOWER({self.binary(text)}) LIKE LOWER({pattern}) ESCAPE {sign})"

    def length(self, text: str) -> str:
        return f"CHAR_LENGTH({text})"

    def substring(self, text: str, start: str, length: str = "") -> str:
        # Positions before the first count, which SUBSTRING takes from the end here.
        begin = f"GREATEST({start}, 1)"
        if not length:
            return f"SUBSTRING({text}, {begin})"
        rest = f"GREATEST({start} + {length} - {begin}, 0)"
        return f"(CASE WHEN {length} >= 0 THEN SUBSTRING({text}, {begin}, {rest}) END)"

    def position(self, text: str, part: str) -> str:
        return f"LOCATE({part}, {self.binary(text)})"

    def replaced(self, text: str, old: str, new: str) -> str:
        # A NULL that is not needed is passed over here.
        return f"(CASE WHEN {new} IS NULL THEN NULL ELSE REPLACE({text}, {old}, {new}) END)"

    def joined(self, parts: Sequence[str]) -> str:
        return f"CONCAT({', '.join(parts)})"

    def moved(self, moment: str, kind: str, sign: str, count: str, unit: str) -> str:
        added = "DATE_ADD" if sign == "+" else "DATE_SUB"
        return f"{added}({moment}, INTERVAL ({count}) {unit.upper()})"

    def difference(self, a: str, b: str, kind: str) -> str:
        if kind == "date":
            return f"DATEDIFF({a}, {b})"
        return f"(CAST(TIMESTAMPDIFF(MICROSECOND, {b}, {a}) AS DECIMAL(60,18)) / 86400000000)"

    def extracted(self, moment: str, unit: str) -> str:
        return f"{unit.upper()}({moment})"


class Sqlite(Server):
    """SQLite's own functions differ most; those named enlace_… are given to each connection."""

    name = "sqlite"
    dialect = "sqlite"
    same = "IS"
    today = "date('now', 'localtime')"
    now = "strftime('%Y-%m-%d %H:%M:%f', 'now', 'localtime')"
    extremes = {"greatest": "MAX", "least": "MIN"}

    def byte_length(self, text: str) -> str:
        return f"LENGTH(CAST({text} AS BLOB))"

    def out(self, sql: str, kind: str) -> str:
        return f"datetime({sql})" if kind == "datetime" else sql

    def leaf(self, sql: str, kind: str) -> str:
        return self.moment(sql, kind) if kind == "datetime" else sql  # texts, some with fractions, some with a T

    def null(self, kind: str) -> str:
        return "NULL"

    def wide(self, sql: str, kind: str) -> str:
        return sql

    def number(self, text: str) -> str:
        return f"enlace_number({text})"

    def binary(self, text: str) -> str:
        return f"{text} COLLATE BINARY"

    def arithmetic(self, left: str, sign: str, right: str, kind: str) -> str:
        if sign == "%" and kind != "whole":
            return f"({left} - {right} * CAST({left} * 1.0 / NULLIF({right}, 0) AS INTEGER))"
        if sign == "/" and kind != "whole":
            return f"({left} * 1.0 / NULLIF({right}, 0))"
        return f"({left} {sign} {right})"  # a division by zero is NULL here

    def rounded(self, sql: str, places: str) -> str:
        return f"enlace_round({sql}, {places})"

    def floor(self, sql: str) -> str:
        return f"(CAST({sql} AS INTEGER) - ({sql} < CAST({sql} AS INTEGER)))"

    def ceiling(self, sql: str) -> str:
        return f"(CAST({sql} AS INTEGER) + ({sql} > CAST({sql} AS INTEGER)))"

    def like(self, text: str, pattern: str, escape: str) -> str:
        return f"({text} LIKE {pattern}{f' ESCAPE {escape}' if escape else ''})"

    def substring(self, text: str, start: str, length: str = "") -> str:
        begin = f"MAX({start}, 1)"
        if not length:
            return f"SUBSTR({text}, {begin})"
        rest = f"MAX({start} + {length} - {begin}, 0)"
        return f"(CASE WHEN {length} >= 0 THEN SUBSTR({text}, {begin}, {rest}) END)"

    def left(self, text: str, count: str) -> str:
        return f"SUBSTR({text}, 1, MAX({count}, 0))"

    def right(self, text: str, count: str) -> str:
        return f"SUBSTR({text}, LENGTH({text}) - MIN(MAX({count}, 0), LENGTH({text})) + 1)"

    def position(self, text: str, part: str) -> str:
        return f"INSTR({text}, {part})"

    def moment(self, sql: str, kind: str) -> str:
        return f"date({sql})" if kind == "date" else f"strftime('%Y-%m-%d %H:%M:%f', {sql})"

    def moved(self, moment: str, kind: str, sign: str, count: str, unit: str) -> str:
        shape = "'%Y-%m-%d'" if kind == "date" else "'%Y-%m-%d %H:%M:%f'"
        if unit == "week":
            count, unit = f"({count}) * 7", "day"
        by = f"(({count}) * {-1 if sign == '-' else 1}) || ' {unit}'"
        later = f"strftime({shape}, {moment}, {by})"
        if unit not in ("month", "year"):
            return later
        # 31 January and a month is 3 March to SQLite: then it is the last day of the month before.
        clamped = f"strftime({shape}, {moment}, {by}, '-' || strftime('%d', {later}) || ' day')"
        return f"(CASE WHEN strftime('%d', {later}) = strftime('%d', {moment}) THEN {later} ELSE {clamped} END)"

    def difference(self, a: str, b: str, kind: str) -> str:
        days = f"(julianday({a}) - julianday({b}))"
        return f"CAST(ROUND({days}) AS INTEGER)" if kind == "date" else days

    def extracted(self, moment: str, unit: str) -> str:
        sign = {"year": "Y", "month": "m", "day": "d", "hour": "H", "minute": "M", "second": "S"}[unit]
        return f"CAST(strftime('%{sign}', {moment}) AS INTEGER)"


SERVERS: dict[str, Server] = {"sqlite": Sqlite(), "kept": Sqlite(), "postgresql": Server(), "mariadb": MariaDB()}
