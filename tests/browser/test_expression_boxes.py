"""Expressions are written in code editors, which know the names and underline what is wrong, and lose neither text nor focus."""

from playwright.sync_api import expect

from tests.browser.served import LATE, Served


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
        # What stood before is nothing to be sent: what was told of the refusal goes with it.
        self.put("p-required_when", "status = 'berthed'")
        page.keyboard.press("Tab")
        expect(page.locator("#sheet-told")).to_have_count(0)
        hidden = page.get_by_label("notes is hidden")
        for checked in (True, False):
            with page.expect_response("**/set"):
                hidden.set_checked(checked)
        page.reload()
        page.get_by_role("button", name="More about berth_code").click()
        expect(page.locator("#p-required_when-code")).to_have_text("status = 'berthed'")

    def test_typed_in_haste(self):
        page = self.page
        page.add_init_script(LATE)
        page.goto(f"{self.base}/workshop/dataset/2/")
        page.get_by_role("button", name="More about draught_m").click()
        expect(page.locator("#p-help")).to_be_visible()  # what stands below it has moved
        page.get_by_text("Add a calculated field").click()
        page.locator("#new-label").fill("Days in port")
        typed = {
            "p-help": "Metres below the water",
            "p-initial": "4.5",
            "p-required_when-code": "status = 'berthed' or true",
        }
        for box, text in typed.items():
            page.locator(f"#{box}").click()
            page.keyboard.type(text, delay=60)
        page.keyboard.press("Escape")
        page.keyboard.press("Tab")
        expect(page.locator("#sheet-undo")).to_contain_text("required when")
        expect(page.locator("#new-label")).to_have_value("Days in port")
        page.reload()
        page.get_by_role("button", name="More about draught_m").click()
        expect(page.locator("#p-required_when-code")).to_have_text(typed["p-required_when-code"])
        for box in ("p-help", "p-initial"):
            expect(page.locator(f"#{box}")).to_have_value(typed[box])

    def test_what_could_not_be_taken_can_be_sent_again(self):
        page = self.page
        page.goto(f"{self.base}/workshop/dataset/3/")
        label = page.get_by_label("Label of tonnes")
        page.route("**/set", lambda route: route.fulfill(status=503, body="Busy just now."), times=1)
        label.fill("Tonnes of it")
        page.keyboard.press("Enter")
        self.says("Busy just now.", page)
        with page.expect_response("**/set"):
            page.keyboard.press("Enter")
        page.reload()
        expect(label).to_have_value("Tonnes of it")
        self.wrong = [line for line in self.wrong if "503" not in line]

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
