"""The document of a form: stored and read without loss, edited by pure steps, and what is wired wrongly on it."""

import json
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from enlace.core.form import CONTROL_KINDS, Control, FormDocument, Place, Source, document_of, edit
from enlace.core.form.columns import GridColumn, columns_of, over_dataset
from enlace.core.form.defaults import document_for, with_detail
from enlace.core.form.difference import differences
from enlace.core.form.document import as_values
from enlace.core.form.fields import fields_of
from enlace.core.form.opening import ACTS as OPENING_ACTS
from enlace.core.form.opening import FAILINGS, OpeningStep, opened
from enlace.core.form.schema import schema
from enlace.core.model.dataset import DatasetSpec, FieldSpec, LookupSpec, RuleSpec
from enlace.core.problem import Problem
from enlace.core.wiring import CHECKS, Wired, faults_of

ROOT = Path(__file__).resolve().parents[2]
SOURCES = (
    Source("call", "1", "Calls"),
    Source("cargo", "2", "Cargo", "call", ("call_id",), ("id",)),
    Source("lot", "3", "Lots", "cargo", ("cargo_id",), ("id",)),
)
SIDES, PARTS = (
    ("top", "bottom", "left", "right"),
    ("shown", "earlier", "later", "heading", "width", "align", "read_only"),
)
WORDS = st.text(max_size=12)
VALUES = st.one_of(st.booleans(), st.integers(-9, 9999), WORDS, st.lists(WORDS, max_size=3))


FIELDS = st.sampled_from(["id", "name", "tonnes", "gone"])
COLUMNS = st.lists(
    st.builds(
        GridColumn, FIELDS, WORDS, st.integers(0, 300), WORDS, st.sampled_from(["", "start", "end"]), st.booleans()
    ).map(GridColumn.kept),
    max_size=3,
)
STEPS = st.builds(
    OpeningStep,
    st.sampled_from(OPENING_ACTS),
    FIELDS,
    st.sampled_from(["", "first", "descending"]),
    st.sampled_from(FAILINGS),
)


@st.composite
def places(draw) -> Place:
    x = draw(st.integers(1, 12))
    return Place(
        x, draw(st.integers(1, 40)), draw(st.integers(1, 13 - x)), draw(st.integers(1, 20)), draw(st.booleans())
    )


@st.composite
def documents(draw) -> FormDocument:
    count = iter(range(1000))

    def control(depth: int) -> Control:
        kind = draw(st.sampled_from([*CONTROL_KINDS, "unheard_of"]))
        holds = kind in CONTROL_KINDS and CONTROL_KINDS[kind].holds and depth < 3
        children = tuple(control(depth + 1) for _ in range(draw(st.integers(0, 2)))) if holds else ()
        settings = draw(
            st.dictionaries(
                st.sampled_from(
                    ["label", "title", "columns", "fields", "act", "by", "to", "opens", "usable_when", "x y"]
                ),
                st.one_of(VALUES, COLUMNS),
                max_size=3,
            )
        )
        return Control(
            f"c{next(count)}",
            kind,
            draw(st.sampled_from(["", "call", "cargo", "gone"])),
            draw(WORDS),
            draw(places()),
            settings,
            children,
        )

    controls = tuple(control(1) for _ in range(draw(st.integers(0, 5))))
    return FormDocument(SOURCES[: draw(st.integers(1, 3))], controls, tuple(draw(st.lists(STEPS, max_size=3))))


DATASETS = {
    "call": DatasetSpec(
        "call",
        (FieldSpec("id", "ID", "whole", required=True), FieldSpec("name", "Name", "text", required=True)),
        ("id",),
    ),
    "cargo": DatasetSpec(
        "cargo", (FieldSpec("call_id", "Call", "whole"), FieldSpec("tonnes", "Tonnes", "decimal")), ("call_id",)
    ),
    "lot": None,
}


