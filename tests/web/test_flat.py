"""What a request costs: not more after thousands of others, not more in a large draft, and nothing for advice."""

import gc
import os
import random
from pathlib import Path
from unittest import mock

from sqlalchemy import event
from sqlalchemy.engine import Engine

from enlace.core.dataset import anchors
from enlace.core.draft.pending import PendingRecord, new_record
from enlace.core.kinds import Formats
from enlace.core.problem import Problem
from enlace.desk import drafts
from enlace.desk.models import Draft
from enlace.desk.work import Work
from enlace.workshop.models import Detail, Rule
from scripts.soak import FormAt, mixed
from tests.harbour import made
from tests.servers import SERVERS
from tests.web.pages import Pages


class Counted:
    """How many statements went to the databases, and how many pending records were read, in a block."""

    def __enter__(self):
        self.statements = self.decodes = self.deepest = self.open = 0
        self.asked: list[str] = []
        self.load = drafts.load
        self.patch = mock.patch("enlace.desk.drafts.load", self._loaded)
        self.patch.start()
        event.listen(Engine, "before_cursor_execute", self._sent)
        event.listen(Engine, "begin", self._begun)
        for end in ("commit", "rollback"):
            event.listen(Engine, end, self._ended)
        return self

    def __exit__(self, *_):
        self.patch.stop()
        event.remove(Engine, "before_cursor_execute", self._sent)
        event.remove(Engine, "begin", self._begun)
        for end in ("commit", "rollback"):
            event.remove(Engine, end, self._ended)

    def _loaded(self, *given):
        self.decodes += 1
        return self.load(*given)

    def _sent(self, connection, cursor, statement, *_):
        self.statements += 1
        self.asked.append(statement)

    def _begun(self, _):
        self.open += 1
        self.deepest = max(self.deepest, self.open)

    def _ended(self, _):
        self.open -= 1


def yard(masters: int):
    return made(
        "CREATE TABLE quay (id INTEGER PRIMARY KEY, name TEXT, room INTEGER)",
        "CREATE TABLE berth (id INTEGER PRIMARY KEY, quay_id INTEGER REFERENCES quay (id), metres INTEGER)",
        rows={
            "quay": [(n, f"Quay {n}", 10**9) for n in range(1, masters + 1)],
            "berth": [(n, n % masters + 1, 10) for n in range(1, 4 * masters + 1)],
        },
    )


