"""Workbooks that are written here, read back by two libraries that have nothing to do with the one that writes them."""

from __future__ import annotations

import contextlib
import datetime
import io
import tempfile
import zipfile
from decimal import Decimal
from pathlib import Path

import openpyxl
import python_calamine
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.exchange.empties import marked
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.ods_out import write_ods
from enlace.core.exchange.outgoing import CUT_OFF, Sheet
from enlace.core.exchange.readers import looked, rows
from enlace.core.exchange.xlsx_out import FIRST_DAY, write_xlsx
from enlace.core.problem import Problem

HEADS = ("text", "number", "day", "moment", "hour", "yes")
MOMENTS = st.datetimes(datetime.datetime.combine(FIRST_DAY, datetime.time()), datetime.datetime(2199, 12, 31)).map(
    lambda moment: moment.replace(microsecond=0)
)
# No carriage return: the format's own readers take it for a line feed (XML 1.0, 2.11).
TEXTS = st.text(
    st.characters(min_codepoint=32, blacklist_categories=("Cs",), blacklist_characters="\ufffe\uffff"), min_size=1
)
ROWS = st.tuples(
    TEXTS,
    st.integers(-(10**14), 10**14) | st.decimals(-(10**6), 10**6, places=4),
    st.dates(FIRST_DAY, datetime.date(2199, 12, 31)),
    MOMENTS,
    st.times().map(lambda time: time.replace(microsecond=0)),
    st.booleans(),
)


def written(rows, **more) -> io.BytesIO:
    into = io.BytesIO()
    write_xlsx(into, [Sheet("Port call", HEADS, rows)], **more)
    into.seek(0)
    return into


class Workbooks(SimpleTestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(ROWS, max_size=6))
    def test_each_value_comes_back(self, rows):
        sheet = openpyxl.load_workbook(written(rows))["Port call"]
        lines = [[cell.value for cell in line] for line in sheet.iter_rows()]
        self.assertEqual(lines[0], list(HEADS))
        self.assertEqual(len(lines), len(rows) + 1)
        for (text, number, day, moment, hour, yes), back in zip(rows, lines[1:], strict=True):
            self.assertEqual(back[0], marked(text))
            self.assertEqual(Decimal(str(back[1])), Decimal(str(number)))
            self.assertEqual((back[2].date(), back[3], back[4], back[5]), (day, moment, hour, yes))
        told = python_calamine.CalamineWorkbook.from_filelike(written(rows)).get_sheet_by_name("Port call").to_python()
        self.assertEqual([line[2] for line in told[1:]], [row[2] for row in rows])
        self.assertEqual([line[0] for line in told[1:]], [marked(row[0]) for row in rows])

    def test_what_a_cell_can_t_hold_is_a_text(self):
        rows = [
            ("=1+1", 12345678901234567, datetime.date(1899, 1, 2), None, None, None),
            ("http://x.example", Decimal("NaN"), datetime.date(1900, 2, 28), datetime.datetime(1, 1, 1), None, None),
            (
                "-12",
                Decimal("0.1234567890123456"),
                None,
                datetime.datetime(2026, 1, 1, tzinfo=datetime.UTC),
                None,
                None,
            ),
        ]
        sheet = openpyxl.load_workbook(written(rows)).active
        lines = [[cell.value for cell in line] for line in sheet.iter_rows(min_row=2)]
        self.assertEqual(lines[0][:3], ["=1+1", "12345678901234567", "1899-01-02"])
        self.assertEqual({cell.data_type for line in sheet.iter_rows(min_row=2) for cell in line if cell.value}, {"s"})
        self.assertEqual(lines[1][:4], ["http://x.example", "NaN", "1900-02-28", "0001-01-01 00:00:00"])
        self.assertEqual(lines[2][3], "2026-01-01 00:00:00+00:00")

    def test_a_text_longer_than_a_cell_says_that_it_is_cut_off(self):
        """A cell has at most 32 767 units of UTF-16 (the format's readers count so; from memory)."""
        for text in ("x" * 40_000, "\U0001f6a2" * 20_000, "y" + "\U0001f6a2" * 20_000):
            for beside in ("short", 1):  # a column of texts alone, and one of several classes
                cell = openpyxl.load_workbook(written([(text, *[None] * 5), (beside, *[None] * 5)])).active["A2"].value
                self.assertTrue(cell.endswith(CUT_OFF))
                self.assertTrue(text.startswith(cell.removesuffix(CUT_OFF)))
                self.assertIn(len(cell.encode("utf-16-le")) // 2, (32_766, 32_767))
        whole = "\U0001f6a2" * 16_383
        self.assertEqual(openpyxl.load_workbook(written([(whole, *[None] * 5)])).active["A2"].value, whole)

    def test_a_workbook_with_a_part_that_is_broken_is_told_whichever_it_is(self):
        """Cut off, garbled, empty, gone, or with an entity in it: read, or a sentence."""
        book = io.BytesIO()
        write_ods(book, [Sheet("T", ["code"], [["N1"]])])
        for end, content in (("xlsx", written([]).getvalue()), ("ods", book.getvalue())):
            whole = zipfile.ZipFile(io.BytesIO(content))
            for broken in whole.namelist():
                part = whole.read(broken)
                entity = b'<!DOCTYPE r [<!ENTITY b "x">]>' + part.replace(b"code", b"&b;").replace(b"text", b"&b;", 1)
                for other in (part[: len(part) // 2], b"\xff<<>>" + part[::-1], b"", None, b"<a>" * 50_000, entity):
                    with self.subTest(end, part=broken), tempfile.NamedTemporaryFile(suffix=f".{end}") as file:
                        with zipfile.ZipFile(file, "w") as archive:
                            for name in whole.namelist():
                                if name != broken or other is not None:
                                    archive.writestr(name, whole.read(name) if name != broken else other)
                        file.flush()
                        with contextlib.suppress(Problem):
                            list(rows(Path(file.name), looked(Path(file.name), Look(end))))

    def test_a_full_sheet_goes_on_in_the_next_one(self):
        rows = [(f"line {n}", n, None, None, None, None) for n in range(10)]
        book = openpyxl.load_workbook(written(rows, most=5))
        self.assertEqual(book.sheetnames, ["Port call", "Port call 2", "Port call 3"])
        told = [cell.value for sheet in book for cell in sheet["A"][1:]]
        self.assertEqual(told, [row[0] for row in rows])
        self.assertEqual([sheet["A1"].value for sheet in book], ["text"] * 3)
        self.assertEqual(openpyxl.load_workbook(written([])).active.max_row, 1)
