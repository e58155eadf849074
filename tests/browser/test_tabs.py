"""Details on pages of tabs: read once somebody opens them, at the record that the page stands on."""

import re
import sqlite3

from playwright.sync_api import expect

from tests.browser.served import LATE, Served


class Tabs(Served):
    def setUp(self):
        super().setUp()
        self.asked: list[str] = []
        self.page.on("request", lambda request: self.asked.append(request.url))
        with sqlite3.connect(self.harbour) as db:
            [(self.call, self.count)] = db.execute(
                "SELECT port_call_id, count(*) FROM container_move GROUP BY 1 HAVING count(*) BETWEEN 2 AND 8 ORDER BY 1 LIMIT 1"
            )
            [(self.before,)] = db.execute(
                "SELECT count(*) FROM container_move WHERE port_call_id = ?", (self.call - 1,)
            )
        self.work("Port call")

    def rows(self):
        return self.page.locator("[role=tabpanel]:not([hidden]) [data-rows] .record")

    def asks(self, words):
        return [url for url in self.asked if words in url]

    def of_moves(self):
        """What was asked for of the containers."""
        return [url.partition("?")[0].rpartition("/")[2] for url in self.asks("container_move/")]

    def open(self, title):
        self.page.get_by_role("tab", name=title).click()

    def go_to(self, number):
        # By mouse and keys, as a person does: what is pressed waits for a page of tabs that is on its way, a script does not.
        self.page.locator("#go-number").click()
        for key in ["Control+a", *str(number), "Enter"]:
            self.page.keyboard.press(key)
        expect(self.page.locator("#panel")).to_have_attribute("data-position", str(number - 1))

    def test_read_when_it_is_opened_and_again_under_another_master(self):
        self.page.add_init_script(LATE)
        self.work("Port call")
        self.go_to(self.call)
        self.assertEqual(self.asks("container_move/"), [])
        self.open("Container move")
        expect(self.rows()).to_have_count(self.count)
        [read] = self.asks("/arrange")
        self.assertIn(f"/i{self.call}/", read)
        self.until(lambda: "totals" in self.of_moves())
        # Back and there again nothing is asked: nothing has changed.
        self.open("Dues invoice")
        self.open("Container move")
        self.assertEqual(self.of_moves(), ["arrange", "totals"])
        # In sight it follows its master without being asked for; the others wait.
        self.go_to(self.call - 1)
        expect(self.rows()).to_have_count(self.before)
        self.open("Cargo line")
        expect(self.page.locator("[role=tabpanel]:not([hidden]) .unread")).to_have_count(0)
        self.go_to(self.call)
        self.open("Container move")
        expect(self.rows()).to_have_count(self.count)
        self.assertEqual([what for what in self.of_moves() if what != "totals"], ["arrange"] * 2)

    def test_keys_pressed_meanwhile_go_to_what_is_on_its_way(self):
        page = self.page
        self.go_to(self.call)
        page.get_by_role("tab", name="Cargo line").focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Alt+Shift+D")
        page.keyboard.press("ArrowDown")
        expect(self.rows()).to_have_count(self.count)
        expect(self.rows().nth(1)).to_have_attribute("aria-selected", "true")
        # The page finds its place again, in a page of tabs that is closed by now too.
        current = self.rows().nth(1).get_attribute("data-id")
        expect(page).to_have_url(re.compile("places="))
        self.reload()
        self.ready()
        self.open("Container move")
        expect(self.rows().nth(1)).to_have_attribute("aria-selected", "true")
        self.assertEqual(self.rows().nth(1).get_attribute("data-id"), current)

    def test_a_save_that_stops_at_a_detail_leads_to_it(self):
        page = self.page
        self.go_to(self.call)
        self.open("Cargo line")
        tonnes = page.locator("[id='cargo_line--panel'] [data-field=tonnes]")
        record = page.locator("[id='cargo_line--panel']").get_attribute("data-record")
        tonnes.fill("a few")
        tonnes.press("Tab")
        expect(page.locator("#strip")).to_contain_text("1 needs attention")
        self.open("Dues invoice")
        self.go_to(3)
        page.keyboard.press("Control+s")
        self.says("Nothing was saved. 1 record needs attention first; it is shown.")
        expect(page.locator("#panel")).to_have_attribute("data-position", str(self.call - 1))
        expect(tonnes).to_be_focused()
        expect(tonnes).to_have_value("a few")
        expect(page.locator("[id='cargo_line--panel']")).to_have_attribute("data-record", record)

    def test_keys_that_waited_do_what_a_browser_does_with_them(self):
        page = self.page
        page.add_init_script(LATE)
        self.work("Port call")
        self.open("Container move")
        page.locator("#go-number").focus()
        for key in ["Control+a", "1", "9", "ArrowLeft", "Delete", "2", "Home", "Delete", "End", "5", "Enter"]:
            page.keyboard.press(key)
        expect(page.locator("#panel")).to_have_attribute("data-position", "24")
        self.open("Dues invoice")
        page.locator("#go-next").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", "25")
        self.open("Cargo line")
        page.locator("#go-next").focus()
        page.keyboard.press("Space")
        expect(page.locator("#panel")).to_have_attribute("data-position", "26")

    def test_what_is_pasted_behind_keys_that_wait_goes_where_they_lead(self):
        page = self.page
        page.add_init_script(LATE)
        self.work("Port call")
        page.locator("#go-number").fill("7")
        page.locator("#go-number").select_text()
        page.keyboard.press("Control+x")
        self.open("Dues invoice")
        page.locator("#go-number").focus()
        page.keyboard.press("2")
        page.keyboard.press("Control+v")
        page.keyboard.press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", "26")

    def test_where_enlace_is_away_it_comes_once_it_is_back(self):
        page = self.page
        self.go_to(self.call)
        page.context.set_offline(True)
        self.open("Container move")
        self.says("Enlace can't be reached just now.")
        expect(self.rows()).to_have_count(0)
        page.context.set_offline(False)
        self.wrong.clear()  # the browser tells each request that failed
        expect(self.rows()).to_have_count(self.count)
