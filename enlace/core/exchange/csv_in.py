"""Rows of CSV and TSV (RFC 4180): encoding and separator are found where nobody says them."""

from __future__ import annotations

import codecs
import csv
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import charset_normalizer

from ..problem import Problem
from .incoming import LONGEST, Look, Rows, headed

SAMPLE = 200_000  # bytes that encoding and separator are found by
SEPARATORS = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar"}
MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "cp1252", "iso-8859-1", "iso-8859-15", "cp1250", "cp1251", "mac_roman")


def look(path: Path, wanted: Look) -> Look:
    """What a text file is written in, as far as nobody said it."""
    with path.open("rb") as file:
        sample = file.read(SAMPLE)
    encoding = wanted.encoding or _encoding(sample)
    text = sample.decode(encoding, "replace")
    return replace(wanted, encoding=encoding, separator=wanted.separator or _separator(text))


def _encoding(sample: bytes) -> str:
    for mark, name in MARKS:
        if sample.startswith(mark):
            return name
    try:
        # Cut at a line, so that no character is torn at the sample's end.
        sample[: sample.rfind(b"\n") + 1 or None].decode()
        return "utf-8"
    except UnicodeDecodeError:
        best = charset_normalizer.from_bytes(
            sample, cp_isolation=[e for e in ENCODINGS if e.startswith(("cp", "iso"))]
        ).best()
        return best.encoding if best else "cp1252"


def _separator(text: str) -> str:
    """The separator that gives the first lines the same number of columns, and the most of them."""
    lines = text.splitlines()[:40]
    best, most = ",", 0
    for sign in SEPARATORS:
        # The last line of a sample may be cut off.
        widths = [len(row) for row in csv.reader(lines, delimiter=sign) if row][:-1] or [0]
        # As many as the first, since a heading never holds the separator by chance; a decimal comma in the values
        # does.
        same = widths.count(widths[0])
        if widths[0] > 1 and same * widths[0] > most:
            best, most = sign, same * widths[0]
    return best


def rows(path: Path, look: Look) -> Rows:
    """The headings, then the rows. Raises Problem, naming the line."""
    return headed(lines(path, look), look)


def lines(path: Path, look: Look) -> Iterator[tuple[int, list[str]]]:
    """The lines as they stand, those with nothing in them left out, each with its number. Raises Problem."""
    csv.field_size_limit(LONGEST + 1)
    # Without the reading of line ends that Python does by itself: those within quotes are part of a value.
    with path.open(encoding=look.encoding, newline="") as file:
        reader = csv.reader(file, delimiter=look.separator or ",", strict=True)
        began = 1  # where the row begins: a quote that is never closed is told there, not at the end of the file
        try:
            for row in reader:
                if row:
                    yield began, row
                began = reader.line_num + 1
        except UnicodeError as error:
            hint = "Choose another encoding."
            why = error.reason if isinstance(error, UnicodeDecodeError) else error
            raise Problem(f"Line {began:,} is not written in {look.encoding}: {why}.", hint, code="bad") from None
        except csv.Error as error:
            hint = "Mend it in the file, and choose the file again."
            raise Problem(_words(error, began), hint, code="bad") from None


def _words(error: csv.Error, line: int) -> str:
    text = str(error)
    if "unexpected end of data" in text:
        return f"The quote that line {line:,} begins is never closed."
    if "field larger" in text:
        return (
            f"A value that begins in line {line:,} has more than {LONGEST:,} characters; a quote may never be closed."
        )
    if "expected after" in text:
        return f"In line {line:,} something stands behind a closing quote."
    return f"Line {line:,} can't be read: {text}."
