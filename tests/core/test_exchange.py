"""Data that goes out in open formats, and comes in again."""

import csv
import datetime
import io
import json
import tempfile
import unittest
import zipfile
from decimal import Decimal
from pathlib import Path
from xml.etree import ElementTree

import openpyxl
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from enlace.core.dataset import FieldSpec
from enlace.core.exchange.csv_out import FORMULA, csv_cell, csv_lines, csv_text, guarded, unguarded
from enlace.core.exchange.empties import EMPTY_TEXT, unmarked
from enlace.core.exchange.incoming import Look
from enlace.core.exchange.json_out import json_lines, json_list
from enlace.core.exchange.matching import matched
from enlace.core.exchange.ods_out import write_ods
from enlace.core.exchange.outgoing import Sheet
from enlace.core.exchange.package_out import write_package
from enlace.core.exchange.readers import begun_so, guessed, looked, rows
from enlace.core.exchange.spool import EVERY, in_blocks, spooled
from enlace.core.exchange.written import WAYS, way_found
from enlace.core.exchange.xlsx_out import write_xlsx
from enlace.core.exchange.xml_out import xml_rows
from enlace.core.kinds import KINDS, Formats
from enlace.core.problem import Problem

TEXTS = st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=12)


class Csv(unittest.TestCase):
    @given(st.one_of(TEXTS, st.sampled_from(["=1", "'=1", "''", "-5", "@x", "\t"])))
    def test_no_text_is_a_formula_and_each_comes_back(self, text):
        self.assertFalse(guarded(text).startswith(FORMULA))
        self.assertEqual(unguarded(guarded(text)), text)

    @given(st.lists(st.lists(TEXTS, min_size=2, max_size=2), max_size=4))
    def test_rfc_4180(self, rows):
        """RFC 4180, section 2: lines end with CR LF; fields with quotes, commas or line breaks are enclosed in quotes."""
        text = "".join(csv_lines(["a", "b"], rows))
        self.assertTrue(text.endswith("\r\n"))
        self.assertEqual(list(csv.reader(io.StringIO(text, newline=""), strict=True)), [["a", "b"], *rows])


# What XML 1.0 can hold, and what no format takes for the end of a line within a text.
PLAIN = st.text(st.characters(min_codepoint=32, exclude_categories=["Cs", "Cc", "Cn"]), max_size=12)
# With nothing in it, with apostrophes alone, and none at all: what has but one cell in a file.
CELLS = st.one_of(PLAIN.map(str.strip), st.sampled_from([None, "", "'", "''", "'=1"]))


def packed(descriptor) -> bytes:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w") as archive:
        archive.writestr("datapackage.json", json.dumps(descriptor))
        archive.writestr("a.csv", "n;d\n1,5;03/04/2026\n-;-\n")
    return file.getvalue()


FIELDS = [{"name": "n", "type": "number", "decimalChar": ","}, {"name": "d", "type": "date", "format": "%d/%m/%Y"}]
SCHEMA = {"fields": FIELDS, "missingValues": ["-"]}
RESOURCE = {"name": "a", "path": "a.csv", "schema": SCHEMA, "dialect": {"delimiter": ";"}}
WHOLE = {
    "csv": b'a,b\r\n1,"x\ny"\r\n2,\xc3\xa9\r\n',
    "json": b'[{"a":1,"b":[1,{"c":2}]},{"a":null}]',
    "jsonl": b'{"a":1}\n{"a":2}\n',
    "xml": b'<?xml version="1.0"?><r><row a="1"><b>x</b></row><row a="2"><b>y</b></row></r>',
    "package": packed({"name": "x", "resources": [RESOURCE]}),
}
TORN_BY = st.sampled_from(
    [b'"', b"\0", b"{", b"[", b"<", b"&x;", b"\xff\xfe", b",", b"\n", b"1e999", b"null", b"\\ud800", b"-", b""]
) | st.binary(max_size=3)
JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.sampled_from(["", "n", "%d", "a.csv", ";", "utf-16"]),
    lambda inner: (
        st.lists(inner, max_size=2) | st.dictionaries(st.sampled_from(["name", "type", "fields", "path"]), inner)
    ),
)