class LargeDrafts(Pages):
    def prepare(self, pending: int) -> None:
        """A form of quays with their berths, whose lengths a rule adds up; that many masters with a pending detail."""
        self.spec = yard(max(pending, 200))
        connection = self.connect(self.spec)
        self.quays, berths = self.form("quay", connection), self.form("berth", connection)
        detail = Detail.objects.create(
            form=self.quays, dataset=berths.dataset, title="Berths", columns=["quay_id"], master_columns=["id"], place=0
        )
        self.part = detail.name
        dataset = self.quays.dataset
        dataset.details_known = [
            {
                "name": "berth", "table": "berth", "columns": ["quay_id"], "master_columns": ["id"],
                "fields": [{"name": n, "kind": "whole", "storage": "", "nullable": True} for n in ("id", "metres")],
            }
        ]  # fmt: skip
        dataset.save()
        Rule.objects.create(dataset=dataset, expression="sum(berth.metres) <= room", message="Too long.")
        dataset.touch()
        store = Work(self.builder, self.quays, Formats.of("en_GB")).store
        records = {}
        for n in range(1, pending + 1):
            records["", f"i{n}"] = PendingRecord(
                f"i{n}", "edited", (n,), {"id": n, "name": f"Quay {n}", "room": 10**9}, {"name": f"Q{n}"}
            )
            item = PendingRecord(new_record().id, "new", now={"quay_id": n, "metres": 5})
            records[self.part, item.id] = item
        store.links = Work(self.builder, self.quays, Formats.of("en_GB"))._links
        store.put_all("Many", dict.fromkeys(records), records)
        Draft.objects.get(form=self.quays).steps.all().delete()

    def costs(self, pending: int) -> dict[str, tuple[int, int]]:
        self.prepare(pending)
        form, by_size = self.quays, {}
        acts = {
            "window": lambda: self.client.get(f"/desk/{form.pk}/rows", {"start": 0, "size": 40}),
            "edit": lambda: self.edit(form, "i1", name=f"Edited {pending}"),
            "pulse": lambda: self.client.get(
                f"/desk/{form.pk}/pulse",
                {"revision": Draft.objects.get(form=form).revision, "record": "i1", "seen": "x"},
            ),
            "detail": lambda: self.client.get(f"/desk/{form.pk}/detail/{self.part}/i1/rows", {"start": 0, "size": 40}),
        }
        for act in (*acts.values(), *acts.values()):
            act()  # statements that find out what the tables are like are asked once
        for name, act in acts.items():
            with Counted() as counted:
                act()
            self.assertLessEqual(counted.deepest, 1, f"{name}: one connection inside another")
            by_size[name] = (counted.statements, counted.decodes)
        return by_size

    def test_the_same_for_a_draft_of_one_and_of_ten_thousand(self):
        one, hundred = self.costs(1), self.costs(100)
        self.assertEqual(one["edit"], hundred["edit"])
        self.assertLessEqual(hundred["window"][1], 2 * 40 + 2)  # the window's own records, and their details
        ten_thousand = self.costs(5_000)
        self.assertEqual(ten_thousand, hundred)
        self.assertLessEqual(max(n for n, _ in hundred.values()), 30)

    def test_a_save_asks_by_the_hundred(self):
        costs = {}
        for pending in (100, 1_000):
            self.prepare(pending)
            with Counted() as counted:
                said = self.said(self.post(self.quays, "save"))
            self.assertIn(f"Saved {2 * pending:,} records", said)
            costs[pending] = counted
        # What reads for the rules goes by the hundred; each record is written, and its row is looked at, by itself.
        per = {n: (cost.statements / n, cost.decodes / n) for n, cost in costs.items()}
        self.assertLessEqual(per[1_000][0], per[100][0] + 0.5, per)
        self.assertLessEqual(per[1_000][1], per[100][1] + 0.5, per)

    def test_totals_count_what_the_draft_moves(self):
        self.prepare(1)  # berth 1 is of quay 2, the new one of quay 1
        rule = Rule.objects.get()
        rule.expression = "sum(berth.metres) < 60 AND min(berth.metres) > 3"
        rule.save()
        self.quays.dataset.touch()
        look = lambda: self.client.get(f"/desk/{self.quays.pk}/record?record=i1").content.decode()  # noqa: E731
        self.assertNotIn("Too long.", look())  # 4 * 10 + 5
        at = f"{self.quays.pk}/detail/{self.part}/i2/edit"
        move = {"record": "i1", "field": "quay_id", "value": "1"}
        self.client.post(f"/desk/{at}", move, headers={"HX-Request": "true"})
        self.assertNotIn("Too long.", look())  # 55
        self.client.post(f"/desk/{at}", {**move, "field": "metres", "value": "15"}, headers={"HX-Request": "true"})
        self.assertIn("Too long.", look())  # 60
        self.client.post(f"/desk/{at}", {**move, "field": "metres", "value": "3"}, headers={"HX-Request": "true"})
        self.assertIn("Too long.", look())  # 48, but the least is 3


class NothingGrows(Pages):
    def test_lists_narrowed_for_hundreds_of_records(self):
        vessels = self.form("vessel")
        field = vessels.dataset.fields.get(name="berth_id") if vessels.dataset.fields.filter(name="berth_id") else None
        narrowed = next(f for f in vessels.dataset.fields.all() if f.lookup and f.lookup.get("table"))
        field = field or narrowed
        field.lookup = {**field.lookup, "narrowed": "record.length_m > 0"}
        field.save()
        vessels.dataset.touch()
        spec = None
        for n in range(1, 401):
            record = f"i{n % 40 + 1}"
            page = self.client.get(f"/desk/{vessels.pk}/record?record={record}&position=0")
            self.assertEqual(page.status_code, 200)
            if n % 20 == 0:
                order = ("name", "-length_m", "flag")[n % 3]
                self.assertEqual(self.client.get(f"/desk/{vessels.pk}/rows?order={order}").status_code, 200)
                self.edit(vessels, record, length_m=f"{50 + n / 10}")
            vessels.dataset.refresh_from_db()
            spec = spec or vessels.dataset.to_spec()
            self.assertIs(vessels.dataset.to_spec(), spec)
        self.assertLess(sum(map(len, spec.derived.values())), 40)


