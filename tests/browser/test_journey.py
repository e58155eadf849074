"""Whole journeys in a real browser: from a file to a saved edit, by mouse and by keyboard."""

import re
import sqlite3
import time

from playwright.sync_api import expect

from tests.browser.served import Served


def office(path):
    """A database that has nothing to do with Enlace or its demo."""
    with sqlite3.connect(path) as db:
        db.executescript("""
            CREATE TABLE quarry (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
            CREATE TABLE stone (
                id INTEGER PRIMARY KEY, quarry_id INTEGER NOT NULL REFERENCES quarry (id), label VARCHAR(12) NOT NULL UNIQUE,
                weight_kg DECIMAL(7, 2) CHECK (weight_kg > 0), cut_on DATE, polished BOOLEAN NOT NULL DEFAULT 0, remarks TEXT);
            INSERT INTO quarry VALUES (1, 'Upper'), (2, 'Lower');
        """)
        rows = [(n, 1 + n % 2, f"S-{n:03}", n * 2.5, f"2026-01-{1 + n % 28:02}", n % 2) for n in range(1, 61)]
        db.executemany(
            "INSERT INTO stone (id, quarry_id, label, weight_kg, cut_on, polished) VALUES (?, ?, ?, ?, ?, ?)", rows
        )
    db.close()


