"""Choosing from lists by keyboard and mouse, in the panel and in the grid."""

import re

from playwright.sync_api import expect

from tests.browser.served import Served


class Lists(Served):
    def editor(self, label):
        return self.page.locator("#panel").get_by_role("combobox", name=label)

    def lines(self):
        return self.page.locator("#choices [data-choice]")

    def discard(self):
        self.page.locator("#strip").locator("#act-discard").click()
        self.page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded")

    def test_by_keyboard_beside_the_grid(self):
        page = self.work("Port call")
        vessel = self.editor("Vessel")
        before = vessel.input_value()
        vessel.fill("")
        vessel.press_sequentially("JANGÁDA v")  # capitals and accents make no difference
        expect(self.lines().first).to_contain_text("Jangada Velha")
        expect(vessel).to_have_attribute("aria-expanded", "true")
        expect(self.lines().first).to_have_attribute("aria-selected", "true")
        expect(vessel).to_have_attribute("aria-activedescendant", "choice-0")
        chosen = self.lines().first.text_content()
        with page.expect_response("**/edit?*"):
            vessel.press("Enter")
        expect(self.cell(0, 2)).to_have_text(chosen)
        expect(page.locator("#panel")).to_contain_text(f"was {before}")
        expect(vessel).to_have_value(chosen)
        # Escape closes the list and keeps the value
        vessel.press("ArrowDown")
        expect(self.lines().nth(20)).to_be_attached()
        vessel.press("Escape")
        expect(page.locator("#choices")).to_be_hidden()
        expect(vessel).to_have_value(chosen)
        # a match inside a word is taken too, by Enter or by Tab; not the one of what stood there a moment ago
        agent = self.editor("Agent")
        for text, key, expected in (
            ("alta", "Enter", "Maré Alta Agents"),
            ("molhe", "Tab", "Agência do Molhe"),
        ):
            agent.fill("")
            agent.press_sequentially(text)
            expect(self.lines().first).to_have_attribute("aria-selected", "true")
            expect(self.lines().first).to_have_text(expected)
            with page.expect_response("**/edit?*"):
                agent.press(key)
            expect(agent).to_have_value(expected)
        agent.fill("")
        agent.press_sequentially("al")
        expect(self.lines().first).to_have_text("Maré Alta Agents")
        with page.expect_response("**/edit?*"):
            page.evaluate(
                """() => {
                    const agent = document.activeElement;
                    agent.value = "no such agent";
                    for (const type of ["input", "keydown"])
                        agent.dispatchEvent(new KeyboardEvent(type, { key: "Enter", bubbles: true }));
                }"""
            )
        expect(page.locator("#panel")).to_contain_text("“no such agent” is not in the list")
        for _ in range(3):
            page.locator("#act-undo").click()
            page.wait_for_timeout(300)
        vessel.focus()
        vessel.fill("no such ship")
        with page.expect_response("**/edit?*"):
            vessel.press("Tab")
        expect(page.locator("#panel")).to_contain_text("“no such ship” is not in the list")
        expect(self.cell(0, 2)).to_have_text("no such ship")
        vessel.press("Tab")
        page.locator("#act-undo").click()
        expect(vessel).to_have_value(chosen)
        page.locator("#act-undo").click()
        expect(vessel).to_have_value(before)

    def test_a_long_list_comes_page_by_page(self):
        page = self.work("Cargo line")
        call = self.editor("Port call")
        call.press("ArrowDown")
        expect(self.lines()).to_have_count(50)
        page.locator("#choices [data-more]").scroll_into_view_if_needed()
        expect(self.lines()).to_have_count(100)
        for _ in range(7):
            call.press("PageDown")
        call.press("ArrowUp")
        with page.expect_response("**/edit?*"):
            call.press("Enter")
        expect(page.locator("#panel")).to_contain_text("was ")

    def test_by_mouse_and_in_the_grid(self):
        page = self.work("Port call")
        page.get_by_role("button", name="Open the list of Status").click()
        with page.expect_response("**/edit?*"):
            self.lines().filter(has_text="berthed").click()
        expect(self.cell(0, 6)).to_have_text("berthed")
        pilot = self.editor("Pilot")
        page.get_by_role("button", name="Clear Pilot").click()
        expect(self.cell(0, 5)).to_have_text("")
        expect(pilot).to_have_value("")
        # typing in a cell opens the list under it
        self.cell(2, 4).click()
        page.keyboard.type("maré")
        expect(self.lines().first).to_have_text("Maré Alta Agents")
        with page.expect_response("**/edit?*"):
            page.keyboard.press("Enter")
        expect(self.cell(2, 4)).to_have_text("Maré Alta Agents")
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        page.keyboard.press("ArrowDown")
        expect(page.locator("#panel")).to_have_attribute("data-position", "3")
        # a grid is sorted by what is shown
        self.discard()
        page.get_by_role("columnheader", name="Agent").get_by_role("link").click()
        expect(self.cell(0, 4)).to_have_text("Agência do Molhe")

    def test_add_to_the_list_and_come_back(self):
        page = self.work("Port call")
        agent = self.editor("Agent")
        vessel = self.editor("Vessel")
        # Without a word the form is there to look for one; with one that the list lacks a new record has it.
        vessel.press("ArrowDown")
        page.locator("#choices [data-go-to]").click()
        expect(page.locator("#errand")).to_contain_text("You look for Vessel of Port call")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i1")
        page.get_by_role("button", name="Back without one").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Port call")
        vessel.fill("")
        vessel.press_sequentially("Nova Aurora")
        expect(page.locator("#choices")).to_contain_text("Nothing in the list")
        page.locator("#choices [data-go-to]").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Vessel")
        expect(page.locator("#panel .record-state")).to_contain_text("New record")
        expect(page.locator("#panel").get_by_label("Name")).to_have_value("Nova Aurora")
        expect(self.editor("Vessel type")).to_be_focused()
        self.reload(page)
        expect(page.locator("#strip")).to_contain_text("1 record pending")  # and no second one
        for label, text in (
            ("IMO no.", "9074729"),
            ("Vessel type", "TUG"),
            ("Flag", "PT"),
        ):
            self.type_into(label, text)
        page.locator("#errand-bring").click()
        self.says("This record is not saved yet")
        page.locator("#act-save").click()
        expect(page.locator("#strip")).not_to_contain_text("pending")
        page.locator("#errand-bring").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Port call")
        expect(vessel).to_have_value("Nova Aurora · 9074729")
        expect(agent).not_to_have_value("")
        self.discard()
        self.wrong = [w for w in self.wrong if "409" not in w and "400" not in w]

    def test_a_filter_by_what_lists_show(self):
        page = self.work("Port call")
        page.locator("#act-filter").click()
        expect(page.get_by_label("Filter by ID")).to_be_focused()
        page.get_by_label("Filter by Vessel").fill("jangáda v")
        page.get_by_label("Filter by Status").fill("=departed")
        page.keyboard.press("Enter")
        expect(page.locator("#act-filter")).to_have_text("Filtered")
        expect(page.get_by_label("Filter by Status")).to_be_focused()
        expect(page.locator("#go-total")).not_to_have_text("1,200")
        page.locator("#go-last").click()
        expect(self.editor("Vessel")).to_have_value(re.compile("Jangada Velha"))
        total = page.locator("#go-total").text_content()
        expect(page.locator("#go-number")).to_have_value(total)
        expect(page.locator('#rows .record[aria-selected="true"]')).to_have_attribute("data-at", str(int(total) - 1))
        page.locator("#grid [data-name=purpose] .column-acts").click()
        page.get_by_role("menuitem", name="How many rows of each value").click()
        page.locator("#groups a", has_text="repair").click()
        expect(page.get_by_label("Filter by Purpose")).to_have_value("==repair")
        expect(page.locator("#rows .record").first).to_contain_text("repair")
        page.get_by_role("link", name="Show all rows").click()
        expect(page.locator("#go-total")).to_have_text("1,200")
        expect(page.get_by_label("Filter by Purpose")).to_be_hidden()
