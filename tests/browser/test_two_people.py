"""Two people on one record, two windows on one draft, a database that goes away: in the browser, on the real server."""

from __future__ import annotations

import sqlite3

from playwright.sync_api import expect

from tests.browser.served import Served


class TwoPeople(Served):
    def setUp(self):
        with sqlite3.connect(self.home / "enlace.sqlite3") as db:  # each test begins without a draft
            for table in ("desk_draftrecord", "desk_draftstep", "desk_draft"):
                db.execute(f"DELETE FROM {table}")
        super().setUp()

    def sql(self, statement: str, *values):
        with sqlite3.connect(self.harbour) as db:
            return db.execute(statement, values).fetchall()

    def on(self, title: str, record: str, page=None):
        page = self.work(title, page)
        page.goto(page.url.split("?")[0] + f"?record={record}")
        expect(page.locator("#panel")).to_have_attribute("data-record", record)
        return page

    def test_a_colleague_changes_another_field_and_both_are_kept(self):
        page = self.on("Vessel", "i6")
        self.type_into("Name", "Mine II", page)
        self.sql("UPDATE vessel SET remarks = 'theirs' WHERE id = 6")
        expect(page.locator("#drift")).to_contain_text("Somebody else changed this record")
        expect(page.locator("#drift")).to_contain_text("Remarks is now theirs")
        page.locator("#act-save").click()
        expect(page.locator("form.settle")).to_contain_text("nothing gets lost when both are kept")
        page.get_by_role("button", name="Combine both").press("Enter")
        self.says("Settled", page)
        expect(page.locator("#act-save")).to_be_focused()  # what is settled is saved next
        page.keyboard.press("Enter")
        self.says("Saved 1 record", page)
        self.assertEqual(self.sql("SELECT name, remarks FROM vessel WHERE id = 6"), [("Mine II", "theirs")])

    def test_a_conflict_left_for_later_lets_the_rest_be_saved(self):
        page = self.on("Berth", "kWyJGMSJd")
        self.type_into("Quay", "Mine", page)
        self.sql("UPDATE berth SET quay = 'Theirs' WHERE code = 'F1'")
        page.locator("#act-save").click()
        expect(page.locator("form.settle")).to_be_visible()
        page.get_by_role("button", name="Leave for later").click()
        expect(page.locator("#strip")).to_contain_text("1 left for later")
        self.cell(4, 2, page).click()
        expect(page.locator("#panel")).not_to_have_attribute("data-record", "kWyJGMSJd")
        self.type_into("Quay", "Other", page)
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        self.assertEqual(self.sql("SELECT count(*) FROM berth WHERE quay = 'Other'"), [(1,)])

    def test_two_windows_show_one_draft(self):
        first = self.on("Port call", "i20")
        second = first.context.new_page()
        second.goto(first.url)
        expect(second.locator("#panel")).to_have_attribute("data-record", "i20")
        self.type_into("Notes", "from the first window", first)
        expect(second.locator("#strip")).to_contain_text("1 record pending")
        expect(second.locator("#panel").get_by_label("Notes")).to_have_value("from the first window")
        second.locator("#act-undo").click()
        expect(first.locator("#strip")).to_contain_text("Nothing is pending")

    def away(self, page):
        """Take the database away; it is back at the end of the test whatever happens."""
        self.addCleanup(self.bring_back)
        page.locator("details.other summary").click()
        page.locator("#outage").click()
        self.says("The database is away", page)

    def bring_back(self):
        aside = self.harbour.with_name(self.harbour.name + ".away")
        if aside.exists():
            aside.rename(self.harbour)

    def test_the_database_goes_away_and_nothing_typed_is_lost(self):
        page = self.on("Port call", "i30")
        self.away(page)
        editor = page.locator("#panel").get_by_label("Notes")
        editor.fill("typed while away")
        editor.press("Tab")
        self.says("What you typed stays here", page)
        expect(editor).to_have_value("typed while away")
        page.locator("#outage-over").click()
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        self.assertEqual(self.sql("SELECT notes FROM port_call WHERE id = 30"), [("typed while away",)])
        self.wrong[:] = [item for item in self.wrong if "503" not in item]  # the browser notes each such answer

    def test_a_save_while_the_database_is_away_says_so(self):
        page = self.on("Port call", "i31")
        self.type_into("Notes", "kept", page)
        self.away(page)
        page.locator("#act-save").click()
        self.says("can't be opened", page)
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#outage-over").click()
        self.says("is back", page)
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        self.wrong[:] = [item for item in self.wrong if "503" not in item]

    def test_details_entered_under_a_new_master(self):
        page = self.work("Port call")
        page.locator("#act-new").click()
        expect(page.locator("#panel .record-state")).to_contain_text("New record")
        for label, text in (("Vessel", "3"), ("Agent", "2"), ("ETA", "2026-06-02 10:00")):
            self.type_into(label, text, page)
        p = self.prefix("Cargo line", page)
        page.locator(f"[id='{p}act-new']").click()
        expect(page.locator(f"[id='{p}panel'] .record-state")).to_contain_text("New record")
        for label, text in (("Line no.", "1"), ("Commodity", "CORK"), ("Direction", "in"), ("Tonnes", "12.5")):
            self.type_into(label, text, page, p)
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        page.locator("#act-save").click()
        expect(page.get_by_text("Saved 2 records.")).to_be_visible()
        expect(page.locator(f"[id='{p}rows'] .record")).to_have_count(1)
        query = (
            "SELECT c.vessel_id, l.tonnes FROM cargo_line l JOIN port_call c ON c.id = l.port_call_id WHERE c.id > 1200"
        )
        self.assertEqual(self.sql(query), [(3, 12.5)])

    def test_an_empty_text_and_no_value(self):
        page = self.on("Vessel", "i9")
        note = page.locator("#panel .field", has=page.get_by_label("Remarks")).locator(".note")
        note.get_by_role("button", name="Make it an empty text").click()
        expect(note).to_contain_text("An empty text")
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        self.assertEqual(self.sql("SELECT remarks FROM vessel WHERE id = 9"), [("",)])
        note.get_by_role("button", name="Make it no value").click()
        expect(note).to_contain_text("No value")
        with page.expect_response("**/save?*"):
            page.locator("#act-save").click()
        self.assertEqual(self.sql("SELECT remarks FROM vessel WHERE id = 9"), [(None,)])

    def test_a_practice_copy_is_chosen_in_the_open(self):
        page = self.page
        page.goto(self.base + "/workshop/connection/1/")
        page.get_by_role("button", name="Work on a practice copy").click()
        expect(page.get_by_role("heading", name="Practice copy")).to_be_visible()
        try:
            self.on("Pilot shift", "kWzEsIjIwMjYtMDYtMDEiXQ")
            expect(page.locator(".badge-live")).to_have_text("practice copy")
            self.type_into("Ends", "23:59", page)
            page.get_by_role("button", name="Save in the copy").click()
            self.says("in the practice copy", page)
            self.assertEqual(self.sql("SELECT count(*) FROM pilot_shift WHERE ends LIKE '23:59%'"), [(0,)])
            page.goto(self.base + "/workshop/connection/1/compare")
            expect(page.locator("tbody tr")).to_have_count(1)
            expect(page.locator("tbody")).to_contain_text("pilot_shift")
        finally:
            page.goto(self.base + "/workshop/connection/1/")
            page.get_by_role("button", name="Remove the copy").click()
            page.locator("#question").get_by_role("button", name="Go on").click()
            expect(page.get_by_role("heading", name="Live")).to_be_visible()

    def test_each_record_is_saved_when_one_leaves_it(self):
        page = self.page
        page.goto(self.base + "/workshop/project/1/datasets/")
        page.get_by_role("link", name="Tide reading", exact=True).click()
        page.get_by_label("Save each record as soon as one leaves it").check()
        with page.expect_response(lambda answer: answer.request.method == "POST"):
            page.locator("form", has=page.locator("#version")).get_by_role("button", name="Apply", exact=True).click()
        self.on("Tide reading", "i5")
        self.type_into("Quality", "3", page)
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#go-next").click()
        self.says("Saved 1 record", page)
        expect(page.locator("#panel")).to_have_attribute("data-record", "i6")
        self.assertEqual(self.sql("SELECT quality FROM tide_reading WHERE id = 5"), [(3,)])
