"""Take the pictures in docs/screenshots anew from the demo's data: `make screenshots`."""

from __future__ import annotations

import sqlite3
import unittest
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.served import Served

FOLDER = Path(__file__).resolve().parent.parent / "docs/screenshots"


class Shots(Served):
    """One walk through the demo."""

    def shot(self, name: str, page=None) -> None:
        page = page or self.page
        page.wait_for_timeout(400)
        page.screenshot(path=FOLDER / f"{name}.png")

    def quiet(self, page) -> None:
        page.evaluate("document.getElementById('said').classList.remove('shown')")

    def wire_wrongly(self, page) -> None:
        """Two mistakes with a button of the sheet that is open."""
        page.locator("[data-close-card]").click()
        page.locator("[data-stage] [data-control=button_2]").click()
        expect(page.locator(".card-of")).to_contain_text("button_2")
        page.locator("#set-shortcut").fill("Alt+Shift+P")
        with page.expect_response("**/compose/act"):
            page.keyboard.press("Tab")
        page.locator("#set-usable_when-code").click()
        page.keyboard.type("state = 'berthed'")
        page.keyboard.press("Escape")
        with page.expect_response("**/compose/act"):
            page.keyboard.press("Tab")

    def edit(self, page) -> None:
        """A draft with an edit, a mistake, a removal and a new record."""
        self.work("Vessel", page)
        self.cell(3, 3, page).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i4")
        self.type_into("Name", "Quilha Mansa II", page)
        self.cell(6, 3, page).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i7")
        page.locator("#act-remove").click()
        page.locator("#question").get_by_role("button", name="Remove").click()
        self.cell(1, 3, page).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i2")
        self.type_into("Draught", "93", page)
        self.quiet(page)

    def test_all(self) -> None:
        page = self.page
        page.goto(self.base + "/workshop/connection/1/?test=1")
        expect(page.locator("#test .fine")).to_have_count(5)
        self.shot("connection")
        page.goto(self.base + "/workshop/connection/1/table?name=vessel")
        self.shot("table")
        page.goto(self.base + "/workshop/dataset/2/")
        page.get_by_role("button", name="More about draught_m").click()
        expect(page.locator("#field-properties")).to_be_visible()
        page.mouse.move(600, 500)
        page.mouse.wheel(0, 460)
        self.shot("dataset")
        page.goto(self.base + "/workshop/connection/1/query")
        page.locator("#sql-code").click()
        page.keyboard.insert_text("SELECT c.id, c.eta, c.status, v.name AS vessel\nFROM port_call c\nJOIN vessel v ON v.id = c.vessel_id\nWHERE c.status = :status")  # fmt: skip
        page.keyboard.press("Control+Enter")
        page.fill("#given-status", "berthed")
        page.keyboard.press("Enter")
        expect(page.locator("#result [role=grid]")).to_be_visible()
        self.shot("query")
        page.goto(self.base + "/workshop/form/2/")
        self.shot("form")
        page.goto(self.base + "/desk/2/?record=i7")
        expect(page.locator("#rows .record").first).to_be_visible()
        self.shot("sheet")
        page.get_by_role("columnheader", name="Status").get_by_role("link").click()
        expect(page.locator("#sentence")).to_contain_text("by Status")
        page.get_by_role("button", name="Conditions").first.click()
        first = page.locator(".asks-one").first
        first.get_by_label("Field").select_option(label="ETA")
        first.get_by_label("Test").select_option(label="is in this")
        first.get_by_label("Stretch of time").select_option(label="year")
        page.get_by_role("button", name="A group").first.click()
        group = page.locator(".asks-group")
        group.get_by_label("Field").select_option(label="Vessel")
        group.get_by_label("Value").fill("doce")
        page.get_by_role("button", name="Show these rows").click()
        expect(page.locator("#sentence")).to_contain_text("this year")
        page.locator("#find").fill("quay")
        expect(page.locator("#sentence [data-found]")).to_contain_text("1 of")
        self.shot("asking")
        page.goto(self.base + "/workshop/form/2/compose")
        page.locator("[data-choose=cargo_line_grid]").click()
        expect(page.locator(".card-of")).to_contain_text("Columns")
        self.shot("composer")
        self.wire_wrongly(page)
        page.goto(self.base + "/workshop/project/1/wiring")
        self.shot("wiring")
        page.goto(self.base + "/workshop/form/2/compose")
        for _ in range(2):
            with page.expect_response("**/compose/act"):
                page.get_by_role("button", name="Undo").click()
        self.edit(page)
        self.shot("desk")
        page.get_by_role("link", name="Review").click()
        page.locator("details.sql-of summary").first.click()
        self.shot("review")
        page.go_back()
        page.locator("#act-rehearse").click()
        expect(page.get_by_role("heading", name="rehearsal")).to_be_visible()
        self.shot("rehearsal")
        dark = self.open_page("operator", color_scheme="dark")
        self.work("Port call", dark)
        dark.locator("#go-number").fill("1160")
        dark.locator("#go-number").press("Enter")
        expect(dark.locator("#panel")).to_have_attribute("data-record", "i1160")
        self.type_into("Draught", "13.5", dark)
        self.quiet(dark)
        self.shot("desk-dark", dark)
        dark.locator("#act-undo").click()
        vessel = self.work("Port call", self.open_page("operator"))
        editor = vessel.locator("#panel").get_by_role("combobox", name="Vessel")
        editor.fill("")
        editor.press_sequentially("ja")
        expect(vessel.locator("#choices [data-choice]").first).to_be_visible()
        self.shot("list", vessel)
        page.goto(self.base + "/desk/1/?record=i4")
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        page.goto(self.base + "/desk/1/?record=i4")
        self.type_into("Name", "Quilha Mansa II", page)
        self.type_into("Flag", "PT", page)
        with sqlite3.connect(self.harbour) as db:
            db.execute("UPDATE vessel SET name = 'Quilha Nova', gross_tonnage = 24500 WHERE id = 4")
        expect(page.locator("#drift")).to_contain_text("Name is now")
        self.shot("warning")
        page.locator("#act-save").click()
        expect(page.locator("form.settle")).to_be_visible()
        self.quiet(page)
        self.shot("conflict")
        page.locator("form.settle button", has_text="Use this choice").click()
        self.says("Settled")
        page.locator("#act-save").click()
        self.says("Saved 1 record")
        page.goto(self.base + "/desk/journal/1/")
        self.shot("journal")
        self.bring_in(page)
        self.arranged(page)

    def bring_in(self, page) -> None:
        """A spreadsheet of cargo with two faulty rows."""
        rows = [
            ["Line no.", "Commodity", "Direction", "Tonnes"],
            ["90", "Cork", "in", "12.5"],
            ["91", "Moonstone", "in", "3"],
        ]
        rows += [[str(100 + i), "Wheat", "out", "heavy" if i == 5 else f"{1 + i / 8:.3f}"] for i in range(40)]
        self.work("Port call", page)
        page.locator("[data-of] a", has_text="Bring in").nth(1).click()
        content = "\n".join(";".join(row) for row in rows).encode()
        page.locator("#file").set_input_files({"name": "cargo.csv", "mimeType": "text/csv", "buffer": content})
        page.get_by_role("button", name="Read it").click()
        page.get_by_role("button", name="Check the rows").click()
        expect(page.locator("[data-mend]")).to_have_count(2)
        page.locator("[data-mend] [aria-invalid]").first.focus()
        self.shot("bring-in")

    def arranged(self, page) -> None:
        """A column that stays at its side, totals below, equal values written once."""
        self.work("Vessel", page)
        for field, several in (
            ("name", [["Place …", "Stay at the start"]]),
            ("flag", [["From A to Z"], ["Totals below …", "Different values"]]),
            ("length_m", [["Totals below …", "Average"], ["Totals below …", "Greatest"]]),
            ("beam_m", [["Rows …", "Equal values written once where rows are ordered"]]),
        ):
            for path in several:
                page.locator(f"#grid [data-name={field}] .column-acts").click()
                for words in path:
                    page.locator(".column-menu li").get_by_text(words, exact=True).click()
                page.wait_for_timeout(400)
        page.locator("#scroller").evaluate("e => (e.scrollLeft = 220)")
        self.quiet(page)
        self.shot("arranged")


if __name__ == "__main__":
    unittest.main()
