"""Labels from the names of columns and tables."""

from __future__ import annotations

import re
from collections.abc import Collection

from .words import NAME, SHORTEST_WORD

# Written in capitals wherever they stand. From memory: identifiers, standards and formats that many programs name so.
ACRONYMS = frozenset(
    [
        "id",
        "imo",
        "iso",
        "vat",
        "url",
        "uri",
        "utc",
        "eta",
        "etd",
        "iban",
        "bic",
        "uuid",
        "guid",
        "gid",
        "mbid",
        "gt",
        "teu",
        "html",
        "xml",
        "json",
        "csv",
        "pdf",
        "sql",
        "http",
        "https",
        "ftp",
        "ip",
        "mac",
        "dns",
        "smtp",
        "api",
        "ssl",
        "tls",
        "isbn",
        "issn",
        "isrc",
        "iswc",
        "ipi",
        "isni",
        "upc",
        "ean",
        "gtin",
        "sku",
        "gps",
        "gmt",
        "pin",
        "sms",
        "usb",
        "cpu",
        "gpu",
        "ram",
        "os",
        "ui",
        "cv",
        "faq",
        "rss",
        "sso",
        "bpm",
        "dvd",
        "cd",
        "tv",
        "nif",
        "nib",
        "eur",
        "usd",
        "gbp",
    ]
)
PLURALS = re.compile(r"(ids|urls|uris|uuids|guids|isbns|skus|upcs|apis|ips)", re.I)
UNITS = {"m", "km", "kg", "kn", "cm", "mm", "t", "eur", "usd"}
# Endings that say how a column refers, not to what: a list shows what is behind them.
_ENDINGS = ["id", "guid", "uuid", "gid", "key", "fk", "ref", "code", "ptr", "pk", "num", "no", "nr"]
REFERRING = re.compile(
    rf"(?i:[_ .-](?:{'|'.join(_ENDINGS)}))$|(?<=[a-z0-9])(?:{'|'.join(name.capitalize() for name in _ENDINGS)}|ID|GUID|UUID)$"
)
# Words that are written as one although their halves are words too.
WHOLE = frozenset(
    [
        "password",
        "username",
        "filename",
        "pathname",
        "hostname",
        "nickname",
        "surname",
        "forename",
        "codename",
        "website",
        "webpage",
        "homepage",
        "database",
        "dataset",
        "timestamp",
        "timezone",
        "keyword",
        "deadline",
        "headline",
        "outline",
        "online",
        "offline",
        "postcode",
        "barcode",
        "workflow",
        "overview",
        "download",
        "upload",
        "household",
        "warehouse",
        "shipyard",
        "dockyard",
        "waterway",
        "seaport",
        "airport",
        "passport",
        "someone",
        "somebody",
        "anyone",
        "everyone",
    ]
)


def label_of(name: str, words: Collection[str] = ()) -> str:
    """A column name as a label: `gross_tonnage` → "Gross tonnage", `shipName` → "Ship name", `length_m` → "Length (m)".

    words: those that the schema has elsewhere: `stoptime` → "Stop time" where it has `stop_name` and `time_zone`.
    """
    parts = [part for part in re.split(r"[\s_\-.]+", NAME.sub(" ", name)) if part]
    if not parts:
        return name or "(no name)"
    unit = ""
    if len(parts) > 1 and parts[-1].lower() in UNITS:
        last = parts.pop()
        unit = f" ({last.upper() if len(last) == 3 else last.lower()})"
    apart = [name for part in parts for name in taken_apart(part, words)]
    made = [_word(part, first=i == 0) for i, part in enumerate(apart)]
    return " ".join(made) + unit


def list_label(field: str, target: str, words: Collection[str] = ()) -> str:
    """The label of a field with a list: what it leads to, without the ending that says how. `currency_code` → "Currency".

    target: the table of the list, for a name that is nothing but an ending.
    """
    short = field
    while (shorter := REFERRING.sub("", short)) and shorter != short:
        short = shorter
    return label_of(target if len(short) < 2 or short.lower() in _ENDINGS else short, words)


def taken_apart(part: str, words: Collection[str]) -> list[str]:
    """A word, or the two that run together in it, where the schema shows both elsewhere."""
    lower = part.lower()
    if lower in words or lower in WHOLE or not part.isalpha():
        return [part]
    for at in range(SHORTEST_WORD, len(part) - SHORTEST_WORD + 1):
        if lower[:at] in words and lower[at:] in words:
            return [part[:at], part[at:]]
    return [part]


def _word(part: str, first: bool) -> str:
    if part.lower() == "no":
        return "No." if first else "no."
    if PLURALS.fullmatch(part):
        return part[:-1].upper() + "s"
    if part.lower() in ACRONYMS or (part.isupper() and 1 < len(part) <= 4):
        return part.upper()
    lower = part if not part.isascii() else part.lower()
    return lower[:1].upper() + lower[1:] if first else lower
