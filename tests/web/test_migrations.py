"""What older versions kept is understood by this one."""

import json

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from enlace.core.dataset.grouping import GroupTerm
from enlace.core.view import Asked, Test
from enlace.desk.addresses import view_text

BEFORE = [("desk", "0008_sent_records"), ("workshop", "0014_start_page")]


class Older(TransactionTestCase):
    """The database as it was. before: the migrations that had run, of those that matter."""

    before: list

    def setUp(self):
        self.addCleanup(
            lambda: MigrationExecutor(connection).migrate(MigrationExecutor(connection).loader.graph.leaf_nodes())
        )
        MigrationExecutor(connection).migrate(self.before)
        loader = MigrationExecutor(connection).loader
        named = {app for app, _ in self.before}
        others = [node for node in loader.graph.leaf_nodes() if node[0] in ("accounts", "workshop", "desk")]
        self.old = loader.project_state([*self.before, *(node for node in others if node[0] not in named)]).apps

    def make(self, app, model, **given):
        return self.old.get_model(app, model).objects.create(**given)

    def a_form(self):
        """A form on the table call, and its project and connection."""
        project = self.make("workshop", "Project", name="Harbour")
        server = self.make("workshop", "Connection", project=project, name="Office", kind="sqlite", parameters={})
        calls = self.make("workshop", "Dataset", project=project, connection=server, name="call", table="call")
        return self.make("workshop", "Form", project=project, dataset=calls, title="Calls"), project, server


class SourceNames(Older):
    """Details were told apart by their numbers."""

    before = BEFORE

    def test_drafts_speak_of_sources_by_name(self):
        make = self.make
        form, project, server = self.a_form()
        cargo = make("workshop", "Dataset", project=project, connection=server, name="Cargo", table="Line of cargo")
        linked = {"form": form, "dataset": cargo, "columns": ["c"], "master_columns": ["id"]}
        lines = [make("workshop", "Detail", title=title, **linked) for title in ("One", "Two")]
        part = str(lines[1].pk)
        draft = make("desk", "Draft", person=make("accounts", "Person", username="b"), form=form)
        body = json.dumps({"state": "new", "now": {}, "under": {"c": [part, "n1", "id"]}})
        make("desk", "DraftRecord", draft=draft, part=part, record="n1", state="new", body=body)
        step = json.dumps([["", "i1", "", None], [part, "n1", "i1", body]])
        make("desk", "DraftStep", draft=draft, number=1, label="New", before="[]", after=step)
        executor = MigrationExecutor(connection)
        executor.migrate(executor.loader.graph.leaf_nodes())
        from enlace.desk.models import DraftRecord, DraftStep
        from enlace.workshop.models import Detail

        self.assertEqual([d.name for d in Detail.objects.order_by("pk")], ["line_of_cargo", "line_of_cargo_2"])
        record = DraftRecord.objects.get()
        self.assertEqual((record.part, json.loads(record.body)["under"]["c"][0]), ("line_of_cargo_2",) * 2)
        main, detail = json.loads(DraftStep.objects.get().after)
        self.assertEqual((main, detail[0]), (["", "i1", "", None], "line_of_cargo_2"))
        self.assertEqual(json.loads(detail[3])["under"]["c"][0], "line_of_cargo_2")


class KeptViews(Older):
    """What a kept view asks for was the text of an address."""

    before = [("desk", "0018_shared_arrangement")]

    def test_they_ask_for_the_same(self):
        make = self.make
        form, *_ = self.a_form()
        asked = Asked.made([("eta", True)], {"flag": "PT"}, [Test("id", "is", ("3",))], [GroupTerm("berth")])
        make("desk", "KeptView", form=form, name="Late", query=view_text(asked))
        make("desk", "KeptView", form=form, name="Spoilt", query="order=eta&only-=%5B")
        MigrationExecutor(connection).migrate([("desk", "0019_asked")])
        from enlace.desk.models import KeptView

        late, spoilt = KeptView.objects.order_by("name")
        self.assertEqual(Asked.of(late.asked), asked)
        self.assertEqual(spoilt.asked, {})


class CountsAndLinks(Older):
    """What is no detail had an empty link, and nobody counted new records by their part."""

    before = [("desk", "0020_step_sizes")]

    def test_they_are_as_if_they_had_been_kept_so(self):
        form, *_ = self.a_form()
        person = self.make("accounts", "Person", username="b")
        draft = self.make("desk", "Draft", person=person, form=form, counts={"all": 3, "new": 2, "edited": 1})
        for part, record, state, link in (
            ("", "n1", "new", ""),
            ("cargo", "n2", "new", "i1"),
            ("", "i1", "edited", ""),
        ):
            given = {"draft": draft, "part": part, "record": record, "state": state, "body": "{}"}
            self.make("desk", "DraftRecord", **given, was_of=link, now_of=link)
        MigrationExecutor(connection).migrate([("desk", "0021_links_where_there_are_some")])
        from enlace.desk.models import Draft, DraftRecord

        self.assertEqual(Draft.objects.get().counts, {"all": 3, "new": 2, "edited": 1, "own new": 1})
        links = dict(DraftRecord.objects.values_list("record", "now_of"))
        self.assertEqual(links, {"n1": None, "n2": "i1", "i1": None})
