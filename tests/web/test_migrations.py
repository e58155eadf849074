"""What older versions kept is understood by this one."""

import json

from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from django.test import TransactionTestCase

from enlace.core.dataset.grouping import GroupTerm
from enlace.core.view import Asked, Test
from enlace.desk.addresses import view_text

BEFORE = [("desk", "0008_sent_records"), ("workshop", "0014_start_page")]
AFTER = [("desk", "0009_source_names"), ("workshop", "0015_source_names")]


class SourceNames(TransactionTestCase):
    """Details were told apart by their numbers."""

    def setUp(self):
        self.addCleanup(
            lambda: MigrationExecutor(connection).migrate(MigrationExecutor(connection).loader.graph.leaf_nodes())
        )
        MigrationExecutor(connection).migrate(BEFORE)

    def test_drafts_speak_of_sources_by_name(self):
        loader = MigrationExecutor(connection).loader
        people = [node for node in loader.graph.leaf_nodes() if node[0] == "accounts"]
        old = loader.project_state([*BEFORE, *people]).apps
        make = lambda app, model, **given: old.get_model(app, model).objects.create(**given)  # noqa: E731
        project = make("workshop", "Project", name="Harbour")
        server = make("workshop", "Connection", project=project, name="Office", kind="sqlite", parameters={})
        tables = {
            n: make("workshop", "Dataset", project=project, connection=server, name=n, table=n)
            for n in ("call", "Line of cargo")
        }
        form = make("workshop", "Form", project=project, dataset=tables["call"], title="Calls")
        lines = [
            make(
                "workshop",
                "Detail",
                form=form,
                dataset=tables["Line of cargo"],
                title=t,
                columns=["c"],
                master_columns=["id"],
            )
            for t in ("One", "Two")
        ]
        part = str(lines[1].pk)
        draft = make("desk", "Draft", person=make("accounts", "Person", username="b"), form=form)
        body = json.dumps({"state": "new", "now": {}, "under": {"c": [part, "n1", "id"]}})
        make("desk", "DraftRecord", draft=draft, part=part, record="n1", state="new", body=body)
        step = json.dumps([["", "i1", "", None], [part, "n1", "i1", body]])
        make("desk", "DraftStep", draft=draft, number=1, label="New", before="[]", after=step)
        MigrationExecutor(connection).migrate(AFTER)
        from enlace.desk.models import DraftRecord, DraftStep
        from enlace.workshop.models import Detail

        self.assertEqual([d.name for d in Detail.objects.order_by("pk")], ["line_of_cargo", "line_of_cargo_2"])
        record = DraftRecord.objects.get()
        self.assertEqual((record.part, json.loads(record.body)["under"]["c"][0]), ("line_of_cargo_2",) * 2)
        main, detail = json.loads(DraftStep.objects.get().after)
        self.assertEqual((main, detail[0]), (["", "i1", "", None], "line_of_cargo_2"))
        self.assertEqual(json.loads(detail[3])["under"]["c"][0], "line_of_cargo_2")


class KeptViews(TransactionTestCase):
    """What a kept view asks for was the text of an address."""

    def setUp(self):
        self.addCleanup(
            lambda: MigrationExecutor(connection).migrate(MigrationExecutor(connection).loader.graph.leaf_nodes())
        )
        MigrationExecutor(connection).migrate([("desk", "0018_shared_arrangement")])

    def test_they_ask_for_the_same(self):
        loader = MigrationExecutor(connection).loader
        others = [node for node in loader.graph.leaf_nodes() if node[0] in ("accounts", "workshop")]
        old = loader.project_state([("desk", "0018_shared_arrangement"), *others]).apps
        make = lambda app, model, **given: old.get_model(app, model).objects.create(**given)  # noqa: E731
        project = make("workshop", "Project", name="Harbour")
        server = make("workshop", "Connection", project=project, name="Office", kind="sqlite", parameters={})
        calls = make("workshop", "Dataset", project=project, connection=server, name="call", table="call")
        form = make("workshop", "Form", project=project, dataset=calls, title="Calls")
        asked = Asked.made([("eta", True)], {"flag": "PT"}, [Test("id", "is", ("3",))], [GroupTerm("berth")])
        make("desk", "KeptView", form=form, name="Late", query=view_text(asked))
        make("desk", "KeptView", form=form, name="Spoilt", query="order=eta&only-=%5B")
        MigrationExecutor(connection).migrate([("desk", "0019_asked")])
        from enlace.desk.models import KeptView

        late, spoilt = KeptView.objects.order_by("name")
        self.assertEqual(Asked.of(late.asked), asked)
        self.assertEqual(spoilt.asked, {})