class Documents(unittest.TestCase):
    @given(documents())
    def test_stored_and_read_without_loss(self, document):
        self.assertEqual(document_of(document.to_json()), document)

    @given(documents(), st.data())
    def test_steps_keep_it_whole(self, document, data):
        """Whatever is done, ids stay unique, controls stay on the sheet, and what is stored is read again."""
        number = st.integers(-15, 15)
        for _ in range(data.draw(st.integers(1, 6))):
            ids = [item.id for item in document.all()]
            some = data.draw(st.lists(st.sampled_from(ids), min_size=1, max_size=2, unique=True)) if ids else []
            steps = [
                lambda d: edit.add(d, data.draw(st.sampled_from(sorted(CONTROL_KINDS))))[0],
                lambda d, some=some: edit.remove(d, some),
                lambda d, some=some: edit.move(d, some, data.draw(number), data.draw(number)),
                lambda d, some=some: edit.resize(d, some, data.draw(number), data.draw(number)),
                lambda d, some=some: edit.duplicate(d, some)[0],
                lambda d, some=some: edit.paste(d, [d.control(i) for i in some])[0],
                lambda d, some=some: edit.dock(d, some[0], data.draw(st.sampled_from(SIDES))) if some else d,
                lambda d, some=some: (
                    edit.column(d, some[0], ["id", "name"], data.draw(FIELDS), data.draw(st.sampled_from(PARTS)), "90")
                    if some
                    else d
                ),
                lambda d, some=some: (
                    edit.align(d, some, data.draw(st.sampled_from(["left", "top", "width"]))) if some else d
                ),
            ]
            before = document
            try:
                document = data.draw(st.sampled_from(steps))(document)
            except Problem:
                continue
            self.assertEqual(document_of(document.to_json()), document)
            self.assertEqual(bool(differences(before, document)), before != document)
        self.assertEqual(len({item.id for item in document.all()}), len(list(document.all())))

    @given(documents())
    def test_the_check_answers_whatever_is_there(self, document):
        for fault in faults_of(Wired(document, DATASETS)):
            self.assertTrue(fault.sentence.endswith("."), fault.sentence)

    def test_what_lies_on_closed_pages_alone_is_seen_by_nobody(self):
        call = Source("call", "call")
        several = (call, Source("cargo", "cargo", parent="call"), Source("lot", "lot", parent="cargo"))

        def closed(*pages, beside=()):
            made = [Control(f"p{i}", "page", children=tuple(of)) for i, of in enumerate(pages)]
            return FormDocument(several, (Control("t", "tabs", children=tuple(made)), *beside)).closed

        cargo, lot = Control("c", "grid", "cargo"), Control("l", "grid", "lot")
        self.assertEqual(closed([], [cargo, lot]), {"cargo", "lot"})
        self.assertEqual(closed([cargo], [lot]), {"lot"})
        # What is seen has to be read, and so has what it belongs to.
        self.assertEqual(closed([lot], [cargo]), frozenset())
        self.assertEqual(closed([], [cargo], beside=[lot]), frozenset())
        inner = Control("u", "tabs", children=(Control("q0", "page", children=(cargo,)), Control("q1", "page")))
        self.assertEqual(closed([inner], [lot]), {"lot"})
        self.assertEqual(closed([], [inner, lot]), {"cargo", "lot"})

    def test_laid_out_by_itself_it_is_sound(self):
        for fields in (3, 16, 40):
            document = document_for(SOURCES[:2], {"call": [f"f{n}" for n in range(fields)], "cargo": list("abcd")})
            wired = Wired(document, {**DATASETS, "lot": None})
            self.assertEqual(faults_of(wired), [])
            self.assertEqual({item.kind for item in document.all()}, {"navigator", "grid", "panel", "tabs", "page"})

    def test_a_list_shows_what_names_its_rows(self):
        key = FieldSpec("key", "Key", "text", storage="uuid")
        code, name, of = (FieldSpec(n, n, "text") for n in ("code", "name", "of"))
        looked_up = replace(of, kind="whole", lookup=LookupSpec("crew", "id", ("name",)))
        for fields, shown in (((key, code, name), "name"), ((key, code), "code"), ((key, looked_up, code), "of")):
            self.assertEqual(fields_of(Control("l", "list", "call"), DatasetSpec("call", fields)), [shown])

    def test_columns_of_a_grid_differ_from_the_dataset(self):
        sound = document_for(SOURCES[:1], {"call": ["id", "name"]})
        made = edit.column(sound, "call_grid", ["id", "name"], "name", "heading", "Ship")
        made = edit.column(made, "call_grid", [], "name", "earlier", "")
        made = edit.column(made, "call_grid", [], "name", "width", "300")
        columns = columns_of(made.control("call_grid").settings["columns"])
        self.assertEqual([c.kept() for c in columns], [{"field": "name", "heading": "Ship", "width": 300}, "id"])
        shown = over_dataset(DATASETS["call"], columns).shown
        self.assertEqual([(f.name, f.label) for f in shown], [("name", "Ship"), ("id", "ID")])
        hidden = replace(
            DATASETS["call"], fields=(DATASETS["call"].fields[0], replace(DATASETS["call"].fields[1], hidden=True))
        )
        self.assertEqual([f.name for f in over_dataset(hidden, columns).shown], ["id"])
        with self.assertRaises(Problem):
            edit.column(made, "call_grid", [], "name", "width", "wide")

    def test_how_a_text_is_typed_stays_under_a_person_s_own_columns(self):
        text = FieldSpec("name", "Name", "text")
        laid_out = GridColumn("name", editor="lines").over(text)
        self.assertEqual(GridColumn("name", width=90).over(laid_out).typed_in, "lines")
        number = GridColumn("id", editor="lines").over(FieldSpec("id", "ID", "whole"))
        self.assertEqual(number.typed_in, "")

    def test_steps_of_the_opening_fail_as_their_builder_wants(self):
        steps = [
            OpeningStep("go", value="last"),
            OpeningStep("order", "name", "descending"),
            OpeningStep("filter", "id", ">3"),
        ]
        opening = opened(steps, DATASETS["call"])
        self.assertEqual((opening.record, opening.order, opening.filters), ("last", [("name", True)], {"id": ">3"}))
        gone = OpeningStep("filter", "gone", "x")
        self.assertEqual(len(opened([gone], DATASETS["call"]).told), 1)
        self.assertEqual(opened([replace(gone, failing="go on")], DATASETS["call"]).told, [])
        with self.assertRaises(Problem):
            opened([replace(gone, failing="stop")], DATASETS["call"])
        self.assertEqual(
            document_of({"sources": [{"name": "a", "dataset": "1"}], "version": 1, "opening": "last"}).opening,
            (OpeningStep("go", value="last"),),
        )

    def test_what_is_pasted_is_tied_to_what_is_there(self):
        there = FormDocument((Source("berth", "9"),))
        made, ids = edit.paste(there, [Control("x", "group", children=(Control("y", "editor", "call", "name"),))])
        self.assertEqual((ids, made.control("y").source), (["x"], "berth"))

    def test_what_is_covered_gives_way(self):
        document = FormDocument(
            SOURCES,
            (
                Control("a", "grid", "call", place=Place(1, 1, 6, 4)),
                Control("b", "panel", "call", place=Place(7, 1, 6, 4)),
            ),
        )
        moved = edit.move(document, ["a"], 3, 0)
        self.assertEqual((moved.control("a").place.x, moved.control("b").place.y), (4, 5))

    def test_a_detail_gets_a_page_beside_those_of_its_master(self):
        call, cargo, lot, crew = (
            Source(n, n, n, parent, *[(f"{parent}_id",) if parent else ()] * 2)
            for n, parent in (("call", ""), ("cargo", "call"), ("lot", "cargo"), ("crew", "call"))
        )
        document = FormDocument((call,), (Control("grid", "grid", "call", place=Place(1, 1, 12, 10)),))
        for source in (cargo, lot, crew):
            document = with_detail(edit.add_source(document, source), source.name, list("abcd"))
        outer, inner = (control for control in document.all() if control.kind == "tabs")
        self.assertEqual([page.settings["title"] for page in outer.children], ["cargo", "crew"])
        self.assertEqual(edit.holder_of(document, inner.id), outer.children[0].id)
        self.assertEqual([control.kind for control in document.tied("lot")], ["navigator", "grid", "panel"])
        # Each is as high as what lies on it, and the document can be kept.
        for control in document.all():
            self.assertLessEqual(max((child.place.bottom for child in control.children), default=0), control.place.h)
        self.assertEqual(document_of(document.to_json()), document)

    def test_wrong_texts_are_told_where(self):
        whole = as_values(document_for(SOURCES, {}))
        cases = [
            ("{", "no JSON"),
            ({**whole, "version": 9}, "version 9"),
            ({**whole, "sources": []}, "needs a source"),
            ({**whole, "extra": 1}, "extra"),
            ({**whole, "controls": [{"id": "A b", "kind": "grid"}]}, "controls[0]"),
            ({**whole, "controls": [{"id": "a", "kind": "grid", "place": {"x": 9, "w": 9}}]}, "wider than the sheet"),
            ({**whole, "controls": [{"id": "a", "kind": "grid"}] * 2}, "same id"),
        ]
        for text, words in cases:
            with self.subTest(words), self.assertRaises(Problem) as caught:
                document_of(text)
            self.assertIn(words, f"{caught.exception.what} {caught.exception.hint}")

    def test_the_published_schema_is_the_code_s(self):
        self.assertEqual(json.loads((ROOT / "docs/form.schema.json").read_text()), schema())


