"""What is drawn from a skeleton is what its template makes; what is kept of definitions is what stands in them."""

import dataclasses
import re
from concurrent.futures import ThreadPoolExecutor
from types import SimpleNamespace

from django.contrib.auth.models import AnonymousUser
from django.db import connection, connections, transaction
from django.template import Context, Template
from django.template.loader import render_to_string
from django.test import SimpleTestCase, TransactionTestCase, override_settings
from django.utils.html import json_script
from django.utils.safestring import mark_safe
from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.accounts.models import Person
from enlace.core.dataset import FieldSpec
from enlace.core.model.dataset import LookupSpec
from enlace.desk.editors import EditorView
from enlace.desk.sentence import Said
from enlace.desk.showing import Box, Column
from enlace.desk.skeleton import Kept, Skeleton, mark
from enlace.desk.templatetags.drawn import asking, editor, holder, panel, rail, table, tabs, value
from enlace.site.context import Stop
from enlace.workshop.definitions import opened_form
from enlace.workshop.models import Connection, Dataset, Form, Project
from tests.web.pages import PLAIN_FILES, Pages

texts = st.text("aé\"'<>&\ue000\ue001 1", max_size=9)
optional = st.none() | st.integers(0, 10**7)


@st.composite
def fields(draw) -> FieldSpec:
    return FieldSpec(
        draw(texts) or "x", draw(texts) or "x", draw(st.sampled_from(("text", "longtext", "whole", "decimal", "date", "yesno"))),
        nullable=draw(st.booleans()), read_only=draw(st.booleans()), numbered=draw(st.booleans()),
        default=draw(st.none() | texts), help=draw(st.sampled_from(("", "Say it"))), formula=draw(st.sampled_from(("", "1 + 1"))),
        lookup=draw(st.none() | st.just(LookupSpec(choices=(("a", "A"),)))),
    )  # fmt: skip


@st.composite
def editors(draw) -> EditorView:
    states = st.sampled_from(("", "changed", "wrong", "missing", "warned"))
    return EditorView(
        draw(st.integers(1, 40)), draw(fields()), draw(st.sampled_from(("line", "lines", "tick", "combo", "none"))),
        draw(st.sampled_from(("", "yes", "no")) | texts), draw(texts), draw(states), draw(st.just("") | texts), draw(st.just("") | texts), "",
        draw(st.booleans()), draw(st.sampled_from(("", "null", "text"))), draw(st.booleans()), draw(st.booleans()), draw(st.booleans()),
    )  # fmt: skip


def flat(html: str) -> str:
    return re.sub(r"[ \t\n]*\n[ \t\n]*", "\n", html.strip())


