"""Expressions are written in code editors, which know the names and underline what is wrong, and lose neither text nor focus."""

from playwright.sync_api import expect

from tests.browser.served import Served


class ExpressionBoxes(Served):
    def put(self, box: str, text: str) -> None:
        self.page.locator(f"#{box}-code").click()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)
        self.page.keyboard.press("Escape")

    def underlined(self, *parts: str) -> None:
        expect(self.page.locator(".cm-lintRange-error")).to_have_text(list(parts))

    def test_on_the_field_sheet(self):
        page = self.page
        page.goto(f"{self.base}/workshop/dataset/2/")
        page.get_by_role("button", name="More about berth_code").click()
        # What one scrolls to of the real rows is drawn.
        widths = page.locator(".strip-rows").evaluate("s => [s.scrollWidth, s.querySelector('.record').offsetWidth]")
        self.assertEqual(*widths)
        self.put("p-required_when", "statu = 'berthed'")
        self.underlined("statu")
        self.put("p-required_when", "status = 'berthed'")
        self.underlined()
        # The sheet is drawn anew meanwhile: one types on where one is.
        with page.expect_response("**/set"):
            page.keyboard.press("Tab")
        expect(page.locator("#p-read_only_when-code")).to_be_focused()
        page.keyboard.type("vessel.flag = 'ZZ'")
        page.keyboard.press("Escape")
        with page.expect_response("**/set"):
            page.keyboard.press("Shift+Tab")
        expect(page.locator("#p-required_when-code")).to_be_focused()
        expect(page.locator("#p-read_only_when")).to_have_value("vessel.flag = 'ZZ'")
        self.put("p-required_when", "status >")
        with page.expect_response("**/set"):
            page.keyboard.press("Tab")
        self.says("Something is missing", page)
        expect(page.locator("#p-required_when-code")).to_have_text("status >")
        page.reload()
        page.get_by_role("button", name="More about berth_code").click()
        expect(page.locator("#p-required_when-code")).to_have_text("status = 'berthed'")

    def test_of_a_rule_and_of_an_action(self):
        page = self.page
        page.goto(f"{self.base}/workshop/dataset/2/")
        self.put("expression", "draught_m < vessel.draught")
        self.underlined("vessel.draught")
        page.goto(f"{self.base}/workshop/form/2/")
        page.get_by_role("link", name="Cast off").first.click()
        self.put("guard", "vessel.flag = 'PT'")
        self.underlined("vessel.flag")
        expect(page.locator("#guard")).to_have_value("vessel.flag = 'PT'")
