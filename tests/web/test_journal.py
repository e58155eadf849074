"""Rehearsals, the journal, and taking a save back."""

import re

from enlace.desk.models import Draft, JournalEntry
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
        for made in ("ID: 41", "In service: yes", "Version: 2"):
            self.assertIn(made, html)
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
