"""Rehearsals, the journal, and taking a save back."""

import re
from unittest import mock

from enlace.desk.models import Draft, DraftBlob, JournalEntry
from enlace.desk.renamed import new_name, note_renamed
from tests.harbour import made
from tests.web.pages import Pages


class Rehearsals(Pages):
    def rehearse(self, form) -> str:
        response = self.client.post(f"/desk/{form.pk}/rehearse")
        self.assertEqual(response.status_code, 200)
        return response.content.decode()

    def test_it_shows_what_the_database_would_make_and_changes_nothing(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited")
        self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        before = self.sql("SELECT * FROM vessel")
        html = self.rehearse(form)
        self.assertIn("The save would go through", html)
        for shown in ("ID: 41", "In service: yes"):
            self.assertIn(shown, html)
        self.assertNotIn("Version", html)  # a field that the form does not show
        self.assertEqual(self.sql("SELECT * FROM vessel"), before)
        self.assertEqual(Draft.objects.get().records.count(), 2)
        self.assertFalse(JournalEntry.objects.exists())

    def test_it_tells_every_trouble_at_once(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Mine")
        self.without_list(form, "vessel_type_code")
        self.edit(form, "i2", vessel_type_code="ZZZ")
        self.post(form, "remove", record="i3")
        self.edit(form, "i4", name="Fine")
        self.sql("UPDATE vessel SET name = 'Theirs' WHERE id = 1")
        html = self.rehearse(form)
        told = (
            "would not go through",
            "Somebody else changed it",
            "There is no ZZZ",
            "still refer to it",
            "would be saved",
        )
        for words in told:
            self.assertIn(words, html)
        self.assertEqual(set(Draft.objects.get().records.values_list("faulty", flat=True)), {False})


class Journal(Pages):
    def save(self, form):
        self.assertIn("Saved", self.said(self.post(form, "save")))
        return JournalEntry.objects.first()

    def take_back(self, form, entry):
        response = self.client.post(f"/desk/journal/{entry.pk}/take-back")
        self.assertRedirects(response, f"/desk/{form.pk}/review")
        return self.save(form)

    def test_who_saved_what(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited", built="2020-02-01")
        entry = self.save(form)
        page = self.client.get(f"/desk/journal/{entry.pk}/").content.decode()
        for words in ("inês", "Gaivota Azul", "Edited", "1 Feb 2020"):
            self.assertIn(words, page)
        self.assertContains(self.client.get("/desk/journal/?person=in"), "1 updated")
        self.assertContains(self.client.get("/desk/journal/?person=nobody"), "Nothing was saved yet that matches")
        self.assertContains(self.client.get(f"/desk/journal/?form={form.pk + 1}"), "Nothing was saved yet")

    def test_what_lists_show_is_read_in_the_journal(self):
        form = self.form("port_call")
        was = self.sql("SELECT name FROM agent WHERE id = (SELECT agent_id FROM port_call WHERE id = 1)")[0][0]
        now = self.sql("SELECT name FROM agent WHERE name <> ? AND name NOT LIKE '%&%' LIMIT 1", was)[0][0]
        self.edit(form, "i1", agent_id=now)
        page = self.client.get(f"/desk/journal/{self.save(form).pk}/")
        self.assertContains(page, was)
        self.assertContains(page, now)

    def test_an_edit_an_insert_and_a_removal_are_taken_back(self):
        """The table afterwards is the table before, long text, picture and key included."""
        form = self.form("vessel")
        with_all = "SELECT id, imo_no, name, built, photo, remarks, length_m, in_service FROM vessel ORDER BY id"
        self.sql("DELETE FROM port_call WHERE vessel_id = 19")
        self.sql("UPDATE vessel SET remarks = ? WHERE id = 19", "long " * 30_000)
        before = self.sql(with_all)
        self.edit(form, "i1", name="Edited", built="")
        self.new(form, imo_no="9074729", name="Fresh", vessel_type_code="TUG")
        self.post(form, "remove", record="i19")
        entry = self.save(form)
        self.assertNotEqual(self.sql(with_all), before)
        again = self.take_back(form, entry)
        self.assertEqual(self.sql(with_all), before)
        self.assertEqual(again.takes_back, entry)
        self.assertContains(self.client.get(f"/desk/journal/{entry.pk}/"), "took this one back")
        self.take_back(form, again)
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id IN (1, 19, 41)"), [("Edited",), ("Fresh",)])

    def test_what_somebody_changed_since_is_not_overwritten(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited")
        entry = self.save(form)
        self.sql("UPDATE vessel SET name = 'Later' WHERE id = 1")
        self.client.post(f"/desk/journal/{entry.pk}/take-back")
        response = self.post(form, "save")
        self.assertIn("Somebody else changed 1", self.said(response))
        self.assertEqual(self.sql("SELECT name FROM vessel WHERE id = 1"), [("Later",)])

    def test_an_open_draft_is_in_the_way(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited")
        entry = self.save(form)
        self.edit(form, "i2", name="Open")
        response = self.client.post(f"/desk/journal/{entry.pk}/take-back")
        self.assertContains(response, "There is a draft on this form already", status_code=409)
        page = self.client.get(f"/desk/{form.pk}/review").content.decode()
        self.assertEqual(re.findall("<td>(Open|Edited)</td>", page), ["Open"])

    def test_the_journal_outlives_its_form(self):
        form = self.form("vessel")
        self.edit(form, "i1", name="Edited")
        entry = self.save(form)
        form.delete()
        self.assertContains(self.client.get(f"/desk/journal/{entry.pk}/"), "Edited")
        self.assertEqual(self.client.post(f"/desk/journal/{entry.pk}/take-back").status_code, 404)


class TakenAlong(Pages):
    """What the database removes by itself: said before, kept, and put back."""

    def setUp(self):
        super().setUp()
        self.spec = made(
            "CREATE TABLE quay (id INTEGER PRIMARY KEY, name TEXT)",
            "CREATE TABLE berth (id INTEGER PRIMARY KEY, quay INTEGER REFERENCES quay (id) ON DELETE CASCADE, pic BLOB)",
            "CREATE TABLE lamp (id INTEGER PRIMARY KEY, berth INTEGER REFERENCES berth (id) ON DELETE SET NULL)",
            "CREATE TABLE note (berth INTEGER REFERENCES berth (id) ON DELETE CASCADE, x TEXT)",
            rows={
                "quay": [(1, "North"), (2, "South")],
                "berth": [(n, 1, b"\0\xff") for n in range(1, 41)],
                "lamp": [(1, 7), (2, 7)],
                "note": [(3, "c")],
            },
        )
        self.table = self.form("quay", self.connect(self.spec))

    def test_said_everywhere_and_taken_back(self):
        before = [self.sql(f"SELECT * FROM {t} ORDER BY 1, 2") for t in ("quay", "berth", "lamp", "note")]
        said = "removes 40 rows of berth and 1 row of note and empties berth in 2 rows of lamp."
        self.assertIn(said, self.client.get(f"/desk/{self.table.pk}/takes", {"record": "i1"}).content.decode())
        self.post(self.table, "remove", record="i1")
        self.assertContains(self.client.get(f"/desk/{self.table.pk}/review"), said)
        self.assertContains(self.client.post(f"/desk/{self.table.pk}/rehearse"), said)
        past = "The database also removed 40 rows of berth and 1 row of note and emptied berth in 2 rows of lamp."
        self.assertIn(past, self.said(self.post(self.table, "save")))
        entry = JournalEntry.objects.get()
        page = self.client.get(f"/desk/journal/{entry.pk}/")
        self.assertContains(page, past)
        self.assertContains(page, "removed by the database")
        back = self.client.post(f"/desk/journal/{entry.pk}/take-back", follow=True)
        self.assertContains(back, "A draft of 44 records")
        self.assertIn("Saved 44 records", self.said(self.post(self.table, "save")))
        after = [self.sql(f"SELECT * FROM {t} ORDER BY 1, 2") for t in ("quay", "berth", "lamp", "note")]
        self.assertEqual(after, before)

    def test_what_was_not_kept_is_said(self):
        with mock.patch("enlace.core.save.consequences.MOST_KEPT", 10):
            self.post(self.table, "remove", record="i1")
            self.post(self.table, "save")
        back = self.client.post(f"/desk/journal/{JournalEntry.objects.get().pk}/take-back", follow=True)
        self.assertContains(back, "It can&#x27;t put back")
        self.assertContains(back, "rows of berth that the database removed by itself")


class OwnSaves(Pages):
    """What one window saves is not somebody else's change in another window of the same person."""

    def test_an_edit_over_what_the_other_window_saved(self):
        form = self.form("vessel")
        seen = self.prints(form, "i1")["name"]
        self.edit(form, "i1", name="Mine")
        self.post(form, "save")
        told = self.post(form, "edit", record="i1", field="name", value="Mine too", seen=seen)
        self.assertNotContains(told, "Somebody")
        self.assertIn("Saved 1 record", self.said(self.post(form, "save")))
        seen = self.prints(form, "i1")["name"]
        self.edit(form, "i1", name="Mine again")
        self.post(form, "save")
        self.sql("UPDATE vessel SET name = 'Theirs' WHERE id = 1")
        self.assertContains(self.post(form, "edit", record="i1", field="name", value="X", seen=seen), "Somebody")

    def test_a_record_that_the_other_window_removed(self):
        form = self.form("tide_reading")
        self.post(form, "remove", record="i5")
        self.post(form, "save")
        told = self.post(form, "edit", record="i5", field="quality", value="3", seen_text="1")
        self.assertContains(told, "You removed this record in another window")


class Bounds(Pages):
    def test_steps_and_large_values_do_not_pile_up(self):
        form = self.form("vessel")
        long = "x" * 60_000
        with mock.patch("enlace.desk.draft_steps.MOST_STEP_BYTES", 2_000):
            for n in range(12):
                self.edit(form, "i1", name=f"N{n}")
        self.assertLess(Draft.objects.get().steps.count(), 6)
        self.post(form, "undo")
        self.edit(form, "i1", remarks=long)
        self.assertTrue(DraftBlob.objects.exists())
        self.edit(form, "i2", remarks=long + "y")
        self.post(form, "later", record="i2", wanted="1")
        self.post(form, "save")
        self.assertEqual(DraftBlob.objects.count(), 1)  # the one that is still pending
        self.post(form, "later", record="i2", wanted="0")
        self.post(form, "save")
        self.assertFalse(DraftBlob.objects.exists())

    def test_the_journal_is_tidied(self):
        form = self.form("vessel")
        with mock.patch("enlace.desk.journal.MOST_RECORDS", 3), mock.patch("enlace.desk.journal.TIDY_EVERY", 1):
            for n in range(6):
                self.edit(form, "i1", name=f"N{n}")
                self.post(form, "save")
        self.assertLessEqual(JournalEntry.objects.count(), 4)

    def test_a_thousand_new_names_are_all_known(self):
        note_renamed({f"n{n:016x}": f"i{n}" for n in range(1_000)})
        self.assertEqual([new_name(f"n{n:016x}") for n in (0, 500, 999)], ["i0", "i500", "i999"])