class Advice(Pages):
    def test_an_edit_stands_where_advice_is_refused(self):
        form = self.form("vessel")
        slow = Problem("The database took too long.", code="slow")
        with mock.patch("enlace.desk.checks.taken", side_effect=slow):
            answer = self.edit(form, "i1", imo_no="9000001")
        self.assertContains(answer, "9000001")
        self.assertEqual(Draft.objects.get().counts["edited"], 1)

    def test_an_edit_stands_where_nothing_can_be_told_of_it(self):
        form = self.form("vessel")
        away = Problem("The database can't be reached.", code="away")
        with mock.patch("enlace.desk.work.Work.view", side_effect=away):
            answer = self.post(form, "edit", record="i1", field="name", value="Kept")
        self.assertIn("kept in the draft", self.said(answer))
        self.assertNotIn("enlace:draft", self.events(answer))  # the page's next pulse asks for the rest
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))


class GoneColumn(Pages):
    def test_the_rest_is_saved_and_no_definition_changes(self):
        for kind in SERVERS:
            with self.subTest(server=kind):
                self._walk(kind)

    def _walk(self, kind: str) -> None:
        place = self.at_server(kind)
        place.run("CREATE TABLE buoy (id integer PRIMARY KEY, name varchar(20), light varchar(20))")
        place.run("INSERT INTO buoy VALUES (1, 'North', 'red'), (2, 'South', 'green')")
        form = self.form("buoy", self.connect(place.spec))
        revision = form.dataset.revision
        self.edit(form, "i1", name="Northern", light="white")
        place.run("ALTER TABLE buoy DROP COLUMN light")
        for address in (f"/desk/{form.pk}/", f"/desk/{form.pk}/review"):
            page = self.client.get(address)
            self.assertContains(page, "no column light any more")
        self.assertContains(self.client.post(f"/desk/{form.pk}/rehearse"), "no column light any more")
        self.assertIn("Nothing was saved", self.said(self.post(form, "save")))
        self.post(form, "edit", record="i2", field="name", value="Southern")
        form.dataset.refresh_from_db()
        self.assertEqual(form.dataset.revision, revision)
        self.assertEqual(form.dataset.fields.count(), 3)
        self.client.post(f"/desk/{form.pk}/drop", {"record": "i1", "field": "light"})
        self.assertIn("Saved 2 records", self.said(self.post(form, "save")))
        self.assertEqual(place.run("SELECT name FROM buoy ORDER BY id"), [("Northern",), ("Southern",)])


class Soak(Pages):
    """A thousand mixed requests: the last ones cost what the first ones did, and nothing that is kept grew."""

    def ask(self, item):
        whole = {"headers": {"HX-Request": "true"}}
        if item.data is None:
            return self.client.get(item.path, item.query, **whole)
        return self.client.post(item.path, item.data, **whole)

    def probe(self, at: str) -> list[list[str]]:
        costs = []
        for path, query in (("rows", {"start": 300, "size": 60, "order": "-height_m"}), ("record", {"record": "i9"})):
            self.client.get(at + path, query)
            with Counted() as counted:
                self.assertEqual(self.client.get(at + path, query).status_code, 200)
            costs.append(counted.asked)
        return costs

    def test_a_thousand_requests(self):
        form = self.form("tide_reading")
        at = f"/desk/{form.pk}/"
        place = FormAt(
            at,
            5_000,
            "quality",
            ("height_m", "-height_m", "measured_at"),
            (("only-height_m", ">1"), ("only-quality", "1")),
        )
        kept = memory = first = None
        for n, item in enumerate(mixed(random.Random(4), place, 1_000)):
            answer = self.ask(item)
            self.assertLess(answer.status_code, 500, (item, answer.content[:300]))
            if n == 400:
                form.dataset.refresh_from_db()
                self.post(form, "discard")
                first, kept, memory = self.probe(at), sizes(form.dataset.to_spec()), resident()
        self.post(form, "discard")
        self.assertEqual(self.probe(at), first)
        self.assertLessEqual(sizes(form.dataset.to_spec()), kept + 4)
        self.assertLess(resident() - memory, 20_000_000)


def sizes(spec) -> int:
    """How many things are kept of a dataset, and of counts and anchors."""
    return sum(map(len, spec.derived.values())) + len(anchors._kept)


def resident() -> int:
    """The memory of this process, in bytes."""
    gc.collect()
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
