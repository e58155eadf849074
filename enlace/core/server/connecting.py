"""A pasted connection URL or `key=value` string, taken apart into a server kind, its parameters and the password.

URLs follow RFC 3986 as the database drivers use it (scheme, user, password, host, port, path); `key=value;` strings
follow ODBC (values in braces or quotes may hold semicolons); `key=value` with blanks between is libpq's form.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import parse_qsl, unquote, urlsplit

from ..problem import Problem

SCHEMES = {
    "postgresql": "postgresql", "postgres": "postgresql", "mysql": "mariadb", "mariadb": "mariadb", "sqlite": "sqlite",
    "mssql": "sqlserver", "sqlserver": "sqlserver", "oracle": "oracle", "file": "sqlite",
}  # fmt: skip
KEYS = {
    "host": "host", "server": "host", "datasource": "host", "address": "host", "addr": "host", "hostname": "host",
    "networkaddress": "host", "hostaddr": "host", "port": "port", "database": "database", "initialcatalog": "database",
    "dbname": "database", "db": "database", "servicename": "database", "dbq": "database", "user": "user",
    "userid": "user", "uid": "user", "username": "user", "password": "secret", "pwd": "secret", "passwd": "secret",
    "sslmode": "tls", "ssl": "tls", "encrypt": "tls", "sslrootcert": "ca", "sslca": "ca", "driver": "driver",
    "provider": "driver", "filename": "path", "path": "path", "currentschema": "schema", "searchpath": "schema",
}  # fmt: skip
TLS = {
    "disable": "off", "disabled": "off", "none": "off", "no": "off", "false": "off", "0": "off", "optional": "prefer",
    "allow": "prefer", "prefer": "prefer", "preferred": "prefer", "require": "require", "required": "require",
    "yes": "require", "true": "require", "1": "require", "mandatory": "require", "verify-ca": "verify",
    "verify-full": "verify", "verifyca": "verify", "verifyfull": "verify", "verify_ca": "verify",
    "verify_identity": "verify", "strict": "verify",
}  # fmt: skip
PORTS = {"5432": "postgresql", "3306": "mariadb", "1433": "sqlserver", "1521": "oracle"}
PAIR = re.compile(
    r"""\s*(?P<key>[A-Za-z][\w .\-]*?)\s*=\s*(?:\{(?P<braced>(?:[^}]|\}\})*)\}|"(?P<double>(?:[^"]|"")*)"|'(?P<single>(?:[^'\\]|\\.|'')*)'|(?P<plain>[^;]*?))\s*(?:;|$)""",
    re.X,
)


@dataclass(frozen=True)
class TakenApart:
    """kind: a server kind's name, "" where the text does not say. parameters: by name. secret: "" for none."""

    kind: str
    parameters: Mapping[str, str]
    secret: str = ""


def take_apart(text: str) -> TakenApart:
    """What a connection URL or string says. Raises Problem when it is neither."""
    text = text.strip().removeprefix("jdbc:")
    if re.match(r"[A-Za-z][\w+.\-]*:(//|/)", text):
        return _url(text)
    if "=" in text:
        return _pairs(text)
    hint = "Paste a URL such as postgresql://user@host:5432/harbour, or pairs such as Server=host;Database=harbour."
    raise Problem("This is neither a connection URL nor a list of key=value pairs.", hint, code="bad")


def _url(text: str) -> TakenApart:
    scheme = text.split(":", 1)[0].lower()
    kind = SCHEMES.get(scheme.split("+")[0])
    if kind is None:
        known = ", ".join(sorted(SCHEMES))
        raise Problem(f"“{scheme}” is no kind of server that Enlace knows.", f"It knows {known}.", code="bad")
    if kind == "sqlite":
        # sqlite:////srv/a.db is an absolute path, sqlite:///a.db one from the working folder.
        path = unquote(re.sub(r"^[^:]*:(//)?", "", text).split("?")[0])
        return TakenApart(kind, {"path": path[1:] if path.startswith("//") or scheme != "file" else path})
    try:
        parts = urlsplit("//" + text.split("//", 1)[-1])
        port = parts.port
    except ValueError as error:
        raise Problem("The URL can't be read.", "Check the port and the brackets.", str(error), "bad") from None
    parameters = {"host": parts.hostname or "", "port": str(port or ""), "database": unquote(parts.path.strip("/"))}
    parameters |= {"user": unquote(parts.username or "")}
    more = _named(parse_qsl(parts.query))
    secret = unquote(parts.password or "") or more.pop("secret", "")
    more.pop("driver", None)
    return TakenApart(kind, {k: v for k, v in {**parameters, **more}.items() if v}, secret)


def _pairs(text: str) -> TakenApart:
    if ";" not in text and len(re.findall(r"\w+\s*=", text)) > 1:
        # libpq's form: blanks between the pairs, single quotes around values with blanks.
        pairs = [(k, _unquoted(v)) for k, v in re.findall(r"(\w+)\s*=\s*('(?:[^'\\]|\\.)*'|\S*)", text)]
        guess = "postgresql"
    else:
        pairs = [(m["key"], _value(m)) for m in PAIR.finditer(text) if m["key"]]
        guess = ""
    parameters = _named(pairs)
    if not parameters:
        raise Problem("None of the keys is known.", "Fill the fields by hand.", code="bad")
    secret, driver = parameters.pop("secret", ""), parameters.pop("driver", "").lower()
    host = parameters.get("host", "").removeprefix("tcp:")
    if "," in host:  # host,port as ODBC writes it
        host, _, parameters["port"] = (part.strip() for part in host.partition(","))
    if host:
        parameters["host"] = host
    named = {"postgres": "postgresql", "psql": "postgresql", "maria": "mariadb", "mysql": "mariadb", "sqlite": "sqlite",
             "sql server": "sqlserver", "sqloledb": "sqlserver", "msoledb": "sqlserver", "oracle": "oracle"}  # fmt: skip
    kind = next((kind for part, kind in named.items() if part in driver), "") or PORTS.get(
        parameters.get("port", ""), guess
    )
    if kind == "sqlite":
        parameters = {"path": parameters.get("path") or parameters.get("database") or parameters.get("host", "")}
    return TakenApart(kind, parameters, secret)


def _unquoted(value: str) -> str:
    return re.sub(r"\\(.)", r"\1", value[1:-1]) if value[:1] == "'" else value


def _value(match: re.Match[str]) -> str:
    if match["braced"] is not None:
        return match["braced"].replace("}}", "}")
    if match["double"] is not None:
        return match["double"].replace('""', '"')
    if match["single"] is not None:
        return match["single"].replace("''", "'")
    return match["plain"]


def _named(pairs: list[tuple[str, str]]) -> dict[str, str]:
    parameters: dict[str, str] = {}
    for key, value in pairs:
        name = KEYS.get(re.sub(r"[\s_\-]", "", key).lower())
        if name == "tls":
            parameters[name] = TLS.get(value.strip().lower(), "prefer")
        elif name:
            parameters.setdefault(name, value.strip() if name != "secret" else value)
    return parameters