class Torn(unittest.TestCase):
    """Whatever a file holds, it is read, or a sentence says what is wrong."""

    def read(self, format: str, content: bytes, encoding: str = "") -> None:
        with tempfile.NamedTemporaryFile() as file:
            file.write(content)
            file.flush()
            path = Path(file.name)
            try:
                look = looked(path, Look(format, encoding=encoding))
                list(rows(path, begun_so(path, look, "de_DE")))
            except Problem as problem:
                self.assertTrue(str(problem))

    @settings(max_examples=300)
    @given(
        st.sampled_from(sorted(WHOLE)),
        st.lists(st.tuples(st.integers(0, 400), st.integers(0, 8), TORN_BY), min_size=1, max_size=5),
        st.sampled_from(["", "", "utf-8", "utf-16", "cp1252"]),
    )
    def test_cut_off_garbled_or_in_another_encoding(self, format, edits, encoding):
        content = WHOLE[format]
        for place, gone, instead in edits:
            at = place % (len(content) + 1)
            content = content[:at] + instead + content[at + gone :]
        self.read(format, content, encoding)

    @given(st.sampled_from(["schema", "dialect", "path", "data", "fields", "missingValues", "type", "format"]), JSON)
    def test_a_package_whose_descriptor_says_anything(self, name, value):
        field = {**FIELDS[0], **({name: value} if name in ("type", "format") else {})}
        schema = {**SCHEMA, "fields": [field, FIELDS[1]], **({name: value} if name in SCHEMA else {})}
        resource = {**RESOURCE, "schema": schema, **({name: value} if name in (*RESOURCE, "data") else {})}
        self.read("package", packed({"resources": [resource]}))