class Wiring(unittest.TestCase):
    """Each fault is planted, found by its check, and gone after its repair."""

    def planted(self):
        sound = document_for(SOURCES[:2], {"call": list("ab"), "cargo": list("ab")})
        bare = FormDocument(
            SOURCES[:2], (Control("x", "grid", "call", settings={"columns": ["id"]}), Control("y", "grid", "cargo"))
        )
        more = lambda *several: replace(sound, controls=(*sound.controls, *several))  # noqa: E731
        low = Place(1, 100, 3, 1)
        return {
            "ties": more(Control("x", "editor", "call", "gone", low)),
            "required": bare,
            "twice": more(Control("x", "editor", "call", "name", low)),
            "conditions": more(Control("x", "editor", "call", "name", low, {"shown_when": "gone > 3"})),
            "names": more(Control("x", "grid", "call", place=low, settings={"columns": ["name", "gone"]})),
            "shortcuts": more(
                *(
                    Control(i, "button", "call", place=Place(n, 100, 1, 1), settings={"shortcut": "k"})
                    for n, i in enumerate("xy", 1)
                )
            ),
            "labels": more(
                *(
                    Control(i, "editor", "call", f, Place(n * 3, 100, 3, 1), {"label": "Same"})
                    for n, (i, f) in enumerate([("x", "id"), ("y", "name")], 1)
                )
            ),
            "links": FormDocument((*SOURCES[:1], Source("cargo", "2", "Cargo", "call")), sound.controls),
            "reading": more(Control("x", "group", place=low)),
            "opening": replace(sound, opening=(OpeningStep("order", "gone", "ascending"),)),
            "order": replace(sound, controls=(replace(sound.controls[0], place=low), *sound.controls[1:])),
        }

    def test_planted_found_repaired(self):
        for check, document in self.planted().items():
            with self.subTest(check):
                wired = Wired(document, DATASETS)
                mine = [fault for fault in faults_of(wired) if fault.check == check]
                self.assertTrue(mine, [fault.sentence for fault in faults_of(wired)])
                for _ in range(5):
                    if not mine:
                        break
                    self.assertIsNotNone(mine[0].repair, mine[0].sentence)
                    document = mine[0].repair(document)
                    mine = [fault for fault in faults_of(Wired(document, DATASETS)) if fault.check == check]
                self.assertEqual(mine, [])

    def test_where_nobody_enters_a_record_none_lacks_an_editor(self):
        for control, found in (
            (Control("x", "grid", "call", settings={"columns": ["id"], "blank_row": False}), False),
            (Control("x", "navigator", "call", settings={"acts": False}), False),
            (Control("x", "navigator", "call"), True),
            (Control("x", "button", "call", settings={"act": "new"}), True),
        ):
            faults = faults_of(Wired(FormDocument(SOURCES[:1], (control,)), DATASETS))
            self.assertEqual("required" in {fault.check for fault in faults}, found, control)
        opens = FormDocument(SOURCES[:1], (Control("x", "value", "call", "id"),), (OpeningStep("go", value="new"),))
        self.assertIn("required", {fault.check for fault in faults_of(Wired(opens, DATASETS))})

    def test_rows_that_open_show_the_details_below_them(self):
        inside = FormDocument(SOURCES[:2], (Control("x", "branches", "call"),))
        self.assertEqual(
            [f for f in faults_of(Wired(inside, DATASETS)) if f.source == "cargo" and f.check == "links"], []
        )

    def test_a_control_that_shows_nothing_or_what_does_not_suit_it(self):
        sound, place = document_for(SOURCES[:2], {"call": list("ab"), "cargo": list("ab")}), Place(1, 100, 6, 4)
        for control, words in (
            (Control("x", "picture", "call", "name", place), "tied to Name, which is a text"),
            (Control("x", "cards", "call", place=place, settings={"fields": ["gone"]}), "shows no field"),
        ):
            document = replace(sound, controls=(*sound.controls, control))
            [fault] = [f for f in faults_of(Wired(document, DATASETS)) if f.check == "ties"]
            self.assertIn(words, fault.sentence)
            mended = fault.repair(document)
            self.assertEqual([f for f in faults_of(Wired(mended, DATASETS)) if f.control == "x"], [])

    def test_a_column_too_narrow_for_a_date_or_a_number(self):
        fields = (
            FieldSpec("at", "At", "datetime", width=90), FieldSpec("n", "N", "whole", width=60), FieldSpec("t", "T", "text", width=40),
        )  # fmt: skip
        sheet = FormDocument((SOURCES[0],), (Control("g", "grid", "call", place=Place(1, 1, 12, 8)),))
        wired = Wired(
            sheet, {"call": DatasetSpec("call", fields)}, rows={"call": [("2026-06-03 15:11", 1234567, "x" * 90)]}
        )
        faults = [fault for fault in faults_of(wired) if fault.check == "widths"]
        self.assertEqual(
            [fault.sentence.split(":")[0] for fault in faults], [f"The column {c} is too narrow" for c in ("At", "N")]
        )
        self.assertIn("3 Jun 2026, 15:11 has no room", faults[0].sentence)
        for fault in faults:
            sheet = fault.repair(sheet)
        self.assertEqual([f for f in faults_of(replace(wired, document=sheet)) if f.check == "widths"], [])

    def test_a_shortcut_is_one_letter_however_it_is_typed(self):
        shortcut = CONTROL_KINDS["button"].setting("shortcut")
        for typed, read in (("P", "p"), ("Alt+Shift+P", "p"), (" alt + shift + 7 ", "7"), ("é", "é"), ("", "")):
            self.assertEqual(shortcut.read(typed), read, typed)
        for typed in ("Print", "Alt+F4", "?", "Alt+Shift++x y"):
            with self.assertRaisesRegex(Problem, "one letter or digit"):
                shortcut.read(typed)

    def test_a_key_that_every_form_has_is_no_shortcut_of_a_button(self):
        button = Control("x", "button", "call", place=Place(1, 100, 1, 1), settings={"shortcut": "S"})
        sound = document_for(SOURCES[:2], {"call": list("ab"), "cargo": list("ab")})
        document = replace(sound, controls=(*sound.controls, button))
        [fault] = [fault for fault in faults_of(Wired(document, DATASETS)) if fault.check == "shortcuts"]
        self.assertEqual(fault.sentence, "Alt+Shift+S is a key of every form already.")
        mended = fault.repair(document)
        self.assertEqual([f for f in faults_of(Wired(mended, DATASETS)) if f.check == "shortcuts"], [])

    def test_what_was_not_chosen_yet_is_asked_for_and_controls_have_names_that_people_know(self):
        sound, low = document_for(SOURCES[:2], {"call": list("ab"), "cargo": list("ab")}), Place(1, 100, 6, 4)
        for kind, settings, told in (
            ("chart", {"by": "call_id", "function": "sum"}, ["The chart of Cargo needs a field of numbers."]),
            ("button", {"act": "form"}, ["Choose which form it opens."]),
            ("button", {"act": "go"}, ["Choose the control it goes to."]),
            ("button", {"act": "form", "to": "Gone"}, ["It opens the form “Gone”, which is not there."]),
            ("button", {"act": "action"}, ["Choose which server action it runs."]),
        ):
            control = Control("x", kind, "cargo", place=low, settings=settings)
            wired = Wired(replace(sound, controls=(*sound.controls, control)), DATASETS, actions=("Cast off",))
            faults = [fault for fault in faults_of(wired) if fault.control == "x"]
            self.assertEqual([fault.sentence for fault in faults if fault.severity == "error"], told)
            self.assertIn(
                wired.place_of(faults[0]),
                ("Chart of Cargo", "Button Open another form", "Button Go to a control", "Button Run a server action"),
            )

    def test_those_that_only_a_person_can_mend(self):
        sound = document_for(SOURCES[:2], {"call": list("ab"), "cargo": list("ab")})
        low = Place(1, 100, 6, 4)
        chart = replace(sound, controls=(*sound.controls, Control("x", "chart", "cargo", place=low)))
        opens = replace(
            sound,
            controls=(
                *sound.controls,
                Control("x", "button", "call", place=low, settings={"act": "form", "to": "Gone"}),
            ),
        )
        locked = {**DATASETS, "call": replace(DATASETS["call"], read_only_because="It is a view.")}
        edits = replace(sound, controls=(*sound.controls, Control("x", "editor", "call", "name", low)))
        typed = tuple(replace(f, type_text="VARCHAR(40)") for f in DATASETS["call"].fields)
        shaped = replace(DATASETS["call"], fields=typed)
        numbered = tuple(replace(f, type_text="INTEGER") for f in DATASETS["cargo"].fields)
        unlike = {"call": shaped, "cargo": replace(DATASETS["cargo"], fields=numbered)}
        self.assertNotIn(
            "retyped",
            {
                f.check
                for f in faults_of(
                    Wired(sound, {**DATASETS, "call": shaped}, types={"call": {"id": "text", "name": "text"}})
                )
            },
        )
        told = [
            ("charts", Wired(chart, DATASETS)),
            ("names", Wired(opens, DATASETS)),
            ("editable", Wired(edits, locked)),
            ("links", Wired(sound, DATASETS, unserved=("cargo",))),
            ("links", Wired(sound, unlike, converts=False)),
            (
                "expressions",
                Wired(sound, {**DATASETS, "call": replace(DATASETS["call"], rules=(RuleSpec("gone > 3"),))}),
            ),
            ("reach", Wired(sound, DATASETS, reached=False)),
            ("widths", Wired(sound, DATASETS, rows={"cargo": [(1, 12345678901234567)]})),
            (
                "retyped",
                Wired(sound, {**DATASETS, "call": shaped}, types={"call": {"id": "text", "name": "numeric(9, 2)"}}),
            ),
            ("retyped", Wired(sound, DATASETS, types={"call": {"id": "int"}})),
            ("retyped", Wired(sound, DATASETS, types={"call": {}})),
        ]
        # What the table itself checks, its server keeps, whether it is understood here or not.
        checked = {**DATASETS, "call": replace(DATASETS["call"], rules=(RuleSpec("far_off(name)"),))}
        for kept in ((), ("far_off(name)",)):
            told = {fault.check for fault in faults_of(Wired(sound, checked, kept=kept))}
            self.assertEqual("expressions" in told, not kept)
        for check, wired in told:
            with self.subTest(check):
                self.assertIn(check, {fault.check for fault in faults_of(wired)})
        self.assertEqual(len(CHECKS), len(set(CHECKS)))
