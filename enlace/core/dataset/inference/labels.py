"""Labels from the names of columns and tables."""

from __future__ import annotations

import re

ACRONYMS = {"id", "imo", "iso", "vat", "url", "utc", "eta", "etd", "iban", "uuid", "gt", "teu", "no"}
UNITS = {"m", "km", "kg", "kn", "cm", "mm", "t", "eur", "usd"}


def label_of(name: str) -> str:
    """A column name as a label: `gross_tonnage` → "Gross tonnage", `shipName` → "Ship name", `length_m` → "Length (m)"."""
    words = re.sub(r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])", " ", name)
    parts = [part for part in re.split(r"[\s_\-.]+", words) if part]
    if not parts:
        return name or "(no name)"
    unit = ""
    if len(parts) > 1 and parts[-1].lower() in UNITS:
        last = parts.pop()
        unit = f" ({last.upper() if len(last) == 3 else last.lower()})"
    made = [_word(part, first=i == 0) for i, part in enumerate(parts)]
    return " ".join(made) + unit


def _word(part: str, first: bool) -> str:
    if part.lower() == "no":
        return "No." if first else "no."
    if part.lower() in ACRONYMS or (part.isupper() and 1 < len(part) <= 4):
        return part.upper()
    lower = part if not part.isascii() else part.lower()
    return lower[:1].upper() + lower[1:] if first else lower