@override_settings(STORAGES=PLAIN_FILES)
class Drawn(SimpleTestCase):
    """For anything that is shown, twice: the second time from what was kept, with other values before it."""

    @settings(max_examples=150, deadline=None)
    @given(
        editors(),
        st.sampled_from(("", "new", "edited", "removed", "conflict")),
        st.sampled_from(("", "cargo--")),
        st.tuples(texts, texts),
    )
    def test_an_editor(self, one, state, p, ids):
        for identifier in ids:
            record = SimpleNamespace(id=identifier, state=state)
            context = {"one": one, "record": record, "p": p, "at": "/desk/1/"}
            self.assertEqual(flat(editor(context, one)), flat(render_to_string("desk/editor.html", context)))

    @settings(max_examples=100, deadline=None)
    @given(optional, optional, st.booleans(), st.booleans(), st.booleans(), texts, st.tuples(texts, texts))
    def test_a_navigator(self, position, total, editable, lacking, swap, filters, places):
        for at in places:
            context = {
                "dataset": SimpleNamespace(editable=editable, lacking_keys=lacking), "part": SimpleNamespace(title="<Cargo>"),
                "p": "a--", "n": "a--b-", "at": at, "position": position, "number": position, "total": total, "total_text": str(total),
                "back": 0, "next": (position or 0) + 1, "last": total, "at_first": not position, "at_last": position == total, "filters": filters,
            }  # fmt: skip
            self.assertEqual(
                flat(rail(context, swap)), flat(render_to_string("desk/rail.html", {**context, "swap": swap}))
            )

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(fields(), max_size=3),
        st.lists(texts, min_size=3, max_size=3),
        optional,
        st.booleans(),
        st.tuples(texts, texts),
    )
    def test_a_grid(self, several, typed, total, editable, rows):
        for text in rows:
            context = {
                "dataset": SimpleNamespace(editable=editable, key=("id",) if editable else ()), "part": SimpleNamespace(title="<Cargo>"),
                "columns": [Column(n, field, "ascending", typed[0], typed[1], typed[2], "sum") for n, field in enumerate(several)],
                "boxes": [Box(n, field, typed[n], bool(n)) for n, field in enumerate(several)], "rows": text, "widths": "1px", "start": 0,
                "size": 40, "grid_total": total, "at_line": total, "p": "a--", "g": "a--", "filters": typed[0], "ways": typed[1],
                "totals": typed[2], "row_lines": 2, "kept_rows": typed[0], "blank_row": editable,
            }  # fmt: skip
            self.assertEqual(flat(table(context)), flat(render_to_string("desk/controls/grid_table.html", context)))

    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(st.builds(Said, texts, texts, texts, st.booleans(), st.integers(0, 3), texts), max_size=2),
        optional,
        st.booleans(),
        st.tuples(texts, texts),
    )
    def test_what_is_asked_of_a_grid(self, said, total, yes, several):
        for text in several:
            context = {
                "dataset": SimpleNamespace(editable=yes, lacking_keys=not total), "part": SimpleNamespace(title="<Cargo>"),
                "p": "a--", "at": text, "order": text, "filters": text, "passing": text, "boxes_said": yes, "uncounted": text, "grid_total": total,
                "filters_said": said, "groups_said": said[:1], "orders_said": said, "condition_faults": (text,), "terms": [text] * yes, "wrong": [text],
                "asking": {"tree": text or "[]", "rest": text, "fields": json_script([text]), "tests": json_script({})},
            }  # fmt: skip
            self.assertEqual(flat(asking(context)), flat(render_to_string("desk/asking.html", context)))

    @settings(max_examples=100, deadline=None)
    @given(
        st.lists(editors(), max_size=2),
        st.sampled_from(("", "", "new")),
        optional,
        st.booleans(),
        st.tuples(texts, texts),
    )
    def test_a_panel(self, several, state, position, yes, ids):
        for identifier in ids:
            context = {
                "dataset": SimpleNamespace(editable=yes, lacking_keys=not yes), "part": SimpleNamespace(title="<Cargo>"), "p": "a--" * yes,
                "record": SimpleNamespace(id=identifier, state=state, position=position), "at": identifier, "seen": identifier,
                "panel_acts": yes, "panel_columns": 2, "details": [], "actions": [], "general": [identifier] * (not yes), "editors": several,
            }  # fmt: skip
            for shown in (context, {**context, "record": None, "editors": []}):
                fields = mark_safe("\n".join(editor(shown, one) for one in shown["editors"]))
                whole = render_to_string("desk/panel.html", {**shown, "fields": fields, "swap": yes})
                self.assertEqual(flat(panel(shown, yes)), flat(whole))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(texts, optional, st.booleans()), max_size=4), st.booleans(), st.tuples(texts, texts))
    def test_the_bar_above_every_page(self, stops, signed_in, names):
        line = [Stop(label, "/somewhere/", count, here=here) for label, count, here in stops]
        source = Template("{% load frame %}{% bar %}{{ project }}{% endbar %}")
        for name in names:
            person = SimpleNamespace(is_authenticated=True, shown_name=name, get_role_display=lambda: "Builder")
            context = {
                "line": line,
                "project": name,
                "csrf_token": "t",
                "user": person if signed_in else AnonymousUser(),
            }
            said = {"stops": line, "csrf_token": "t", "person": {"name": name, "role": "Builder"}} if signed_in else {}
            whole = render_to_string("bar.html", {"place": name, **said})
            self.assertEqual(flat(source.render(Context(context))), flat(whole))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(texts, texts, texts), max_size=3), st.booleans(), st.tuples(texts, texts))
    def test_tabs_and_shown_values(self, pages, large, several):
        for text in several:
            inner = [{"id": page, "title": title, "inner": mark_safe(html + text)} for page, title, html in pages]
            shown = {"label": text, "pages": inner}
            self.assertEqual(flat(tabs(shown)), flat(render_to_string("desk/controls/tabs.html", shown)))
            shown = {
                "p": "a--",
                "label": "Draught",
                "text": text,
                "large": large,
                "swap": large,
                "control": SimpleNamespace(id="c1"),
            }
            self.assertEqual(flat(value(shown)), flat(render_to_string("desk/controls/value.html", shown)))

    @settings(max_examples=60, deadline=None)
    @given(optional, st.booleans(), st.tuples(texts, texts))
    def test_what_a_page_says_of_a_source(self, position, yes, several):
        for text in several:
            context = {"p": "a--", "at": text, "view": text, "computed": yes, "dataset": SimpleNamespace(editable=yes)}
            one = SimpleNamespace(
                context=context, part=SimpleNamespace(name=text, of="b"), work=SimpleNamespace(master=text),
                view=SimpleNamespace(id=text, position=position) if yes else None,
            )  # fmt: skip
            said = {"part": text, "record": text * yes, "master": text, "under": "b", "editable": yes}
            said["position"] = position if yes and position is not None else ""
            self.assertEqual(flat(holder(one)), flat(render_to_string("desk/holder.html", {**context, **said})))

    def test_what_is_kept_is_bounded(self):
        kept = Kept(most=4_000)
        record = SimpleNamespace(id="1", state="")
        for number in range(40):
            one = EditorView(number, FieldSpec("x", "X", "text"), "line", "", "", "", "", "", "", False, "")
            shape = (("one", one), ("record", record.state), ("p", ""))
            kept.of("desk/editor.html", shape, lambda shape=shape: shape)
        fields = {field.name for field in dataclasses.fields(EditorView)}
        self.assertEqual(len(one.asked), len(fields - {"text", "print"}))
        self.assertLessEqual(kept.held, 4_000)
        self.assertGreater(len(kept._by_shape), 1)
        self.assertEqual(kept.held, sum(skeleton.size for skeleton in kept._by_shape.values()))

    def test_a_value_is_not_looked_at_for_marks(self):
        skeleton = Skeleton.of(f"<b>{mark('a')}</b>{mark('b')}{mark('a')}")
        self.assertEqual(skeleton.filled({"a": mark("b"), "b": "<"}), f"<b>{mark('b')}</b>&lt;{mark('b')}")


