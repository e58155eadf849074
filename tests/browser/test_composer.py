"""A form laid out by mouse and by keyboard alone, and used: several sources on one page."""

import re
import sqlite3

from playwright.sync_api import expect

from tests.browser.served import Served


class Composing(Served):
    def compose(self, form: int):
        self.page.goto(f"{self.base}/workshop/form/{form}/compose")
        expect(self.page.locator("[data-stage] [data-control]").first).to_be_visible()
        return self.page

    def test_by_mouse_to_the_desk(self):
        page = self.compose(1)
        page.locator("[data-drag=flag]").first.drag_to(page.locator("[data-stage]"), target_position={"x": 30, "y": 12})
        expect(page.locator(".card-of h2")).to_have_text("Editor flag")
        expect(page.locator("#wiring")).to_contain_text("Flag has 2 editors")
        page.locator("#set-label").fill("Flies the flag of")
        page.keyboard.press("Tab")
        expect(page.locator("[data-control=flag]")).to_contain_text("Flies the flag of")
        box = page.locator("[data-control=flag]").bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 10)
        page.mouse.down()
        page.mouse.move(box["x"] + 300, box["y"] + 12, steps=6)
        page.mouse.up()
        expect(page.locator("[data-control=flag]")).to_have_class(re.compile(r"\bx[3-9]\b"))
        page.locator("[data-cross=vessel_grid][data-field=imo_no]").click()
        expect(page.locator("[data-cross=vessel_grid][data-field=imo_no]")).to_have_attribute("aria-pressed", "false")
        page.get_by_role("link", name="Try it").click()
        expect(page.locator("#c-flag")).to_contain_text("Flies the flag of")
        expect(page.locator("#grid [data-name=imo_no]")).to_have_count(0)
        page.locator("#c-flag input").fill("PT")
        with page.expect_response("**/edit?*"):
            page.keyboard.press("Tab")
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#go-next").click()
        expect(page.locator("#panel")).to_have_attribute("data-position", "1")
        expect(page.locator("#c-flag input")).not_to_have_value("PT")
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded", page)

    def test_cards_and_a_navigator_of_moves_alone(self):
        page = self.compose(5)
        page.locator(".adds summary").click()
        page.locator("[data-add=cards]").click()
        expect(page.locator("[data-control=cards]")).to_have_class(re.compile("chosen"))
        page.locator("[data-choose$=_grid]").first.click()
        page.locator("[data-stage] [data-kind=navigator]").click(position={"x": 4, "y": 4})
        page.locator("#set-acts").uncheck()
        expect(page.locator("[data-set=acts]")).not_to_be_checked()
        page.get_by_role("link", name="Try it").click()
        expect(page.locator("#go-next")).to_be_visible()
        expect(page.locator("#act-new")).to_be_hidden()
        cards = page.locator(".card-record")
        expect(cards.nth(0)).to_have_attribute("aria-selected", "true")
        page.locator("#go-next").click()
        expect(cards.nth(1)).to_have_attribute("aria-selected", "true")
        expect(cards.nth(0)).to_have_attribute("aria-selected", "false")

    def test_by_keyboard_alone(self):
        page = self.compose(5)
        page.locator(".adds summary").focus()
        page.keyboard.press("Enter")
        page.locator("[data-add=heading]").focus()
        page.keyboard.press("Enter")
        self.says("Heading or text", page)
        expect(page.locator("[data-control=heading]")).to_be_focused()
        for key, words in (("ArrowRight", "column 2"), ("Shift+ArrowLeft", "5 wide"), ("Control+z", "Undone")):
            page.keyboard.press(key)
            self.says(words, page)
        page.locator("[data-control=heading]").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#set-text")).to_be_visible()
        page.locator("#set-text").focus()
        page.keyboard.press("Control+a")
        page.keyboard.type("Where ships lie")
        page.keyboard.press("Tab")
        expect(page.locator("[data-control=heading]")).to_contain_text("Where ships lie")
        page.locator("[data-control=heading]").focus()
        page.keyboard.press("Delete")
        expect(page.locator("[data-control=heading]")).to_have_count(0)


class OnOnePage(Served):
    def ask(self, statement: str):
        with sqlite3.connect(self.harbour) as db:
            return db.execute(statement).fetchall()

    def test_details_follow_and_are_sorted_edited_and_saved_in_place(self):
        page = self.page
        page.goto(self.base + "/desk/2/?record=i4")
        p = self.prefix("Cargo line", page)
        rows = page.locator(f"[id='{p}rows'] .record")
        lines = self.ask("SELECT count(*) FROM cargo_line WHERE port_call_id = 4")[0][0]
        expect(rows).to_have_count(lines)
        loaded = page.evaluate("performance.timeOrigin")
        page.locator(f"[id='{p}grid']").get_by_role("columnheader", name="Tonnes").get_by_role("link").click()
        expect(page.locator(f"[id='{p}grid'] [data-name=tonnes]")).to_have_attribute("aria-sort", "ascending")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i4")
        page.locator("#go-next").click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i5")
        expect(rows).to_have_count(self.ask("SELECT count(*) FROM cargo_line WHERE port_call_id = 5")[0][0])
        expect(page.locator(f"[id='{p}grid'] [data-name=tonnes]")).to_have_attribute("aria-sort", "ascending")
        cell = rows.first.locator("[role=gridcell]").nth(4)
        cell.click()
        page.keyboard.press("F2")
        page.keyboard.press("Control+a")
        page.keyboard.type("77.5")
        page.keyboard.press("Enter")
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        expect(page.locator(".chart details")).to_contain_text("77.5")
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        self.assertEqual(self.ask("SELECT count(*) FROM cargo_line WHERE port_call_id = 5 AND tonnes = 77.5"), [(1,)])
        self.assertEqual(page.evaluate("performance.timeOrigin"), loaded)
        # the address names where every source stands
        last = rows.last
        last.locator("[role=gridcell]").nth(2).click()
        expect(last).to_have_attribute("aria-selected", "true")
        there = last.get_attribute("data-id")
        page.wait_for_function("id => location.search.includes(id)", arg=there)
        page.reload()
        expect(page.locator(f"[id='{p}grid'] .record[aria-selected=true]")).to_have_attribute("data-id", there)
        expect(page.locator(f"[id='{p}grid'] [data-name=tonnes]")).to_have_attribute("aria-sort", "ascending")

    def test_every_act_has_a_key(self):
        page = self.page
        page.goto(self.base + "/desk/2/?record=i4")
        expect(page.locator("#rows .record").first).to_be_visible()
        page.keyboard.press("Alt+Shift+KeyG")
        expect(page.locator("#rows [role=gridcell]:focus")).to_have_count(1)
        page.keyboard.press("Alt+Shift+KeyD")
        expect(page.locator(f"[id='{self.prefix('Cargo line', page)}rows'] [role=gridcell]:focus")).to_have_count(1)
        page.keyboard.press("Alt+Shift+KeyE")
        expect(page.locator(f"[id='{self.prefix('Cargo line', page)}panel'] :focus")).to_have_count(1)
        seen = set()
        for _ in range(12):
            page.keyboard.press("F6")
            seen.add(page.evaluate("document.activeElement.closest('.control')?.dataset.control"))
        self.assertGreaterEqual(len(seen), 8, seen)
        page.locator("#act-keys").click()
        expect(page.locator("#keys")).to_contain_text("Alt+Shift+N")
        page.keyboard.press("Escape")