class Journey(Served):
    def ask(self, sql, path=None):
        with sqlite3.connect(path or self.harbour) as db:
            rows = db.execute(sql).fetchall()
        db.close()
        return rows

    def connect(self, page, path):
        page.get_by_label("Name").fill("Stone office")
        page.get_by_role("button", name="Make the project").click()
        page.get_by_role("link", name="New connection").click()
        page.get_by_label("Name").fill("Stones")
        page.get_by_label("File").fill(str(path) + "x")
        page.get_by_role("button", name="Apply and test").click()
        expect(page.locator("#test .failed")).to_contain_text("The closest name in that folder is stones.db")
        page.get_by_role("link", name="Change").click()
        page.get_by_label("File").fill(str(path))
        page.get_by_role("button", name="Apply and test").click()
        expect(page.locator("#test .fine")).to_have_count(5)
        expect(page.locator(".card-sheet", has_text="stone")).to_contain_text("60 rows")
        page.get_by_role("link", name="stone", exact=True).click()
        expect(page.get_by_role("region", name="Columns")).to_contain_text("DECIMAL(7, 2)")
        page.get_by_role("button", name="Make a form").click()

    def move(self, page):
        expect(page.get_by_role("heading", name="Stone", exact=True)).to_be_visible()
        expect(page.locator("#go-total")).to_have_text("60")
        for button in ("First", "Back"):
            expect(page.get_by_role("button", name=button, exact=True)).to_be_disabled()
        page.locator("#go-last").click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i60")
        for button in ("Next", "Last"):
            expect(page.get_by_role("button", name=button, exact=True)).to_be_disabled()
        expect(self.cell(59, 3)).to_be_in_viewport()
        expect(page.locator('.record[aria-selected="true"]')).to_have_attribute("data-id", "i60")
        page.locator("#go-number").fill("7")
        page.locator("#go-number").press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i7")

    def be_wrong(self, page):
        self.type_into("Weight (kg)", "twelve")
        expect(page.locator("#panel")).to_contain_text("“t” does not belong in a number")
        expect(self.cell(6, 4)).to_have_text("twelve")
        self.type_into("Weight (kg)", "-3")
        expect(page.locator("#panel")).to_contain_text("Weight (kg) must be greater than 0")
        self.type_into("Weight (kg)", "12.75")
        expect(page.locator("#panel")).to_contain_text("was 17.50")
        self.type_into("Cut on", "31.2.2026")
        expect(page.locator("#panel")).to_contain_text("February 2026 has no day 31")
        page.locator("#act-save").click()
        self.says("Nothing was saved")
        self.type_into("Cut on", "28/2/2026")
        expect(self.cell(6, 5)).to_have_text("28 Feb 2026")

    def test_from_a_file_to_a_saved_edit_by_mouse(self):
        page, path = self.page, self.files / "stones.db"
        office(path)
        self.connect(page, path)
        self.move(page)
        self.be_wrong(page)
        page.locator("#act-new").click()
        expect(page.locator("#panel")).to_contain_text("The database makes this value")
        self.type_into("Quarry", "2")
        self.type_into("Label", "S-007")
        page.locator("#go-number").fill("3")
        page.locator("#go-number").press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", "2")
        page.locator("#act-remove").click()
        page.locator("#question").get_by_role("button", name="Remove").click()
        expect(page.locator("#strip")).to_contain_text("3 records pending: 1 edited, 1 new, 1 to be removed")
        self.reload(page)
        expect(page.locator("#strip")).to_contain_text("3 records pending")
        page.locator("#act-save").click()
        self.says("already has this Label (S-007)")
        expect(page.locator("#strip")).to_contain_text("3 records pending")
        self.type_into("Label", "S-100")
        page.locator("#act-save").click()
        self.says("Saved 3 records")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i61")
        expect(page.locator("#go-total")).to_have_text("60")
        self.assertEqual(self.ask("SELECT weight_kg, cut_on FROM stone WHERE id = 7", path), [(12.75, "2026-02-28")])
        self.assertEqual(
            self.ask("SELECT id, quarry_id, label, polished FROM stone WHERE id > 60", path), [(61, 2, "S-100", 0)]
        )
        self.assertEqual(self.ask("SELECT count(*) FROM stone WHERE id = 3", path), [(0,)])

    def test_a_new_record_is_told_what_it_lacks_field_by_field(self):
        page = self.work("Port call")
        page.keyboard.press("Alt+Shift+N")
        vessel = page.locator("#panel [data-field=vessel_id]")
        expect(vessel).to_be_focused()
        told = page.locator("#panel .note .message")
        expect(told).to_have_count(0)
        page.keyboard.press("Tab")
        expect(told).to_have_text(["Vessel needs a value before saving."])
        # Once something is entered the server tells all of it; what got a value is told no more.
        vessel.focus()
        page.keyboard.type("doce")
        expect(page.locator("#choices [role=option]").first).to_contain_text("Doce")
        page.keyboard.press("Enter")
        expect(told.filter(has_text="Agent")).to_have_text(["Agent needs a value before saving."])
        expect(told.filter(has_text="Vessel")).to_have_count(0)
        page.locator("#act-discard").click()
        page.locator("#question [value=yes]").click()
        self.says("discarded")

    def test_by_keyboard_alone(self):
        page = self.work("Berth", self.open_page("operator"))
        page.keyboard.press("Tab")  # the skip link comes first
        expect(page.locator(".skip")).to_be_focused()
        for _ in range(40):
            page.keyboard.press("Tab")
            if page.evaluate("document.activeElement.getAttribute('role')") == "gridcell":
                break
        else:
            self.fail("the grid can't be reached by Tab")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowRight")
        expect(self.cell(1, 2, page)).to_be_focused()
        page.keyboard.press("F2")
        page.keyboard.press("End")
        page.keyboard.type(" of the north")
        page.keyboard.press("Enter")
        expect(self.cell(2, 2, page)).to_be_focused()
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.keyboard.press("ArrowRight")
        page.keyboard.type("99,5")
        page.keyboard.press("Tab")
        expect(self.cell(2, 4, page)).to_be_focused()
        page.keyboard.type("x")
        page.keyboard.press("Escape")
        expect(self.cell(2, 4, page)).to_be_focused()
        expect(self.cell(2, 3, page)).to_have_attribute("aria-invalid", "true")
        page.keyboard.press("ArrowLeft")
        page.keyboard.type("99.5")
        page.keyboard.press("Enter")
        expect(page.locator("#strip")).not_to_contain_text("attention")
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        page.keyboard.press("Control+z")
        expect(self.cell(2, 3, page)).to_have_text("99,5")
        page.keyboard.press("Control+y")
        expect(self.cell(2, 3, page)).to_have_text("99.50")
        page.keyboard.press("Control+End")
        expect(page.locator('.record[aria-selected="true"]')).to_have_attribute("data-at", "11")
        page.keyboard.press("Control+s")
        self.says("Saved 2 records", page)
        rows = self.ask("SELECT quay, length_m FROM berth ORDER BY code LIMIT 2 OFFSET 1")
        self.assertEqual((rows[0][0][-13:], rows[1][1]), (" of the north", 99.5))

    def test_a_late_answer_leads_nowhere(self):
        page, held = self.work("Berth", self.open_page("operator")), []
        late = re.compile("/(edit|record)[?]")
        page.route(late, lambda route: held.append(route) if len(held) < 2 else route.continue_())
        self.cell(4, 2, page).click()  # asks for the record, and the answer is late
        self.until(lambda: len(held) == 1, page)
        page.keyboard.press("F2")
        page.keyboard.type("Late dock")
        page.keyboard.press("Tab")
        self.until(lambda: len(held) == 2, page)
        held[0].continue_()  # read before the edit, so the record is to be asked for again as soon as that is kept
        page.wait_for_timeout(250)
        page.keyboard.press("ArrowDown")  # but the person goes on
        page.keyboard.press("ArrowLeft")
        page.wait_for_timeout(250)
        held[1].continue_()
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")
        page.wait_for_timeout(500)
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")
        page.keyboard.type("Next dock")
        page.keyboard.press("Enter")
        expect(self.cell(5, 2, page)).to_have_text("Next dock")
        expect(self.cell(4, 2, page)).to_have_text("Late dock")
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded", page)

    def test_the_draft_outlives_everything(self):
        page = self.work("Dues invoice", self.open_page("operator"))
        self.type_into("Amount", "1234.56", page)
        editor = page.locator("#panel").get_by_label("Currency")
        editor.fill("USD")  # still in the editor when the page closes
        self.reload(page)
        expect(page.locator("#panel").get_by_label("Currency")).to_have_value("USD")
        self.server.stop()  # SIGKILL, while an edit is on its way
        self.addCleanup(lambda: self.server.process.poll() is None or self.server.start())
        page.locator("#panel").get_by_role("textbox", name="Paid on").fill("2026-12-24")
        page.keyboard.press("Tab")
        self.says("Enlace can't be reached just now", page)
        self.server.start()
        self.says("Enlace is back", page)
        other = self.work("Dues invoice", self.open_page("operator"))
        for label, value in (("Amount", "1234.56"), ("Currency", "USD"), ("Paid on", "2026-12-24")):
            expect(other.locator("#panel").get_by_role("textbox", name=label)).to_have_value(value)
        other.locator("#act-discard").click()
        other.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded", other)
        self.wrong = [
            w
            for w in self.wrong
            if "ERR_CONNECTION_REFUSED" not in w and "ERR_EMPTY" not in w and "ERR_CONNECTION_RESET" not in w
            and "htmx:sendError" not in w and "htmx:afterRequest" not in w  # the totals were asked for while it was gone
        ]  # fmt: skip

    def test_signed_out_while_typing(self):
        page = self.work("Pilot shift", self.open_page("operator"))
        cookies = page.context.cookies()
        page.context.clear_cookies()
        page.locator("#panel").get_by_role("textbox", name="Ends").fill("21:45")
        page.keyboard.press("Tab")
        self.says("sign in again in another tab", page)
        page.context.add_cookies(cookies)
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        self.wrong = [w for w in self.wrong if "403" not in w]

    def test_what_can_not_be_sent_holds_nothing_back(self):
        """One edit is answered with “locked” as often as it is sent: it is set aside, told, and sent again on demand."""
        page, refusing = self.work("Vessel"), True

        def answer(route):
            if refusing and "refused-name" in (route.request.post_data or ""):
                route.fulfill(status=503, body="<p>Somebody else is writing to the database.</p>")
            else:
                route.continue_()

        page.route("**/edit?*", answer)
        self.type_into("Name", "refused-name", page)
        self.type_into("Flag", "MT", page)
        unsent = page.get_by_role("alert", name="Not sent")
        expect(unsent).to_contain_text("“refused-name” was not taken. Somebody else is writing", timeout=20_000)
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        [(name, flag)] = self.ask("SELECT name, flag FROM vessel WHERE id = 1")
        self.assertTrue(name != "refused-name" and flag == "MT", (name, flag))
        refusing = False
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        expect(unsent).to_be_hidden()
        page.locator("#act-save").click()
        expect(page.locator("#strip")).not_to_contain_text("pending")
        self.assertEqual(self.ask("SELECT name, flag FROM vessel WHERE id = 1"), [("refused-name", "MT")])
        self.wrong = [w for w in self.wrong if "503" not in w]

    def test_two_people_one_record(self):
        mine, theirs = self.work("Vessel"), self.work("Vessel", self.open_page("operator"))
        for page, name, flag in ((theirs, "Theirs", "NO"), (mine, "Mine", "MT")):
            self.type_into("Name", name, page)
            self.type_into("Flag", flag, page)
        theirs.get_by_role("button", name="Save").click()
        self.says("Saved 1 record", theirs)
        mine.get_by_role("button", name="Save").click()
        table = mine.locator(".settle table")
        expect(table.locator("tr", has_text="Name")).to_contain_text("Gaivota Azul")
        expect(table.locator("tr", has_text="Name")).to_contain_text("Theirs")
        table.locator("tr", has_text="Flag").get_by_label("NO").check()
        mine.get_by_role("button", name="Use this choice").click()
        expect(mine.locator(".settle")).to_have_count(0)
        mine.get_by_role("button", name="Save").click()
        self.says("Saved 1 record", mine)
        self.assertEqual(self.ask("SELECT name, flag FROM vessel WHERE id = 1"), [("Mine", "NO")])

    def test_a_million_rows(self):
        path = self.files / "million.db"
        with sqlite3.connect(path) as db:
            db.execute("CREATE TABLE n (id INTEGER PRIMARY KEY, twice INTEGER)")
            numbers = "WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c WHERE n < 1000000) SELECT n, 2 * n FROM c"
            db.execute(f"INSERT INTO n {numbers}")
        db.close()
        page = self.page
        page.get_by_role("link", name="Porto Salgueiro").click()
        page.get_by_role("link", name="New connection").click()
        page.get_by_label("Name").fill("Million")
        page.get_by_label("File").fill(str(path))
        page.get_by_role("button", name="Apply and test").click()
        page.get_by_role("link", name="n", exact=True).click()
        page.get_by_role("button", name="Make a form").click()
        expect(page.locator("#go-total")).to_have_text("1,000,000")
        scroller = page.locator("#scroller")
        self.ready()
        scroller.evaluate("e => { e.scrollTop = e.scrollHeight }")
        expect(self.cell(999_999, 1)).to_be_in_viewport()
        expect(self.cell(999_999, 2)).to_have_text("2,000,000")
        for height in (700, 800):  # as when the save strip or the totals come
            page.set_viewport_size({"width": 1280, "height": height})
            expect(self.cell(999_999, 1)).to_be_in_viewport(ratio=0.9)
        scroller.evaluate("e => { e.scrollTop = e.scrollHeight / 2 }")
        expect(page.locator("#rows .record").first).to_have_attribute("data-at", re.compile("^(499|500)...$"))
        scroller.hover()
        page.mouse.wheel(0, -90)  # three rows, however long the table
        time.sleep(0.3)
        self.assertLessEqual(page.locator("#rows .record").count(), 100)
        scroller.evaluate("e => { e.scrollTop = 0 }")
        expect(self.cell(0, 1)).to_be_in_viewport()
        self.cell(5, 1).click()
        page.keyboard.press("Control+End")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i1000000")
        expect(self.cell(999_999, 2)).to_be_focused()
        page.keyboard.press("ArrowUp")
        page.keyboard.press("PageUp")
        expect(page.locator('.record[aria-selected="true"] > [role=gridcell]').nth(2)).to_be_focused()