class InAndOut(unittest.TestCase):
    """A file of each format gives the texts that went into it."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def read(self, content: bytes, name: str, **wanted):
        path = self.folder / name
        path.write_bytes(content)
        return [texts for _, texts in rows(path, looked(path, Look(**{"format": guessed(path, name), **wanted})))]

    @given(st.lists(st.tuples(CELLS, CELLS).filter(lambda row: row != (None, None)), min_size=1, max_size=6))
    def test_texts_empty_ones_and_none_at_all_come_back_from_each_format(self, told):
        heads = ["Año", "b"]
        plain = [["" if text is None else csv_cell(text) for text in row] for row in told]
        for name, text in (
            ("a.csv", "".join(csv_lines(heads, plain))),
            ("a.json", "".join(json_list(heads, told))),
            ("a.jsonl", "".join(json_lines(heads, told))),
            ("a.xml", "".join(xml_rows(heads, told))),
        ):
            wanted = {"separator": ",", "encoding": "utf-8"} if name == "a.csv" else {}
            cells = self.read(text.encode(), name, **wanted)
            out = csv_text if name == "a.csv" else unmarked
            self.same(cells, heads, told, out, name)
        for name, write in (("a.xlsx", write_xlsx), ("a.ods", write_ods), ("a.zip", write_package)):
            file = io.BytesIO()
            write(file, [Sheet("Rows", heads, told)])
            self.same(self.read(file.getvalue(), name), heads, told, unmarked, name)

    def same(self, cells, heads, told, out, name):
        """XML has no column for a value that no row has: the order of its columns is that of its elements."""
        found = [dict(zip(cells[0], map(out, row), strict=True)) for row in cells[1:]]
        wanted = [dict(zip(heads, ("" if t is None else t or EMPTY_TEXT for t in row), strict=True)) for row in told]
        self.assertEqual([{head: row.get(head, "") for head in heads} for row in found], wanted, name)

    def test_values_of_a_workbook_are_texts_to_the_last_digit(self):
        values = [
            7,
            Decimal("0.1"),
            True,
            datetime.date(2026, 2, 28),
            datetime.datetime(2026, 1, 2, 3, 4, 5),
            None,
            "x",
        ]
        for name, write in (("a.xlsx", write_xlsx), ("a.ods", write_ods)):
            file = io.BytesIO()
            write(file, [Sheet("Rows", list("abcdefg"), [values])])
            told = self.read(file.getvalue(), name)[1]
            self.assertEqual(told, ["7", "0.1", "yes", "2026-02-28", "2026-01-02 03:04:05", "", "x"], name)

    def test_headings_of_one_name_none_and_short_rows(self):
        self.assertEqual(self.read(b"a,a,\n1,2\n", "a.csv"), [["a", "a (2)"], ["1", "2"]])
        self.assertEqual(self.read(b"1,2\n3,4\n", "a.csv", heads=False)[0], ["Column 1", "Column 2"])

    @settings(max_examples=400)
    @given(
        st.lists(st.dictionaries(st.sampled_from("ab"), st.none() | st.integers(-9, 9) | st.just("x]"), min_size=1)),
        st.lists(st.tuples(st.integers(0, 60), st.integers(0, 2), st.sampled_from(["", *',[]{}:"1 x'])), max_size=2),
    )
    def test_a_list_in_pieces_is_read_where_json_is(self, told, changes):
        """What RFC 8259 does not take, by the standard library's reader, is no list here either: nothing is passed over."""
        text = json.dumps(told)
        for at, gone, put in changes:
            text = text[:at] + put + text[at + gone :]
        try:
            whole = json.loads(text)
        except ValueError:
            whole = None
        sound = isinstance(whole, list) and bool(whole) and all(isinstance(item, dict) for item in whole)
        assume(not sound or all(name.strip() for item in whole for name in item))
        try:
            count = len(self.read(text.encode(), "a.json")) - 1
        except Problem:
            count = None
        filled = [item for item in whole if any(value is not None for value in item.values())] if sound else []
        if filled:
            self.assertEqual(count, len(filled), text)
        elif not isinstance(whole, dict):
            self.assertIn(count, (None, 0), text)

    def test_a_list_within_json_and_elements_within_xml(self):
        nested = {"said": {"rows": [{"a": 1, "b": {"c": 2}}, {"a": None}]}, "none": 3}
        self.assertEqual(self.read(json.dumps(nested).encode(), "a.json"), [["a", "b"], ["1", '{"c": 2}']])
        xml = b"<r><meta v='1'/><many><item id='1'><n>x</n></item><item id='2'><n>y</n></item></many></r>"
        self.assertEqual(self.read(xml, "a.xml"), [["id", "n"], ["1", "x"], ["2", "y"]])

    def test_digits_names_and_elements_that_come_twice_are_kept(self):
        told = self.read(b'[{"n": 12345678901234567.125, "a": 1, "a": 2}, {"n": 1e400}]', "a.json")
        self.assertEqual(told, [["n", "a", "a (2)"], ["12345678901234567.125", "1", "2"], ["1e400", "", ""]])
        self.assertEqual(self.read(b'[{"n": 0.125}]', "a.json", written="de_DE")[1], ["0,125"])
        xml = b"<r><row><t>x</t><t>y</t></row><row xml:space='preserve'><t> z </t></row></r>"
        self.assertEqual(self.read(xml, "a.xml"), [["t", "t (2)"], ["x", "y"], [" z ", ""]])

    def test_rows_of_a_sheet_that_begins_further_down_are_named_as_the_sheet_has_them(self):
        book = openpyxl.Workbook()
        book.active["B4"], book.active["C4"], book.active["B6"] = "code", "quay", "N1"
        file = io.BytesIO()
        book.save(file)
        path = self.folder / "a.xlsx"
        path.write_bytes(file.getvalue())
        self.assertEqual(list(rows(path, Look("xlsx"))), [(0, ["code", "quay"]), (6, ["N1", ""])])

    @given(
        st.sampled_from(WAYS), st.lists(st.decimals(-(10**9), 10**9, places=2), min_size=1), st.dates(), st.booleans()
    )
    def test_how_numbers_and_dates_are_written_is_found(self, way, numbers, day, pointed):
        formats = Formats.of(way)
        d, m = (day.day, day.month) if formats.day_first else (day.month, day.day)
        texts = [*map(formats.number(2), numbers), f"{d}/{m}/{day.year:04}"]
        found = Formats.of(way_found([texts], "en_GB", pointed))
        read = [KINDS["decimal"].parse(text, FieldSpec("n", "N", "decimal"), found) for text in texts[:-1]]
        self.assertEqual(read, numbers)
        if day.day > 12:  # else nobody can tell
            self.assertEqual(KINDS["date"].parse(texts[-1], FieldSpec("d", "D", "date"), found), day.isoformat())

    def test_a_long_json_list_is_read_in_pieces(self):
        several = [{"n": i, "t": "ü" * 50} for i in range(5_000)]
        told = self.read(json.dumps(several, ensure_ascii=False).encode(), "a.json")
        self.assertEqual((len(told), told[-1][0]), (5_001, "4999"))

    def test_any_stretch_of_a_spool_is_found(self):
        several = [(0, ["n"]), *((i + 2, [str(i)]) for i in range(3 * EVERY + 7))]
        spool = spooled(iter(several), self.folder / "rows")
        for start in (0, 1, EVERY - 1, EVERY, 2 * EVERY + 3, 3 * EVERY + 6, 3 * EVERY + 7):
            told = list(spool.stretch(self.folder / "rows", start, 9))
            self.assertEqual(told, several[1 + start : 10 + start])

    def test_rows_that_were_kept_a_line_a_row_are_read(self):
        for line, place in (('[2,"1","x"]', 2), ('["1", "x"]', 0)):
            (self.folder / "rows").write_text(f"{line}\n{line}\n")
            spool = in_blocks(self.folder / "rows", ["n", "t"])
            self.assertEqual(list(spool.stretch(self.folder / "rows", 1, 9)), [(place, ["1", "x"])])

    def test_a_file_that_breaks_off_leaves_no_spool(self):
        path = self.folder / "a.csv"
        path.write_bytes(b'a\n1\n"2\n')
        with self.assertRaisesRegex(Problem, "line 3"):
            spooled(rows(path, looked(path, Look("csv"))), self.folder / "rows")
        self.assertEqual([item.name for item in self.folder.iterdir()], ["a.csv"])

    def test_columns_find_their_fields_by_name_and_by_what_they_hold(self):
        fields = [
            FieldSpec("eta", "ETA", "datetime"),
            FieldSpec("imo_no", "IMO no.", "text"),
            FieldSpec("flag", "Flag", "text"),
        ]
        heads = ["When", "IMO-No", "FLAG", "else"]
        rows_seen = [["2026-01-01 10:00", "1", "PT", "x"]]
        told = matched(heads, rows_seen, fields, Formats.of("en_GB"), {})
        self.assertEqual(told, {"IMO-No": "imo_no", "FLAG": "flag", "When": "eta"})
        self.assertEqual(matched(heads, rows_seen, fields, Formats.of("en_GB"), {"else": "flag"})["else"], "flag")
        self.assertEqual(matched(["IMO", "Im"], [], fields, Formats.of("en_GB"), {}), {"IMO": "imo_no"})
        two = [FieldSpec("vessel_id", "Vessel", "whole"), FieldSpec("vessel_type", "Vessel type", "text")]
        self.assertEqual(matched(["Ves", "vessel T"], [], two, Formats.of("en_GB"), {}), {})
        self.assertEqual(matched(["Véssel"], [], two, Formats.of("en_GB"), {}), {"Véssel": "vessel_id"})
        mail = [FieldSpec("a", "A", "text"), FieldSpec("b", "B", "text", text_check="email")]
        told = matched(["post", "x"], [["a@example.org", "y"]], mail, Formats.of("en_GB"), {})
        self.assertEqual(told, {"post": "b"})

    def test_xml_is_well_formed_whatever_a_text_holds(self):
        text = "".join(xml_rows(["a b", "c"], [["<&\x01\ufffe]]>", None]]))
        self.assertEqual(ElementTree.fromstring(text)[0][0].get("name"), "a b")