class Definitions(Pages):
    def test_every_change_is_seen_by_the_next_request(self):
        form = self.form("vessel")
        self.assertEqual(opened_form(self.builder, form.pk).title, form.title)
        Form.objects.filter(pk=form.pk).update(title="Ships")  # no signal tells of it
        self.assertEqual(opened_form(self.builder, form.pk).title, "Ships")
        with connection.cursor() as cursor:
            cursor.execute("UPDATE workshop_project SET accent = 'plum'")
        self.assertEqual(opened_form(self.builder, form.pk).project.accent, "plum")
        Dataset.objects.get(pk=form.dataset_id).touch()
        self.assertEqual(
            opened_form(self.builder, form.pk).dataset.revision, Dataset.objects.get(pk=form.dataset_id).revision
        )
        Connection.objects.update(practice=True)
        self.assertTrue(opened_form(self.builder, form.pk).dataset.connection.practice)
        form.actions.create(title="Moor", statements="UPDATE vessel SET name = name WHERE id = {id}")
        self.assertEqual([a.title for a in opened_form(self.builder, form.pk).actions.all()], ["Moor"])

    def test_what_was_rolled_back_was_never_there(self):
        form = self.form("vessel")
        for title in ("Ships", "Boats"):  # the second change must not find what was kept at the first
            with transaction.atomic():
                Form.objects.filter(pk=form.pk).update(title=title)
                self.assertEqual(opened_form(self.builder, form.pk).title, title)
                transaction.set_rollback(True)
            self.assertEqual(opened_form(self.builder, form.pk).title, form.title)

    def test_who_is_no_member_any_more_opens_nothing(self):
        form = self.form("vessel")
        self.client.force_login(self.operator)
        self.assertEqual(self.client.get(f"/desk/{form.pk}/").status_code, 200)
        self.project.members.remove(self.operator)
        self.assertEqual(self.client.get(f"/desk/{form.pk}/").status_code, 404)

    def test_nobody_shares_what_another_request_made_of_it(self):
        form = self.form("vessel")
        opened_form(self.builder, form.pk).title = "Mine"
        self.assertEqual(opened_form(self.builder, form.pk).title, form.title)


class OtherConnections(TransactionTestCase):
    """What another process commits is seen as well."""

    def test_another_connection_changes_a_form(self):
        person = Person.objects.create_user("ana", role="builder")
        project = Project.objects.create(name="Porto")
        reached = Connection.objects.create(project=project, name="c", parameters={"path": "/nowhere"})
        dataset = Dataset.objects.create(project=project, connection=reached, name="d", table="t")
        form = Form.make(dataset, "Before")
        opened_form(person, form.pk)

        def other() -> None:
            Form.objects.filter(pk=form.pk).update(title="After")
            connections.close_all()

        with ThreadPoolExecutor(1) as pool:
            pool.submit(other).result()
        self.assertEqual(opened_form(person, form.pk).title, "After")
