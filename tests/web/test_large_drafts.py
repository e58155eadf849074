"""A draft of any size: what a page asks of it is found in an index, and counted forth."""

from collections import Counter
from unittest.mock import patch

from django.db import connection
from django.test.utils import CaptureQueriesContext

from enlace.core.model.values import record_id
from enlace.desk import draft_few, draft_rows
from enlace.desk.draft_counts import OWN_NEW
from enlace.desk.draft_rows import DraftRow
from enlace.desk.drafts import DraftStore
from enlace.desk.models import Draft, DraftRecord
from enlace.workshop.details import Above, add_detail, possible_details
from tests.web.pages import Pages


class LargeDrafts(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        above = Above(self.calls)
        add_detail(above, next(one for one in possible_details(above) if one.table == "cargo_line"))

    def plans(self, queries) -> dict[str, str]:
        """By statement that reads or removes pending records, how SQLite finds them."""
        several = [q["sql"] for q in queries if "desk_draftrecord" in q["sql"] and q["sql"][:6] in ("SELECT", "DELETE")]
        with connection.cursor() as cursor:
            plans = {}
            for sql in several:
                cursor.execute(f"EXPLAIN QUERY PLAN {sql}")
                plans[sql] = " ".join(row[-1] for row in cursor.fetchall())
            return plans

    def test_a_page_goes_through_no_more_of_it_than_it_shows(self):
        new = self.new(self.calls, purpose="Bunkers")
        self.edit(self.calls, "i3", notes="Late")
        draft, body = Draft.objects.get(), DraftRecord.objects.get(state="new").body
        more = [DraftRow("", f"n{n}", "", None, None, "new", False, False, body) for n in range(200)]
        draft_rows.write(draft, more)
        draft.counts |= {name: draft.counts[name] + len(more) for name in ("all", "new", OWN_NEW)}
        draft.save()
        acts = {
            "rows": lambda: self.client.get(f"/desk/{self.calls.pk}/rows?start=0&size=60"),
            "the last rows": lambda: self.client.get(f"/desk/{self.calls.pk}/rows?start={self.total(self.calls) - 9}&size=60"),
            "page": lambda: self.client.get(f"/desk/{self.calls.pk}/?record=i4"),
            "move": lambda: self.client.get(f"/desk/{self.calls.pk}/record?record=i5&on=sheet"),
            "edit": lambda: self.edit(self.calls, "i6", notes="Early"),
            "edit of a new one": lambda: self.edit(self.calls, new, notes="Early"),
            "remove": lambda: self.post(self.calls, "remove", record=new),
        }  # fmt: skip
        for act, run in acts.items():
            with self.subTest(act), CaptureQueriesContext(connection) as asked:
                self.assertEqual(getattr(run(), "status_code", 200), 200)
            plans = self.plans(asked.captured_queries)
            self.assertTrue(plans)
            for sql, plan in plans.items():
                self.assertIn("(draft_id=? AND part=? AND ", plan, (act, sql))

    def test_a_small_one_is_read_once_and_tells_the_same(self):
        [cargo] = self.calls.details.all()
        at = f"/desk/{self.calls.pk}/detail/{cargo.name}/i7/"
        line = self.sql("SELECT line_no FROM cargo_line WHERE port_call_id = 7")[0][0]
        master = self.new(self.calls, purpose="Bunkers")
        self.edit(self.calls, "i3", notes="Late")
        self.post(self.calls, "remove", record="i4")
        hx = {"HX-Request": "true"}
        self.client.post(at + "edit", {"record": record_id((7, line)), "field": "tonnes", "value": "8"}, headers=hx)
        for owner in (f"{at}new", at.replace("i7", master) + "new"):
            self.client.post(owner, headers=hx)

        def told(part, owner):
            store = DraftStore(self.builder, self.calls, part=part, owner=owner)
            names = list(store.all())
            links = set(DraftRecord.objects.values_list("now_of", flat=True))
            return (
                names, store.some([*names[:1], "i999"]), store.all(), store.in_view(), store.pending_here(),
                store.linked(cargo.name, sorted(filter(None, links))[:1]), store.linked("", []),
                store.new_count(), store.new_slice(0, 5), store.new_slice(1, 1),
            )  # fmt: skip

        for part, owner in (("", ""), (cargo.name, "i7"), (cargo.name, master), (cargo.name, "i8")):
            with self.subTest(part=part, owner=owner):
                with CaptureQueriesContext(connection) as asked:
                    few = told(part, owner)
                self.assertEqual(
                    sum("desk_draftrecord" in q["sql"] for q in asked.captured_queries), 2
                )  # one asks for links
                with patch.object(draft_few, "MOST", -1):
                    self.assertEqual(told(part, owner), few)
        # What somebody writes meanwhile is seen by those who have read before.
        early = DraftStore(self.builder, self.calls)
        self.assertNotIn("i9", early.all())
        self.edit(self.calls, "i9", notes="Meanwhile")
        self.assertIn("i9", early.all())

    def test_new_records_are_counted_forth(self):
        counts = lambda: Draft.objects.get().counts  # noqa: E731
        before = self.total(self.calls)
        several = [self.new(self.calls, notes=str(n)) for n in range(3)]
        self.assertEqual((counts()[OWN_NEW], self.total(self.calls)), (3, before + 3))
        detail = f"/desk/{self.calls.pk}/detail/cargo_line/i3/new"
        self.assertEqual(self.client.post(detail, headers={"HX-Request": "true"}).status_code, 200)
        self.assertEqual((counts()[OWN_NEW], counts()["new"]), (3, 4))
        self.post(self.calls, "remove", record=several[0])
        self.assertEqual((counts()[OWN_NEW], self.total(self.calls)), (2, before + 2))
        self.post(self.calls, "undo")
        self.assertEqual(counts()[OWN_NEW], DraftRecord.objects.filter(state="new", part="").count())
        self.post(self.calls, "discard")
        self.assertEqual(self.total(self.calls), before)

    def test_a_review_reads_what_may_take_others_along(self):
        for n in range(3):
            self.new(self.calls, notes=str(n))
            self.edit(self.calls, f"i{n + 1}", notes="Late")
            self.post(self.calls, "remove", record=f"i{n + 11}")
        told = DraftStore(self.builder, self.calls).telling("", {"removed"})
        self.assertEqual(Counter(r.state for r in told.values()), {"new": 1, "edited": 1, "removed": 3})
