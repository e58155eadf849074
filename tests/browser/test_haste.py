"""What a person presses while answers to what was pressed before are still on their way."""

from playwright.sync_api import expect

from tests.browser.served import Served

# The first answer to a move is held until it is let go.
HOLD = """() => {
    const real = window.fetch;
    let first = true;
    window.fetch = async (address, options) => {
        const mine = first && String(address).includes("record?");
        if (mine) first = false;
        const response = await real(address, options);
        if (mine) await new Promise((go) => (window.letGo = go));
        return response;
    };
}"""
PRESS_AND_LET_GO = """async () => {
    const row = document.querySelector('#rows .record[data-at="5"]');
    row.children[3].click();
    window.letGo();
    await new Promise((later) => setTimeout(later, 40));
    return document.querySelector("#rows .record[aria-selected=true]").dataset.at;
}"""


class Haste(Served):
    def test_an_answer_to_an_older_move_does_not_lead_back(self):
        page = self.work("Vessel")
        expect(page.locator("#panel")).to_have_attribute("data-position", "0")
        page.evaluate(HOLD)
        self.cell(2, 3).click()
        page.wait_for_function("() => window.letGo")
        self.assertEqual(page.evaluate(PRESS_AND_LET_GO), "5")
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")

    def test_a_press_that_waits_for_an_act_is_not_lost(self):
        page = self.work("Vessel")
        self.type_into("Name", "Haste One")
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#act-new").click()
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        page.evaluate("""() => {
            document.getElementById("act-undo").click();
            document.getElementById("act-save").click();
        }""")
        self.says("Saved 1 record")
