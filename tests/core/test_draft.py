"""Drafts: nothing is lost on the way to text and back, and an edit back to what was read is no edit."""

import datetime
import json
import re
import unittest
import uuid
from dataclasses import replace
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.draft import Conflict, PendingRecord, conflicts, dump, load
from enlace.core.draft.conflicts import exactly
from enlace.core.draft.pending import new_record, removed, with_text, with_value
from enlace.core.model.values import as_json, from_json
from enlace.core.rules import Complaint, RecordRules
from tests.harbour import ENGLISH, Bench, made

stored = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-(2**63), 2**63 - 1),
    st.floats(allow_nan=False),
    st.decimals(allow_nan=False, allow_infinity=False),
    st.text(),
    st.binary(),
    st.dates(),
    st.times(),
    st.datetimes(),
    st.datetimes(timezones=st.just(datetime.UTC)),
    st.timedeltas(),
    st.uuids(),
)
mappings = st.dictionaries(st.text(min_size=1), stored, max_size=4)


class Lossless(unittest.TestCase):
    @given(
        mappings,
        mappings,
        st.dictionaries(st.text(), st.text(), max_size=2),
        st.lists(stored, max_size=3),
        st.booleans(),
    )
    def test_text_and_back(self, was, now, texts, key, gone):
        conflict = Conflict(None if gone else was)
        complaint = Complaint("server", "No.", ("a",))
        edited = PendingRecord("i1", "edited", tuple(key), was, now, texts, conflict, (complaint,))
        for record in (edited, PendingRecord("i1", "new", now=now, texts=texts, waits_for={"a": ("b", "n2", "id")})):
            again = load("i1", dump(record))
            self.assertEqual(again, record)
            types = [type(v) for v in record.now.values()]
            self.assertEqual([type(v) for v in again.now.values()], types)

    # With halves of surrogate pairs and numbers of any size: what is written does not depend on what could write it.
    plain = st.one_of(st.none(), st.booleans(), st.integers(), st.text(st.characters()), st.just("a\ud800"))

    @given(st.recursive(plain, lambda inner: st.lists(inner) | st.dictionaries(st.text(st.characters()), inner)))
    def test_json_is_what_the_standard_library_writes(self, value):
        text = as_json(value)
        self.assertEqual(text, json.dumps(value, ensure_ascii=False, separators=(",", ":")))
        if not re.search("[0-9]{19}", text):  # numbers of at most 64 bits are all that it promises
            self.assertEqual(from_json(text.encode("utf-8", "surrogatepass")), json.loads(text))

    def test_values_that_python_takes_for_equal_stay_apart(self):
        values = {"a": 1, "b": 1.0, "c": True, "d": Decimal("1.0"), "e": "1", "f": b"1", "g": "", "h": None, "i": -0.0}
        again = load("i1", dump(PendingRecord("i1", "edited", now=values)))
        self.assertEqual([repr(v) for v in again.now.values()], [repr(v) for v in values.values()])
        self.assertIsInstance(
            load("i1", dump(PendingRecord("i1", "new", now={"u": uuid.UUID(int=1)}))).now["u"], uuid.UUID
        )


class Edits(unittest.TestCase):
    def setUp(self):
        table = (
            "CREATE TABLE t (id INTEGER PRIMARY KEY, name VARCHAR(8) NOT NULL, price DECIMAL(6, 2) CHECK (price > 0), "
            "day DATE, note TEXT, CHECK (name <> note))"
        )
        self.bench = Bench(made(table, "INSERT INTO t VALUES (1, 'cork', 2.5, '2026-01-01', 'a')"), "t")
        self.fields = self.bench.dataset.by_name
        self.rules = RecordRules(self.bench.dataset)

    def type(self, record, name, text):
        return with_text(record, self.fields[name], text, ENGLISH)

    def test_back_to_what_was_read(self):
        for name, there, back in [
            ("price", "3", "2.50"),
            ("name", "oak", "cork"),
            ("day", "2026-02-01", "1 Jan 2026"),
            ("note", "", "a"),
        ]:
            edited = self.type(self.bench.read("i1"), name, there)
            self.assertEqual(set(edited.now), {name})
            self.assertTrue(self.type(edited, name, back).idle, name)

    def test_unreadable_text_is_kept_and_replaces_the_value(self):
        record = self.type(self.type(self.bench.read("i1"), "price", "7"), "price", "seven")
        self.assertEqual((dict(record.now), record.texts), ({}, {"price": "seven"}))
        self.assertFalse(record.idle)
        self.assertEqual(dict(self.type(record, "price", "8").now), {"price": Decimal(8)})

    def test_a_new_record_that_is_removed_leaves_nothing(self):
        self.assertIsNone(removed(new_record()))
        self.assertEqual(removed(self.bench.edit("i1", name="oak")).now, {})

    def test_rules_speak_of_touched_fields_only(self):
        def complaints(record):
            return [
                (c.code, c.fields)
                for c in self.rules.complaints(record.values(), record.touched, record.state == "new")
            ]

        self.assertEqual(complaints(self.bench.edit("i1", price="-1")), [("check", ("price",))])
        self.assertEqual(complaints(self.bench.edit("i1", name="")), [("required", ("name",))])
        self.assertEqual(complaints(self.bench.edit("i1", note="cork")), [("check", ("name", "note"))])
        self.assertEqual(complaints(new_record()), [("missing", ("name",))])
        emptied = with_value(self.bench.read("i1"), self.fields["name"], None)
        self.assertEqual(complaints(emptied)[0], ("required", ("name",)))

    def test_a_refusal_goes_when_its_field_is_edited(self):
        refused = replace(self.bench.edit("i1", name="oak"), refusals=(Complaint("server", "No.", ("name",)),))
        self.assertEqual(self.type(refused, "price", "9").refusals, refused.refusals)
        self.assertEqual(self.type(refused, "name", "elm").refusals, ())

    def test_choosing_between_mine_and_theirs(self):
        mine = self.bench.edit("i1", name="oak", price="9")
        theirs = {**mine.was, "name": "elm", "note": "b"}
        record = replace(mine, conflict=Conflict(theirs))
        lines = {
            v.field.name: (v.mine_edited, v.theirs_changed) for v in conflicts.versions(self.bench.dataset, record)
        }
        self.assertEqual(lines, {"name": (True, True), "price": (True, False), "note": (False, True)})
        kept = conflicts.resolved(self.bench.dataset, record, ["name"])
        self.assertEqual((dict(kept.now), kept.was["note"], kept.conflict), ({"price": Decimal(9)}, "b", None))
        self.assertIsNone(conflicts.resolved(self.bench.dataset, record, ["name", "price"]))
        again = conflicts.as_new(self.bench.dataset, replace(record, conflict=Conflict(None)))
        self.assertEqual((again.state, again.now["name"], again.now["day"]), ("new", "oak", "2026-01-01"))
        self.assertNotIn("id", again.now)

    def test_exactly_means_to_the_last_letter(self):
        self.assertTrue(exactly(1, 1.0) and exactly(True, 1) and exactly(None, None))
        self.assertFalse(
            exactly("a", "A") or exactly("1", 1) or exactly(None, "") or exactly(b"a", "a") or exactly("a", "a ")
        )
