"""What is known of some texts: pictures and patterns that they fit, check digits that they carry."""

from __future__ import annotations

import importlib
import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any
from urllib.parse import urlsplit

from ..linear import BadPattern, compiled, fits
from ..words import within_sentence

MOST = 2_000  # characters of a text that a pattern is tried on
# "Valid e-mail address" of the HTML standard (WHATWG), section "E-mail state".
EMAIL = re.compile(
    r"[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?"
    r"(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*"
)
# ITU-T E.164: at most 15 digits; people write blanks, hyphens, points and brackets between them.
TELEPHONE = re.compile(r"\+?[\d ().\-/]+")
ANY = {"9": "[0-9]", "A": r"[^\W\d_]", "X": r"[\s\S]"}
WORDS = {"9": "a digit", "A": "a letter", "X": "any character"}


def _email(text: str) -> bool:
    return bool(EMAIL.fullmatch(text))


def _web(text: str) -> bool:
    try:
        parts = urlsplit(text)
    except ValueError:
        return False
    return parts.scheme in ("http", "https") and bool(parts.hostname) and not re.search(r"\s", text)


def _telephone(text: str) -> bool:
    return bool(TELEPHONE.fullmatch(text)) and 3 <= sum(c.isdigit() for c in text) <= 15


def _by_standard(module: str) -> Callable[[str], bool]:
    def check(text: str) -> bool:
        return bool(importlib.import_module(f"stdnum.{module}").is_valid(text))

    return check


# name: (label, check, an example that is right)
KNOWN: dict[str, tuple[str, Callable[[str], bool], str]] = {
    "email": ("E-mail address", _email, "office@porto-salgueiro.example"),
    "web": ("Web address", _web, "https://porto-salgueiro.example/"),
    "telephone": ("Telephone number", _telephone, "+351 200 000 000"),
    "imo": ("IMO ship number", _by_standard("imo"), "9074729"),
    "container": ("Container number (ISO 6346)", _by_standard("iso6346"), "CSQU3054383"),
    "isbn": ("ISBN", _by_standard("isbn"), "978-0-306-40615-7"),
    "ean": ("EAN or GTIN", _by_standard("ean"), "4006381333931"),
    "iban": ("IBAN", _by_standard("iban"), "GB82 WEST 1234 5698 7654 32"),
    "bic": ("BIC", _by_standard("bic"), "AGRIFRPP882"),
    "vat": ("VAT number of the EU", _by_standard("eu.vat"), "PT501964843"),
    "luhn": ("Number with a Luhn check digit", _by_standard("luhn"), "79927398713"),
}


def told_by_knowledge(name: str, text: str) -> str:
    """What is wrong with a text that should be of a known kind; "" when nothing is, or the kind is none."""
    known = KNOWN.get(name)
    if known is None or known[1](text.strip()):
        return ""
    return f"This is not a valid {within_sentence(known[0])}. It looks like {known[2]}."


class BadPicture(ValueError):
    """A picture that can't be used; its message is a sentence."""


@lru_cache(maxsize=256)
def picture_of(picture: str) -> tuple[tuple[str, bool], ...]:
    """The places of an input picture: (symbol or literal character, whether it is a literal).

    As in a PICTURE of COBOL (ISO/IEC 1989): 9 is a digit, A a letter, X any character, a number in brackets repeats the
    symbol before it. All else stands for itself, and so does what is in quotes. Raises BadPicture.
    """
    places: list[tuple[str, bool]] = []
    for quoted, symbol, times, other in re.findall(r'"([^"]*)"|([9AX])(?:\((\d{1,3})\))?|([\s\S])', picture):
        if quoted:
            places += [(item, True) for item in quoted]
        elif symbol:
            places += [(symbol, False)] * (int(times) if times else 1)
        elif other:
            places.append((other, True))
    if not any(not literal for _, literal in places):
        raise BadPicture("A picture needs at least one 9, A or X, such as AA-9(4).")
    if len(places) > 200:
        raise BadPicture("A picture has at most 200 places.")
    return tuple(places)


def fitted(picture: str, text: str) -> str | None:
    """A text as a picture has it, literals put in where only they are missing; None when it does not fit."""
    try:
        places = picture_of(picture)
    except BadPicture:
        return text
    whole = "".join(re.escape(name) if literal else ANY[name] for name, literal in places)
    if re.fullmatch(whole, text):
        return text
    bare = "".join(f"({ANY[name]})" for name, literal in places if not literal)
    match = re.fullmatch(bare, text)
    if not match:
        return None
    typed = iter(match.groups())
    return "".join(name if literal else next(typed) for name, literal in places)


def told_by_picture(picture: str) -> str:
    """What a picture asks for, in words."""
    symbols = dict.fromkeys(name for name, literal in picture_of(picture) if not literal)
    words = ", ".join(f"{symbol} is {WORDS[symbol]}" for symbol in symbols)
    return f"This does not fit {picture}, where {words}."


def pattern_fault(pattern: str) -> str:
    """Why a pattern can't be used; "" when it can."""
    try:
        compiled(pattern)
    except BadPattern as error:
        return str(error)
    return ""


def _fits(pattern: str, text: str) -> bool:
    try:
        return fits(pattern, text)
    except BadPattern:
        return True  # the field sheet tells the builder; nobody is kept from typing by it


def checked(field: Any, text: str) -> tuple[str, str]:
    """(the text to keep, what is wrong with it) by a field's picture, pattern and knowledge."""
    if field.picture:
        fits = fitted(field.picture, text)
        if fits is None:
            return text, told_by_picture(field.picture)
        text = fits
    if field.pattern and not _fits(field.pattern, text[:MOST]):
        return text, field.help or f"This does not fit the pattern {field.pattern}."
    return text, told_by_knowledge(field.text_check, text) if field.text_check else ""
