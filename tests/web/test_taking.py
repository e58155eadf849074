"""What is taken out of a grid as CSV: a column at a time, as each record by itself would be written."""

import csv
import io

from enlace.core.exchange.csv_out import csv_cell, csv_lines, guarded
from enlace.core.kinds import TEXTS, Formats, raw_text
from enlace.desk.cells_out import cells, values_out
from enlace.desk.taking import Taken, fields_out, records
from enlace.desk.work import Work
from tests.web.pages import Pages

TABLES = (
    "port_call",
    "cargo_line",
    "vessel",
    "dues_invoice",
    "gate_log",
    "tide_reading",
    "PilotOrder",
    "calls_by_vessel",
)


class AsCsv(Pages):
    def taken(self, form, stored: bool) -> Taken:
        work = Work(self.builder, form, Formats.of("pt_PT"))
        return Taken(work, stored, fields_out(work))

    def cell(self, work: Work, field, record, stored: bool) -> str:
        """A field of one record by itself."""
        if stored:
            value = record.get(field.name)
            return "" if value is None else csv_cell(value) if isinstance(value, str) else raw_text(value)
        text = work.words.of(work.dataset, field, record)
        return guarded(text) if field.kind in TEXTS or field.lookup else text

    def assert_alike(self, form) -> None:
        for stored in (True, False):
            taken = self.taken(form, stored)
            one_by_one = [
                [self.cell(taken.work, field, record, stored) for field in taken.columns]
                for _, record in records(taken.work, not stored)
            ]
            taken = self.taken(form, stored)
            together = list(csv.reader(io.StringIO("".join(csv_lines(taken.heads, cells(taken))), newline="")))
            self.assertEqual(together, [taken.heads, *one_by_one])
            several = [taken.values(record) for _, record in records(taken.work, not stored)]
            as_values = [list(row) for row in values_out(self.taken(form, stored))]
            self.assertEqual(as_values, several)
            classes = [[type(value) for value in row] for row in as_values]
            self.assertEqual(classes, [[type(value) for value in row] for row in several])

    def test_each_table_with_a_draft_and_without(self):
        for table in TABLES:
            with self.subTest(table):
                form = self.form(table)
                self.assert_alike(form)
        form = self.form("port_call")
        self.edit(form, "i3", purpose="=1+1", draught_m="9.5")
        self.new(form, draught_m="3")
        self.post(form, "remove", record="i7")
        self.assert_alike(form)

    def test_whatever_a_column_holds(self):
        self.sql("CREATE TABLE odd (id INTEGER PRIMARY KEY, held VARCHAR(400), lean VARCHAR(20), weight DECIMAL(9, 2))")
        odd = (
            None,
            "",
            "=1+1",
            "'",
            "'=x",
            "a,b",
            'q"q',
            "l\r\nl",
            "é",
            "\t",
            12,
            -3,
            1.5,
            1e30,
            b"\x00\xff",
            "x" * 400,
        )
        for values in [odd, odd[:11], (None, None), (1, 2.5, None), odd[1:10]]:
            self.sql("DELETE FROM odd")
            for value in values:
                self.sql("INSERT INTO odd (held, lean, weight) VALUES (?, ?, ?)", value, str(value)[:20], value)
            self.assert_alike(self.form("odd"))
