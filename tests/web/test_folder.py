"""A project as a folder of text files: out, in, compared, moved; its states in the workshop."""

from __future__ import annotations

import io
import json
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase

import jsonschema
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import CommandError, call_command
from django.db import transaction
from hypothesis import given
from hypothesis import strategies as st

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.problem import Problem
from enlace.desk.models import Arrangement, KeptView
from enlace.folder.difference import differences
from enlace.folder.disk import got, packed, unpacked
from enlace.folder.models import ProjectState
from enlace.folder.reading import brought_in, misfits, values_of
from enlace.folder.schema import schema
from enlace.folder.texts import read, written
from enlace.folder.writing import files_of, texts_of
from enlace.workshop.details import Above, add_detail, possible_details
from enlace.workshop.models import Connection, Dataset, Form, Project, place_of
from enlace.workshop.models.dataset import forget_specs
from enlace.workshop.secrets import seal
from tests.harbour import forget
from tests.servers import yard
from tests.web.pages import Pages

PLAIN = st.text(st.characters(exclude_categories=["Cs", "Cc"]), max_size=20)
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | PLAIN | st.sampled_from(["yes", "no", "null", "1", "1e3", "2026-01-01", "~", "a: b", "# x", "x\ny\n"]),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(PLAIN, inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


ROOT = Path(__file__).parents[2]


class Texts(TestCase):
    @given(VALUES)
    def test_each_value_comes_back(self, value):
        self.assertEqual(read(written(value), "x"), value)

    def test_what_is_no_text_of_a_project_is_told_with_its_place(self):
        for text, words in (
            ("a: &x 1\nb: *x\n", "line 1, column 4: anchors and aliases"),
            ("a: 1\na: 2\n", "line 2, column 1: a stands there twice"),
            ("a: [1, 2\n", "line 2"),
            ("a: !!python/object:os.system x\n", "line 1"),
        ):
            with self.assertRaisesRegex(Problem, words):
                read(text, "x.yaml")


class Folder(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.vessels = self.form("vessel")
        self.client.post(
            f"/workshop/form/{self.calls.pk}/details", {"act": "add", "reference": "cargo_line: port_call_id"}
        )
        self.client.post(
            f"/workshop/form/{self.calls.pk}/compose/act", {"act": "add", "kind": "heading", "layout": "1"}
        )
        dataset = self.calls.dataset
        self.client.post(
            f"/workshop/dataset/{dataset.pk}/rules",
            {"expression": "etd IS NULL OR etd >= eta", "message": "Ends before."},
        )
        KeptView.objects.create(form=self.calls, name="Late", asked={"order": [["eta", True]]})
        Arrangement.objects.create(form=self.calls, columns=["eta"], totals=[["id", "count"]])
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def command(self, *words) -> str:
        told = io.StringIO()
        call_command("project", *map(str, words), stdout=told)
        return told.getvalue()

    def test_the_harbour_s_project_is_wired_soundly(self):
        Form.objects.all().delete()
        brought_in(values_of(got(ROOT / "demo/harbour/project")), "Harbour", self.calls.dataset.connection)
        told = io.StringIO()
        call_command("check_wiring", stdout=told)
        self.assertEqual(told.getvalue().strip(), "All forms are wired soundly.")

    def test_out_and_in_again_is_the_same(self):
        self.command("export", "Porto", self.folder)
        texts = texts_of(self.project)
        self.assertEqual({p.relative_to(self.folder).as_posix() for p in self.folder.glob("**/*.yaml")}, set(texts))
        self.assertIn("sheet:", texts["forms/port-call.yaml"])
        self.assertIn("Nothing was done", self.command("import", self.folder, "--name", "Second"))
        self.assertFalse(Project.objects.filter(name="Second").exists())
        told = self.command("import", self.folder, "--name", "Second", "--yes")
        self.assertIn("is a new project", told)
        second = files_of(Project.objects.get(name="Second"))
        mine = files_of(self.project)
        second["project.yaml"]["name"] = "Porto"
        self.assertEqual(second, mine)
        form = Form.objects.get(project__name="Second", title=self.calls.title)
        self.assertEqual(self.client.get(f"/desk/{form.pk}/").status_code, 200)
        self.assertIn("Nothing is different.", self.command("import", self.folder, "--yes"))

    def test_a_change_by_hand_is_told_in_words_and_taken_over(self):
        self.command("export", "Porto", self.folder)
        file = self.folder / "datasets" / "port-call.yaml"
        text = file.read_text()
        self.assertIn("label: ETA", text)
        file.write_text(text.replace("label: ETA", "label: Arrives", 1))
        told = self.command("diff", self.folder)
        self.assertEqual(told.strip(), "datasets/port-call, fields “eta” label: “Arrives” (was “ETA”).")
        number = self.calls.dataset.fields.get(name="eta").pk
        self.command("import", self.folder, "--yes")
        self.assertEqual(self.calls.dataset.fields.get(name="eta").label, "Arrives")
        self.assertEqual(self.calls.dataset.fields.get(name="eta").pk, number)  # the same one, changed
        self.assertEqual(ProjectState.objects.filter(project=self.project).count(), 2)

    def test_no_secret_leaves_and_a_kept_password_is_asked_for(self):
        connection = Connection.objects.create(
            project=self.project, name="PG", kind="postgresql", parameters={"host": "h", "database": "d", "user": "u"},
            password_from="kept", password="sealed-text",
        )  # fmt: skip
        texts = texts_of(self.project)
        self.assertNotIn("sealed-text", json.dumps(texts))
        outcome = brought_in(values_of(texts), "Third")
        self.assertIn("The connection PG needs its password", " ".join(outcome.told))
        self.assertEqual(Connection.objects.get(project=outcome.project, name="PG").password, "")
        brought_in(values_of(texts))
        connection.refresh_from_db()
        self.assertEqual(connection.password, "sealed-text")  # here it is still the same server

    def test_onto_another_database_what_does_not_fit_is_told(self):
        self.command("export", "Porto", self.folder)
        self.sql("ALTER TABLE berth RENAME TO quay_berth")
        self.form("pilot")
        self.sql("ALTER TABLE port_call DROP COLUMN notes")
        told = self.command(
            "import", self.folder, "--name", "Fourth", "--onto", f"Porto/{self.connection.name}", "--yes"
        )
        self.assertIn("It does not fit: port_call: the table has no notes.", told)

    def test_a_database_that_is_away_is_told_once(self):
        self.form("pilot")
        self.command("export", "Porto", self.folder)
        self.connection.parameters = {"path": str(self.folder / "gone.sqlite3")}
        self.connection.save()
        told = self.command(
            "import", self.folder, "--name", "Fifth", "--onto", f"Porto/{self.connection.name}", "--yes"
        )
        [line] = [line for line in told.splitlines() if line.startswith("Whether it fits")]
        self.assertIn("is not known. The database file can't be opened.", line)
        self.assertNotIn("does not fit", told)

    def test_onto_a_connection_of_another_project_the_project_gets_its_own(self):
        """What was moved can be taken out and checked by itself, and the secret goes along with its server."""
        other = Project.objects.create(name="Elsewhere")
        there = Connection(project=other, name=self.connection.name, parameters=self.connection.parameters)
        there.password_from, there.password = "kept", seal("tide-7", place_of(there))
        there.save()
        outcome = brought_in(files_of(self.project), "Moved", there)
        moved = Project.objects.get(name="Moved")
        [own] = moved.connections.all()
        self.assertEqual((own.name, own.password), (there.name, there.password))
        self.assertEqual({dataset.connection for dataset in moved.datasets.all()}, {own})
        self.assertEqual(brought_in(files_of(moved)).changes, [])
        self.assertEqual(brought_in(files_of(self.project), "Moved", there).project.connections.count(), 1)
        self.assertTrue(outcome.project.forms.exists())

    def test_in_the_workshop_files_go_onto_a_connection_of_the_project(self):
        at = f"/workshop/project/{self.project.pk}/states"
        texts = texts_of(self.project)
        texts["connections/c0.yaml"] = texts["connections/c0.yaml"].replace("c0", "Far away")
        texts = {path: text.replace("connection: c0", "connection: Far away") for path, text in texts.items()}
        file = SimpleUploadedFile("porto.zip", packed(texts, "porto"))
        answer = self.client.post(at, {"act": "bring", "file": file, "onto": self.connection.pk})
        self.assertEqual(answer.status_code, 302)
        self.assertEqual([item.name for item in self.project.connections.all()], [self.connection.name])
        file.seek(0)
        wrong = self.client.post(at, {"act": "look", "file": file, "onto": "999"})
        self.assertContains(wrong, "no such connection", status_code=400)

    def test_what_would_change_is_what_bringing_in_does(self):
        at = f"/workshop/project/{self.project.pk}/states"
        later = self.form("pilot")
        self.edit(later, "i1", name="Somebody")
        texts = {path: text for path, text in texts_of(self.project).items() if "pilot" not in path}
        texts["project.yaml"] = texts["project.yaml"].replace("  - pilot\n", "")
        file = SimpleUploadedFile("porto.zip", packed(texts, "porto"))
        page = self.client.post(at, {"act": "look", "file": file}).content.decode()
        self.assertIn("forms/pilot is gone.", page)
        self.assertIn("With pilot 1 pending record of inês go.", page)
        self.assertTrue(Form.objects.filter(pk=later.pk).exists())
        self.client.post(at, {"act": "bring"})
        self.assertFalse(Form.objects.filter(pk=later.pk).exists())

    def test_files_that_are_no_texts_are_named(self):
        texts = {path: text.encode() for path, text in texts_of(self.project).items()}
        file = io.BytesIO()
        with zipfile.ZipFile(file, "w") as archive:
            for path, content in {**texts, "forms/vessel.yaml": b"title: a\nabout: \xff"}.items():
                archive.writestr(path, content)
        with self.assertRaisesRegex(Problem, "forms/vessel.yaml, line 2: the file is not written in UTF-8"):
            unpacked(file)
        locked = bytearray(file.getvalue())
        for sign, place in ((b"PK\x01\x02", 8), (b"PK\x03\x04", 6)):
            at = locked.index(sign)
            locked[at + place] |= 1  # encrypted, it says (APPNOTE 4.4.4)
        with self.assertRaisesRegex(Problem, "locked by a password"):
            unpacked(io.BytesIO(bytes(locked)))

    def test_a_view_of_an_older_version_is_read(self):
        texts = texts_of(self.project)
        texts["project.yaml"] = texts["project.yaml"].replace("version: 2", "version: 1")
        form = read(texts["forms/port-call.yaml"], "form")
        for view in form["views"]:
            view.pop("asked")
            view["query"] = "order=-eta&only-status=moored"
        texts["forms/port-call.yaml"] = written(form)
        brought_in(values_of(texts))
        wanted = {"order": [["eta", True]], "boxes": {"status": "moored"}}
        self.assertEqual({str(view.asked) for view in KeptView.objects.filter(form=self.calls)}, {str(wanted)})

    def test_mistakes_of_hands_are_told_with_their_place_and_nothing_is_done(self):
        files = values_of(texts_of(self.project))
        before = files_of(self.project)
        fields = files["datasets/port-call.yaml"]["fields"]
        listed = next(field for field in fields if field.get("lookup"))
        bare = {**listed, "lookup": {**listed["lookup"], "columns": []}}
        listed = {**listed, "lookup": {**listed["lookup"], "shows": ["gone"]}}
        odd = {"name": "id", "label": "Id", "kind": "number"}
        far = {**listed, "lookup": {**listed["lookup"], "columns": [{"name": "id", "kind": "number"}]}}
        below = {
            "name": "d",
            "table": "d",
            "columns": ["a"],
            "master_columns": ["id"],
            "fields": [{"name": "a", "kind": "number"}],
        }
        reads = "SELECT id, load_extension('x') AS x FROM vessel"
        acts = {"title": "Act", "statements": "UPDATE vessel SET remarks = writefile('x', 'y') WHERE id = :id"}
        detail = {"name": "d", "title": "D", "dataset": "vessel", "columns": ["gone"], "master_columns": ["id"]}
        for path, change, words in (
            ("forms/port-call.yaml", {"dataset": "gone"}, "names the dataset gone"),
            ("forms/port-call.yaml", {"whole": "perhaps"}, "whole should be true or false"),
            ("forms/port-call.yaml", {"sheet": {"controls": [{"kind": "grid"}]}}, "sheet: "),
            ("datasets/vessel.yaml", {"colour": 1}, "has colour, which nothing is called"),
            ("datasets/vessel.yaml", {"fields": []}, "has no fields"),
            ("datasets/vessel.yaml", {"compare": "sometimes"}, "it can be edited, all, version"),
            ("datasets/vessel.yaml", {"fields": [odd]}, r"fields\[0\], kind: there is no kind of field called number"),
            (
                "datasets/vessel.yaml",
                {"fields": [{**odd, "kind": ""}]},
                r"fields\[0\], kind: a kind of field is missing",
            ),
            (
                "datasets/port-call.yaml",
                {"fields": [far]},
                r"fields\[0\], lookup, columns\[0\], kind: there is no kind",
            ),
            ("datasets/vessel.yaml", {"details_known": [below]}, r"details_known\[0\], fields\[0\], kind: there is no"),
            ("connections/c0.yaml", {"kind": "abacus"}, "no kind of server"),
            ("connections/c0.yaml", {"parameters": {"path": []}}, r"parameters, path: \[\] is not"),
            ("datasets/vessel.yaml", {"key": [1]}, r"key\[0\]: 1 is not of type 'string'"),
            ("datasets/vessel.yaml", {"details_known": [{"name": "x"}]}, "details_known.*is a required property"),
            ("datasets/vessel.yaml", {"fields": 2 * files["datasets/vessel.yaml"]["fields"][:1]}, "stands there twice"),
            ("datasets/port-call.yaml", {"fields": [listed]}, r"fields\[0\], lookup: its columns lack gone"),
            ("datasets/port-call.yaml", {"fields": [bare]}, r"fields\[0\], lookup: its columns lack id"),
            ("forms/port-call.yaml", {"details": [detail]}, "columns: vessel has no gone"),
            # what is refused where it is typed is refused in a file
            ("datasets/vessel.yaml", {"query": reads}, "dataset vessel: load_extension does more"),
            ("datasets/vessel.yaml", {"query": "SELECT id, odd(1) AS x FROM vessel"}, "not known what odd does"),
            ("forms/port-call.yaml", {"actions": [acts]}, "action Act of port_call: writefile does more"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Problem, words):
                brought_in({**files, path: {**files[path], **change}})
            self.assertEqual(files_of(self.project), before)
        newer = {**texts_of(self.project), "project.yaml": "format: enlace project\nversion: 99\nname: x\n"}
        with self.assertRaisesRegex(Problem, "version 99"):
            values_of(newer)

    def test_what_is_held_to_rules_is_what_files_say_and_what_is_refused_is_nowhere(self):
        files = values_of(texts_of(self.project))
        vessels = Dataset.objects.get(pk=self.vessels.dataset_id)
        known = vessels.to_spec()  # from here on it is kept
        calls = files["datasets/port-call.yaml"]
        reads = "SELECT id, name, load_extension('x') AS x FROM vessel"
        fields = [
            {**field, "lookup": {**field["lookup"], "query": reads}} if field["name"] == "vessel_id" else field
            for field in calls["fields"]
        ]
        Dataset.objects.get(pk=self.calls.dataset_id).to_spec()
        with self.assertRaisesRegex(Problem, "load_extension does more"):
            brought_in({**files, "datasets/port-call.yaml": {**calls, "fields": fields}})
        # Looked at, and not brought in; by a process that has not met the dataset yet, too.
        said = files["datasets/vessel.yaml"]
        other = {**said, "fields": [{**field, "label": "Otherwise"} for field in said["fields"]]}
        for kept in (True, False):
            if not kept:
                forget_specs()
            with transaction.atomic():
                self.assertTrue(brought_in({**files, "datasets/vessel.yaml": other}).changes)
                transaction.set_rollback(True)
            vessels.refresh_from_db()
            self.assertEqual([f.label for f in vessels.to_spec().fields], [f.label for f in known.fields])
        vessels.fields.update(label="Anew")
        vessels.touch()
        self.assertEqual({f.label for f in Dataset.objects.get(pk=vessels.pk).to_spec().fields}, {"Anew"})

    def test_only_what_is_another_one_by_now_is_made_anew(self):
        files = values_of(texts_of(self.project))
        number = lambda: dict(Dataset.objects.values_list("name", "revision"))  # noqa: E731
        before = number()
        brought_in(files)
        self.assertEqual(number(), before)
        said = files["datasets/vessel.yaml"]
        for other in (
            {**said, "sorted_by": [["name", True]]},
            {**said, "fields": said["fields"][::-1]},
            {**said, "rules": [{"expression": "name <> ''"}]},
            said,
        ):
            brought_in({**files, "datasets/vessel.yaml": other})
            after = number()
            self.assertEqual([name for name in after if after[name] != before[name]], ["vessel"])
            self.assertEqual(files_of(self.project)["datasets/vessel.yaml"], other)
            before = after
        place = {"kind": "mariadb", "parameters": {"host": "127.0.0.1", "port": "1", "database": "x", "user": "x"}}
        brought_in({**files, "connections/c0.yaml": {**files["connections/c0.yaml"], **place}})
        self.assertFalse(set(number().values()) & set(before.values()))

    def test_the_published_schema_is_the_code_s_and_holds_for_all_files(self):
        kept = json.loads((Path(__file__).resolve().parents[2] / "docs/project.schema.json").read_text())
        self.assertEqual(kept, schema())
        judge = jsonschema.Draft202012Validator(kept)
        for path, value in files_of(self.project).items():
            kind = path.split("/")[0].removesuffix("s").removesuffix(".yaml")
            told = list(judge.evolve(schema=kept["$defs"][kind] | {"$defs": kept["$defs"]}).iter_errors(value))
            self.assertEqual(told, [], path)

    def test_a_folder_is_checked(self):
        self.command("export", "Porto", self.folder)
        self.assertIn("wired soundly", self.command("check", self.folder))
        file = self.folder / "forms" / "port-call.yaml"
        form = read(file.read_text(), "form")
        form["sheet"]["controls"].append({"id": "b", "kind": "button", "settings": {"act": "action", "to": "Gone"}})
        file.write_text(written(form))
        with self.assertRaises(CommandError):
            self.command("check", self.folder)
        self.assertEqual(Form.objects.get(pk=self.calls.pk).document.count('"button"'), 0)

    def test_states_are_kept_compared_and_gone_back_to(self):
        at = f"/workshop/project/{self.project.pk}/states"
        self.client.post(at, {"act": "keep", "words": "Before the summer"})
        state = ProjectState.objects.get()
        self.calls.title = "Calls"
        self.calls.save()
        page = self.client.get(f"{at}/{state.pk}").content.decode()
        self.assertIn("forms/calls is new.", page)
        self.client.post(at, {"act": "back", "state": state.pk})
        self.assertEqual(set(Form.objects.values_list("title", flat=True)), {"port_call", "vessel"})
        self.assertEqual(ProjectState.objects.count(), 3)
        archive = self.client.get(f"/workshop/project/{self.project.pk}/archive").content
        told = self.client.post(at, {"act": "look", "file": SimpleUploadedFile("porto.zip", archive)}).content.decode()
        self.assertIn("Nothing is different.", told)
        Form.objects.filter(title="vessel").update(title="Ships")
        self.client.post(at, {"act": "bring"})  # those that were looked at need not be chosen again
        self.assertEqual(set(Form.objects.values_list("title", flat=True)), {"port_call", "vessel"})
        self.assertContains(self.client.post(at, {"act": "bring"}), "No file is chosen", status_code=400)
        self.client.force_login(self.operator)
        self.assertEqual(self.client.get(at).status_code, 403)

    def test_differences_say_what_is_new_gone_and_moved(self):
        before = {"a.yaml": {"fields": [{"name": "x", "label": "X"}, {"name": "y", "label": "Y"}], "each": True}}
        after = {
            "a.yaml": {"fields": [{"name": "y", "label": "Y"}, {"name": "x", "label": "Z"}, {"name": "w"}]},
            "b.yaml": {},
        }
        self.assertEqual(
            differences(before, after),
            [
                "a, fields “x” label: “Z” (was “X”).",
                "a, fields “w” is new.",
                "a, fields: in another order.",
                "a, each: as it always is (was yes).",
                "b is new.",
            ],
        )


class Moving(Pages):
    """A project of one kind of server, brought onto a database with the same tables on another one."""

    def made_on(self, kind: str) -> tuple[Project, Connection]:
        place = self.at_server(kind)
        self.addCleanup(forget)
        yard(place)
        project = Project.objects.create(name=kind)
        spec = place.spec
        connection = Connection(project=project, name="Yard", kind=kind, parameters=dict(spec.parameters))
        connection.password, connection.password_from = seal(spec.secret, place_of(connection)), "kept"
        connection.save()
        return project, connection

    def shaped(self, project: Project, connection: Connection) -> None:
        for table in ("agent", "shipment"):
            spec = make_dataset(connection.to_spec(), table)
            form = Form.objects.create(
                project=project, title=table, dataset=Dataset.make(connection, spec, table), place=1
            )
            form.dataset.fields.filter(name="code").update(label="Consignment", help="As on the paper")
        calls = Form.objects.get(project=project, title="agent")
        add_detail(Above(calls), next(r for r in possible_details(Above(calls)) if r.table == "shipment"))

    def test_what_a_builder_settled_stays_and_what_a_column_is_follows(self):
        source, connection = self.made_on("sqlite")
        self.shaped(source, connection)
        files = files_of(source)
        for kind in ("postgresql", "mariadb"):
            with self.subTest(kind):
                there, onto = self.made_on(kind)
                self.shaped(there, onto)
                outcome = brought_in(files, f"moved to {kind}", onto=onto)
                moved = files_of(outcome.project)
                wanted = files_of(there)
                told = [
                    sentence
                    for sentence in differences(wanted, moved)
                    if not sentence.startswith(("project, name", "connections/"))
                    and "in another order" not in sentence
                    and " width: " not in sentence  # a builder's own, which Enlace begins with one by the server's type
                ]
                self.assertEqual(told, [])
                self.assertEqual(misfits(outcome.project), [])
                self.assertNotEqual(moved["datasets/shipment.yaml"], files["datasets/shipment.yaml"])
