"""The query pad and other editors of SQL, by keyboard alone."""

from playwright.sync_api import expect

from tests.browser.served import Served


class QueryPad(Served):
    def test_write_run_look_at_the_plan_and_come_back(self):
        page = self.page
        page.goto(self.base + "/workshop/connection/1/query")
        page.locator("#sql-code").focus()
        page.keyboard.type("SELECT v.nme FROM vessel v")
        wrong = page.locator(".cm-lintRange-error")
        expect(wrong).to_have_text("nme")
        page.keyboard.press("F8")  # to what is wrong, which is told
        expect(page.locator(".cm-tooltip-lint")).to_contain_text("no column nme in v")
        page.keyboard.press("Escape")
        page.keyboard.press("Control+a")
        page.keyboard.press("Delete")
        page.keyboard.type("SELECT v.len")
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("End")
        page.keyboard.type(" FROM vessel v")
        for _ in range(len(" FROM vessel v")):
            page.keyboard.press("ArrowLeft")
        page.keyboard.press("Control+Space")
        expect(page.locator(".cm-tooltip-autocomplete [aria-selected=true]")).to_have_text("length_m")
        page.wait_for_timeout(150)  # what appears under somebody's hands is not taken by the next key at once
        page.keyboard.press("Enter")
        expect(page.locator("#sql-code")).to_contain_text("SELECT v.length_m FROM vessel v")
        expect(wrong).to_have_count(0)
        page.keyboard.press("Control+Enter")
        rows = page.locator("#result [role=grid]")
        expect(rows.locator(".record")).to_have_count(40)
        rows.locator("[role=gridcell][tabindex='0']").focus()
        page.keyboard.press("ArrowDown")
        expect(rows.locator(".record").nth(1)).to_have_attribute("aria-selected", "true")
        page.keyboard.press("F2")
        self.says("Keep it as a dataset to edit them")
        page.locator("#plan").press("Enter")
        expect(page.locator(".plan-steps")).to_contain_text("Reads all rows of vessel (v)")
        page.reload()
        expect(page.locator("#sql-code")).to_contain_text("SELECT v.length_m")  # a page that was left loses nothing
        page.locator("[data-again]").press("Enter")
        expect(page.locator("#sql-code")).to_be_focused()
        page.keyboard.press("Tab")
        expect(page.locator("#run")).to_be_focused()

    def test_statements_of_an_action_and_a_formula(self):
        page = self.page
        page.goto(self.base + "/workshop/form/2/")
        page.get_by_role("link", name="New action").click()
        page.get_by_label("Title, as on the button").fill("Note it")
        page.locator("#statements-code").focus()
        page.keyboard.type("UPDATE port_call SET notes = 'seen' WHERE id = :id")
        page.get_by_role("button", name="Apply", exact=True).click()
        expect(page.locator("body")).to_contain_text("Note it is on a button of the form")
        page.goto(self.base + "/workshop/dataset/2/")
        page.get_by_text("Add a calculated field").first.click()
        page.locator("#new-label").fill("Twice")
        page.locator("[name=formula]").fill("draught_m * 2")
        page.locator("details", has=page.get_by_text("Add a calculated field")).get_by_role("button").last.click()
        page.locator("#p-formula-code").focus()  # it is open, since it is new
        page.keyboard.press("Control+End")
        page.keyboard.type(" + 1")
        expect(page.locator("#field-properties .tried").first).not_to_be_empty()
        page.keyboard.press("Tab")
        page.reload()
        page.get_by_role("button", name="More about twice").click()
        expect(page.locator("#p-formula-code")).to_contain_text("draught_m * 2 + 1")
