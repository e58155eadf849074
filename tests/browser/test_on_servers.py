"""The demo on PostgreSQL and on MariaDB, in the browser: edit, refusal, conflict, outage, journal."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.browser.served import Served


class OnServers(Served):
    server_kind = ""

    def sql(self, statement: str, fetch: bool = True):
        connection = self.host.connect(autocommit=True)
        try:
            cursor = connection.cursor()
            cursor.execute(statement)
            return list(cursor.fetchall()) if fetch else None
        finally:
            connection.close()

    def test_a_day_at_the_desk(self):
        page = self.page
        self.assertEqual(self.sql("SELECT count(*) FROM cargo_line"), [(4000,)])
        page.goto(self.base + "/workshop/connection/1/?test=1")
        expect(page.locator("#test .fine")).to_have_count(7)
        page.goto(self.base + "/desk/1/?record=i6")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i6")
        expect(page.locator(".head")).to_contain_text("vessel")
        # a line that the list lacks
        self.type_into("Vessel type", "ZZZ", page)
        page.locator("#act-save").click()
        self.says("1 record needs attention", page)
        expect(page.locator("#panel")).to_contain_text("“ZZZ” is not in the list")
        # a conflict on another field, combined
        self.type_into("Vessel type", "TUG", page)
        self.type_into("Name", "Mine II", page)
        self.sql("UPDATE vessel SET remarks = 'theirs' WHERE id = 6", fetch=False)
        expect(page.locator("#drift")).to_contain_text("Remarks is now theirs")
        page.locator("#act-save").click()
        page.get_by_role("button", name="Combine both").click()
        self.says("Settled", page)
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        rows = self.sql("SELECT name, vessel_type_code, remarks, version FROM vessel WHERE id = 6")
        self.assertEqual(rows, [("Mine II", "TUG", "theirs", 3)])
        # the server goes away with an edit under way, and comes back
        editor = page.locator("#panel").get_by_label("Remarks")
        page.locator("details.other summary").click()
        page.locator("#outage").click()
        self.says("The database is away", page)
        editor.fill("typed while away")
        editor.press("Tab")
        self.says("What you typed stays here", page)
        expect(page.locator(".badge-live")).to_have_text("away")
        # a record that can't be had: its row is the current one, and the editors of the one before take nothing
        self.cell(3, 2, page).click()
        expect(page.locator("#panel")).to_have_js_property("inert", True)
        expect(page.locator("#panel")).to_have_attribute("data-record", "i6")
        page.locator("#outage-over").click()
        self.says("is back", page)
        expect(page.locator(".badge-live")).to_have_text("live")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i4")
        expect(page.locator("#panel")).to_have_js_property("inert", False)
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        self.assertEqual(self.sql("SELECT remarks FROM vessel WHERE id = 6"), [("typed while away",)])
        # the journal takes it back
        page.goto(self.base + "/desk/journal/2/")
        page.get_by_role("button", name="Take this save back").click()
        expect(page.get_by_text("A draft of 1 record that takes the save back")).to_be_visible()
        page.goto(self.base + "/desk/1/?record=i6")
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        self.assertEqual(self.sql("SELECT remarks FROM vessel WHERE id = 6"), [("theirs",)])
        self.wrong[:] = [item for item in self.wrong if "503" not in item]

    def test_details_and_generated_keys(self):
        page = self.page
        page.goto(self.base + "/desk/2/")
        page.locator("#act-new").click()
        expect(page.locator("#panel .record-state")).to_contain_text("New record")
        for label, text in (("Vessel", "3"), ("Agent", "2"), ("ETA", "2026-06-02 10:00")):
            self.type_into(label, text, page)
        p = self.prefix("Cargo line", page)
        page.locator(f"[id='{p}act-new']").click()
        expect(page.locator(f"[id='{p}panel'] .record-state")).to_contain_text("New record")
        for label, text in (("Line no.", "1"), ("Commodity", "CORK"), ("Direction", "in"), ("Tonnes", "12.5")):
            self.type_into(label, text, page, p)
        page.locator("#act-save").click()
        expect(page.get_by_text("Saved 2 records.")).to_be_visible()
        query = (
            "SELECT c.vessel_id, l.tonnes FROM cargo_line l JOIN port_call c ON c.id = l.port_call_id WHERE c.id > 1200"
        )
        self.assertEqual([(v, float(t)) for v, t in self.sql(query)], [(3, 12.5)])


class OnPostgreSQL(OnServers):
    server_kind = "postgresql"


class OnMariaDB(OnServers):
    server_kind = "mariadb"


del OnServers  # only its two subclasses are tests
