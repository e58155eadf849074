"""Keyboards of other languages: accents that wait for their letter, words that are put together, letters at other places."""

from playwright.sync_api import expect

from tests.browser.served import Served

PRESS = """([key, code, held]) => {
    const init = {key, code, bubbles: true, cancelable: true, modifierAltGraph: held.includes("AltGraph")};
    for (const one of ["alt", "ctrl", "shift"]) init[`${one}Key`] = held.includes(one);
    document.activeElement.dispatchEvent(new KeyboardEvent("keydown", init));
}"""


class Keyboards(Served):
    def vessels(self):
        page = self.work("Vessel")
        expect(page.locator("#rows .record[aria-selected=true]")).to_have_count(1)
        return page

    def test_an_accent_and_its_letter_begin_a_text_in_a_cell(self):
        page = self.vessels()
        cell = self.cell(3, 2)
        cell.click()
        page.evaluate(PRESS, ["Dead", "BracketLeft", []])
        editor = cell.locator("input")
        expect(editor).to_be_focused()
        page.keyboard.insert_text("É")
        page.keyboard.type("lan")
        expect(editor).to_have_value("Élan")
        page.keyboard.press("Escape")
        page.evaluate(PRESS, ["€", "KeyE", ["AltGraph", "ctrl", "alt"]])
        expect(cell.locator("input")).to_have_value("€")
        page.keyboard.press("Escape")

    def test_the_enter_that_takes_a_word_leaves_no_cell(self):
        page = self.vessels()
        cell = self.cell(4, 2)
        cell.click()
        page.keyboard.press("F2")
        editor = cell.locator("input")
        page.keyboard.press("Control+a")
        devtools = page.context.new_cdp_session(page)
        for syllables in ("n", "に", "にほ", "日本"):
            devtools.send("Input.imeSetComposition", {"text": syllables, "selectionStart": 2, "selectionEnd": 2})
        enter = {"key": "Enter", "code": "Enter", "windowsVirtualKeyCode": 229}
        devtools.send("Input.dispatchKeyEvent", {"type": "rawKeyDown", **enter})
        devtools.send("Input.insertText", {"text": "日本"})
        devtools.send("Input.dispatchKeyEvent", {"type": "keyUp", **enter})
        expect(editor).to_be_focused()
        expect(editor).to_have_value("日本")
        page.keyboard.press("Enter")
        expect(self.cell(4, 2)).to_have_text("日本")
        page.locator("#act-undo").click()
        self.says("Undone", page)

    def test_an_act_is_pressed_by_the_letter_on_the_key(self):
        page = self.vessels()
        editor, grid = page.locator("#panel [data-field]:focus"), page.locator("#rows [role=gridcell]:focus")
        for key, code, leads_to in (
            ("E", "KeyG", editor),  # a keyboard that has E where others have G
            ("G", "KeyE", grid),
            ("Е", "KeyE", editor),  # Cyrillic letters: the place counts
            ("П", "KeyG", grid),
        ):
            page.evaluate(PRESS, [key, code, ["alt", "shift"]])
            expect(leads_to).to_be_focused()

    def test_a_choice_that_changes_what_else_is_asked_keeps_the_focus(self):
        """By arrows one passes other kinds of servers; what was typed stays."""
        page = self.page
        page.goto(self.base + "/workshop/project/1/connections/new")
        page.locator("#name").fill("Office")
        page.locator("#kind").focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("#p-host")).to_be_visible()
        expect(page.locator("#kind")).to_be_focused()
        page.locator("#password").fill("secret")
        page.locator("#kind").focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("#p-port")).to_have_value("3306")
        expect(page.locator("#kind")).to_be_focused()
        self.assertEqual([page.locator(at).input_value() for at in ("#name", "#password")], ["Office", "secret"])
