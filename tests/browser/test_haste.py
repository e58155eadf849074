"""What a person presses while answers to what was pressed before are still on their way."""

import re
import sqlite3

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
# The same of rows, of which a grid that goes on meanwhile asks again.
HOLD_ROWS = HOLD.replace("record?", "rows?").replace(
    "real(address, options)", "real(address, options).catch((gone) => { first ||= mine; throw gone; })"
)
PRESS_AND_LET_GO = """async () => {
    const row = document.querySelector('#rows .record[data-at="5"]');
    row.children[3].click();
    window.letGo();
    await new Promise((later) => setTimeout(later, 40));
    return document.querySelector("#rows .record[aria-selected=true]").dataset.at;
}"""
FIVE = """() => {
    for (let i = 0; i < 5; i++)
        document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowDown", bubbles: true }));
}"""


# Every answer comes late, those that buttons ask for too.
SLOWLY = """() => {
    const { fetch, XMLHttpRequest } = window;
    const late = () => new Promise((go) => setTimeout(go, 300));
    window.fetch = async (...asked) => (await late(), fetch(...asked));
    const send = XMLHttpRequest.prototype.send;
    XMLHttpRequest.prototype.send = function (...sent) { late().then(() => send.apply(this, sent)); };
}"""


DESK_SCRIPT = re.compile(r"/desk(\.\w+)?\.js$")


class Haste(Served):
    def vessels(self):
        """The form, its scripts at work, nothing pending."""
        page = self.work("Vessel")
        expect(page.locator("#rows .record[aria-selected=true]")).to_have_count(1)
        if page.locator("#act-discard").count():
            page.locator("#act-discard").click()
            page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
            self.says("discarded", page)
        return page

    def test_what_is_typed_before_the_scripts_are_at_work_is_sent(self):
        page, held = self.vessels(), []
        page.route(DESK_SCRIPT, lambda route: held.append(route))
        page.reload(wait_until="commit")
        editor = page.locator("#panel").get_by_label("Flag")
        editor.fill("PT")
        editor.press("Tab")
        page.keyboard.press("Alt+Shift+N")
        expect(page.locator("#desk[data-ready]")).to_have_count(0)
        held.pop().continue_()
        expect(page.locator("#panel")).to_have_attribute("data-state", "new")
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        page.unroute(DESK_SCRIPT)

    def test_what_was_read_anew_is_said_once_it_is(self):
        page = self.vessels()
        with sqlite3.connect(self.harbour) as db:
            db.execute("UPDATE vessel SET name = name || '+' WHERE id = 1")
        page.get_by_role("button", name="Refresh").first.click()
        expect(page.locator("#panel [data-field=name]")).to_have_value(re.compile(r"\+$"))
        self.says("Read anew.")
        page.wait_for_timeout(500)
        expect(page.locator("#said")).to_have_class(re.compile(r"\bshown\b"))

    def test_an_answer_to_an_older_move_does_not_lead_back(self):
        page = self.vessels()
        expect(page.locator("#panel")).to_have_attribute("data-position", "0")
        page.evaluate(HOLD)
        self.cell(2, 3).click()
        page.wait_for_function("() => window.letGo")
        self.assertEqual(page.evaluate(PRESS_AND_LET_GO), "5")
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")

    def test_who_goes_on_before_an_order_has_come_takes_it_nowhere(self):
        """What keys and mouse are held for, a control that asks by itself is not."""
        page = self.vessels()
        page.evaluate(HOLD.replace("record?", "arrange?"))
        page.locator("#grid [data-name=name] a").click()
        page.wait_for_function("() => window.letGo")
        on = "() => document.querySelector('#panel').dispatchEvent(new CustomEvent('wants:go', {bubbles: true, detail: {position: 3}}))"
        page.evaluate(on)
        page.wait_for_timeout(200)
        page.evaluate("() => window.letGo()")
        expect(page.locator("#panel")).to_have_attribute("data-position", "3")
        expect(page.locator("#sentence")).to_contain_text("by Name")
        expect(page.locator("#grid [data-name=name]")).to_have_attribute("aria-sort", "ascending")

    def test_of_presses_while_an_answer_is_on_its_way_only_the_last_one_is_asked_for(self):
        page, asked = self.vessels(), []
        place = re.compile(r"/record\?.*position=(\d+)")
        page.on("request", lambda request: asked.extend(place.findall(request.url)))
        self.cell(0, 3).click()
        expect(page.locator("#panel")).to_have_attribute("data-position", "0")
        page.evaluate(HOLD)
        asked.clear()
        page.evaluate(FIVE)  # by the page: a busy machine would take longer over them than a person who is in haste
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")
        self.assertEqual(asked, ["1", "5"])
        # The answer before has come: the next press is asked for at once, and who goes on so finds the one after it read.
        page.keyboard.press("ArrowDown")
        expect(page.locator("#panel")).to_have_attribute("data-position", "6")
        expect(page.locator("#panel")).not_to_have_attribute("inert", "")
        page.wait_for_timeout(300)
        self.assertEqual(asked, ["1", "5", "6", "7"])
        page.keyboard.press("ArrowDown")
        expect(page.locator("#panel")).to_have_attribute("data-position", "7")
        page.wait_for_timeout(300)
        self.assertEqual(asked, ["1", "5", "6", "7", "8"])
        # What is typed meanwhile may be about that record as well: it is read anew.
        self.type_into("Flag", "PT")
        self.cell(7, 3).click()
        page.keyboard.press("ArrowDown")
        expect(page.locator("#panel")).to_have_attribute("data-position", "8")
        self.assertEqual(asked[5:6], ["8"])

    def test_each_press_on_the_navigator_counts(self):
        page, asked = self.vessels(), []
        page.on("request", lambda request: asked.append(request.url) if "/at?" in request.url else None)
        page.evaluate("() => { for (let i = 0; i < 5; i++) document.getElementById('go-next').click(); }")
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")
        self.assertEqual(len(asked), 2)
        page.evaluate("() => { for (let i = 0; i < 3; i++) document.getElementById('go-back').click(); }")
        expect(page.locator("#panel")).to_have_attribute("data-position", "2")
        page.evaluate(
            "() => { document.getElementById('go-last').click(); document.getElementById('go-back').click(); }"
        )
        last = int(page.locator("#go-total").text_content().replace(",", "")) - 1
        expect(page.locator("#panel")).to_have_attribute("data-position", str(last - 1))

    def test_a_count_that_comes_late_takes_neither_the_place_nor_what_is_typed(self):
        page, counted = self.work("Vessel"), []
        page.route(re.compile(r"/count\b"), lambda route: counted.append(route))
        page.goto(page.url.split("?")[0] + "?only-length_m=%3E12.3")  # which nobody has counted yet
        self.ready()
        while not counted:
            page.wait_for_timeout(20)
        page.locator("#go-next").click()
        expect(page.locator("#panel")).to_have_attribute("data-position", "1")
        page.locator("#go-number").click()
        page.keyboard.press("Control+a")
        page.keyboard.type("7")
        for asked in counted:
            asked.continue_()
        expect(page.locator("#go-total")).to_have_text(re.compile(r"^[\d,]+$"))
        expect(page.locator("#go-slide")).to_have_value("2")
        page.keyboard.press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", "6")
        last = page.locator("#go-last")
        self.assertEqual(int(last.get_attribute("data-go")) + 1, int(page.locator("#go-slide").get_attribute("max")))
        last.click()
        expect(page.locator("#go-next")).to_be_disabled()

    def test_a_place_that_is_being_found_holds_nobody_and_is_gone_to_in_the_end(self):
        page, asked = self.vessels(), []

        def answer(route):
            asked.append(route.request.url)
            if len(asked) in (3, 4):
                return route.continue_()
            words = "<p>So many rows are put in this order for the first time.</p>"
            return route.fulfill(status=503, headers={"X-Coming": "1"}, content_type="text/html", body=words)

        page.route("**/at?*", answer)
        page.locator("#go-number").fill("30")
        page.locator("#go-number").press("Enter")
        self.says("for the first time. 0 s so far. Stop")
        self.assertFalse(page.locator("#panel").evaluate("panel => panel.inert"))
        expect(page.locator("#panel")).to_have_attribute("data-position", "29")
        expect(page.locator("#said")).not_to_have_class(re.compile("shown"))
        page.locator("#go-last").click()
        page.locator("#said").get_by_role("button", name="Stop").click()
        self.says("You are where you were")
        page.wait_for_timeout(1800)
        self.assertEqual(len(asked), 5)
        expect(page.locator("#panel")).to_have_attribute("data-position", "29")
        self.wrong = [words for words in self.wrong if "503" not in words]

    def test_what_the_menu_does_is_about_the_row_that_one_stands_on_by_now(self):
        page = self.vessels()
        expect(page.locator("#panel")).to_have_attribute("data-position", "0")
        page.evaluate(HOLD)
        self.cell(2, 3).click()
        page.wait_for_function("() => window.letGo")
        name = self.cell(2, 3).text_content()
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Only rows with this value").click()
        page.wait_for_timeout(300)
        page.evaluate("() => window.letGo()")
        expect(page.locator("#sentence")).to_contain_text(f"Name {name}")
        expect(page.locator("#rows .record").first).to_contain_text(name)

    def test_who_goes_on_while_rows_are_on_their_way_is_not_thrown_back_to_a_record(self):
        page = self.work("Port call")
        self.cell(0, 3).click()
        for go, there in (("ArrowDown", "[data-blank]"), ("Alt+Shift+L", "[data-find-text]")):
            page.evaluate(HOLD_ROWS)
            page.keyboard.press("Control+End")
            page.wait_for_function("() => window.letGo")
            page.keyboard.press(go)
            page.evaluate("() => (window.letGo(), delete window.letGo)")
            expect(page.locator("#grid")).not_to_have_attribute("aria-busy", "true")
            self.assertTrue(page.evaluate("(there) => document.activeElement.closest(there) !== null", there), go)
            page.keyboard.press("Alt+Shift+G")
            page.keyboard.press("Control+Home")
            expect(self.cell(0, 1)).to_be_focused()

    def test_keys_do_in_haste_what_they_do_with_time(self):
        page = self.vessels()
        page.evaluate(SLOWLY)
        heads = page.locator("#grid .grid-head [data-number]")
        at = 1 + heads.evaluate_all("(all) => all.map((h) => h.dataset.name)").index("flag")
        self.cell(0, at).click()
        press = lambda *keys: [page.keyboard.press(key) for key in keys]  # noqa: E731
        standing = lambda number: expect(page.locator("#panel")).to_have_attribute("data-position", str(number))  # noqa: E731
        press("ArrowDown", "ArrowDown", "Alt+Shift+ArrowDown")
        standing(3)
        # Up is for the record as it is once the value above is in.
        above = self.cell(3, at).text_content()
        press("ArrowDown", "Control+'", "ArrowUp")
        expect(self.cell(4, at)).to_have_text(above)
        standing(3)
        # By way of a heading, and of what is before it.
        press("Control+Home", "ArrowUp", "Shift+Tab", "Alt+Shift+ArrowDown")
        standing(1)
        # A new record begins in its first editor, wherever one was before.
        page.locator("#panel [data-field=name]").focus()
        press("Alt+Shift+N", "3", "7", "Tab", "N", "e", "w", "Enter")
        expect(page.locator("#panel [data-field=imo_no]")).to_have_value("37")
        expect(page.locator("#panel [data-field=name]")).to_have_value("New")
        expect(page.locator("#strip")).to_contain_text("1 new")

    def test_keys_behind_a_group_that_opens_are_for_its_rows(self):
        page = self.vessels()
        page.goto(page.url.partition("?")[0] + "?group=flag:value")
        self.ready(page)
        page.get_by_role("button", name="Close all").click()
        groups = page.locator("#rows .group-line [data-fold]")
        expect(page.locator("#rows .group-line [data-fold][aria-expanded=true]")).to_have_count(0)
        for key in ("Alt+Shift+G", "Control+Home", "ArrowDown"):
            page.keyboard.press(key)
        expect(page.locator("#rows .group-line .group-cell").nth(1)).to_be_focused()
        page.evaluate(SLOWLY)
        for key in ("ArrowRight", "ArrowDown", "ArrowDown", "ArrowUp", "ArrowUp", "ArrowLeft", "ArrowUp", "ArrowRight"):
            page.keyboard.press(key)
        expect(groups.first).to_have_attribute("aria-expanded", "true", timeout=15_000)
        expect(page.locator("#rows .group-line [data-fold][aria-expanded=true]")).to_have_count(1)
        expect(page.locator("#rows .group-line").first.locator(".group-cell")).to_be_focused()

    def test_letters_behind_a_key_that_opens_a_box_go_into_the_box(self):
        page = self.vessels()
        self.cell(1, 3).click()
        page.evaluate(SLOWLY)
        for key in ("Alt+Shift+P", "a", "b"):
            page.keyboard.press(key)
        expect(page.locator("[data-boxed-in=replace] [name=find]")).to_have_value("ab")
        # Boxes that say nothing are put away, and the focus goes on in the rows; what is typed behind an order goes there, too.
        for key in ("Alt+Shift+G", "Alt+Shift+F", "Enter", "Control+Home"):
            page.keyboard.press(key)
        expect(self.cell(0, 1)).to_be_focused()
        expect(page.locator("#filters")).to_be_hidden()
        expect(page.locator("#strip")).to_have_attribute("data-pending", "0")

    def test_what_is_typed_into_a_row_that_is_on_its_way_is_there_with_it(self):
        page = self.work("Port call")
        last = int(page.locator("#go-total").text_content().replace(",", "")) - 1
        heads = page.locator("#grid .grid-head [data-number]")
        at = 1 + heads.evaluate_all("(all) => all.map((h) => h.dataset.name)").index("purpose")
        self.cell(0, at).click()
        page.evaluate(SLOWLY)
        page.keyboard.press("Control+End")
        self.assertEqual(self.cell(last, at).count(), 0)
        for _ in range(heads.count() - at):
            page.keyboard.press("ArrowLeft")
        page.keyboard.press("c")
        page.keyboard.press("ArrowDown")  # its list is on its way too
        page.keyboard.press("Enter")
        expect(page.locator("#strip")).to_contain_text("1 record pending: 1 edited")
        expect(self.cell(last, at)).to_have_text(re.compile("cargo|crew change"))

    def test_another_record_comes_into_the_editors_that_are_there(self):
        page = self.vessels()
        self.cell(0, 3).click()
        expect(page.locator("#panel")).to_have_attribute("data-position", "0")
        # Typed by the page alone, as by a script: nobody sent it, so it is gone with its record.
        page.evaluate("""() => {
            window.stood = [...document.querySelectorAll("#panel input:not([type=file]), #rail .moves svg")];
            document.querySelector("#panel [data-field=name]").value = "Nobody sent this";
        }""")
        self.cell(1, 3).focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("#panel")).to_have_attribute("data-position", "1")
        self.assertEqual(self.cell(1, 3).inner_text(), page.locator("#panel [data-field=name]").input_value())
        self.assertEqual(
            page.evaluate("() => window.stood.filter((one) => !one.isConnected).map((one) => one.outerHTML)"), []
        )

    def test_tab_and_letters_go_to_the_editors_that_are_still_on_their_way(self):
        page = self.work("Vessel")
        self.cell(2, 3).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i3")
        page.route("**/record?*", lambda route: (page.wait_for_timeout(300), route.continue_()))
        page.keyboard.press("ArrowDown")
        for _ in range(3):
            page.keyboard.press("Tab")
        page.keyboard.type("Bruma")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i4")
        expect(page.get_by_label("Name", exact=False).and_(page.locator("#panel input:focus"))).to_have_value("Bruma")
        page.keyboard.press("Escape")
        page.unroute_all(behavior="ignoreErrors")  # the record after it may be on its way

    def test_what_is_typed_right_behind_a_move_goes_into_the_record_that_it_leads_to(self):
        page = self.work("Vessel")
        self.cell(0, 3).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i1")
        session = page.context.new_cdp_session(page)
        session.send("Network.enable")
        slow = {"offline": False, "latency": 250, "downloadThroughput": -1, "uploadThroughput": -1}
        session.send("Network.emulateNetworkConditions", slow)
        page.keyboard.press("Alt+Shift+KeyE")
        page.keyboard.press("Tab")
        for name in ("Haste A", "Haste B", "Haste C"):
            page.keyboard.type(name)
            page.keyboard.press("Alt+Shift+ArrowDown")
        self.cell(5, 3).click()  # waits behind what was typed
        page.keyboard.press("Alt+Shift+KeyE")
        page.keyboard.press("Tab")
        page.keyboard.type("Haste F")
        page.keyboard.press("Enter")
        for row, name in ((0, "Haste A"), (1, "Haste B"), (2, "Haste C"), (5, "Haste F")):
            expect(self.cell(row, 3)).to_have_text(name)
        expect(page.locator("#strip")).to_contain_text("4 records pending")
        page.locator("#act-discard").click()
        page.get_by_role("button", name="Discard").last.click()

    def test_a_press_that_waits_for_an_act_is_not_lost(self):
        page = self.vessels()
        self.type_into("Name", "Haste One")
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.locator("#act-new").click()
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        page.evaluate("""() => {
            document.getElementById("act-undo").click();
            document.getElementById("act-save").click();
        }""")
        self.says("Saved 1 record")

    def test_what_is_typed_in_a_cell_outlives_a_reload(self):
        page = self.vessels()
        self.cell(0, 3).click()
        page.keyboard.type("Typed and left")
        expect(page.locator("#rows input")).to_have_value("Typed and left")
        self.reload(page)
        expect(self.cell(0, 3)).to_have_text("Typed and left")
        expect(page.locator("#strip")).to_contain_text("1 record pending")

    def test_letters_after_a_click_into_a_list_stand_in_the_place_of_what_it_showed(self):
        page = self.vessels()
        editor = page.locator("#panel [role=combobox]").first
        shown = editor.input_value()
        editor.click()
        page.keyboard.type("t")
        expect(editor).to_have_value("t")
        page.keyboard.press("Escape")
        expect(editor).to_have_value(shown)

    def test_a_new_record_has_the_focus_in_its_first_editor(self):
        page = self.vessels()
        page.locator("#act-new").click()
        expect(page.locator("#panel input:focus")).to_have_count(1)
        page.keyboard.type("123")
        expect(page.locator("#panel input:focus")).to_have_value("123")

    def test_what_came_of_a_press_is_told_though_its_button_was_replaced_meanwhile(self):
        page = self.vessels()
        page.evaluate("""() => {
            document.getElementById("act-new").click();
            const rail = document.getElementById("rail");
            rail.replaceWith(rail.cloneNode(true));
        }""")
        expect(page.locator("#panel input:focus")).to_have_count(1, timeout=3000)
        self.says("A new record")

    def test_a_press_before_the_scripts_are_there_is_done_once_they_are(self):
        page = self.page
        held = []
        page.goto(self.base + "/desk/")
        # The last of the scripts: until it is there, htmx has not begun.
        page.route("**/alpine*.js", lambda route: held.append(route))
        page.get_by_role("link", name="Vessel", exact=True).click(no_wait_after=True)
        self.ready(page)
        page.locator("#act-new").click()
        while not held:
            page.wait_for_timeout(20)
        held[0].continue_()
        expect(page.locator("#panel input:focus")).to_have_count(1)

    def test_what_was_typed_beside_the_grid_a_moment_ago_is_emptied_with_its_cell(self):
        page = self.vessels()
        page.evaluate(SLOWLY)
        at = len(page.locator("#grid [role=columnheader]:has(~ [data-name=remarks])").all())
        remarks = page.locator("#rows .record").nth(1).locator("[role=gridcell]").nth(at)
        remarks.click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i2")
        page.keyboard.type("gone soon")
        remarks.click()
        page.keyboard.press("Delete")
        expect(page.locator("#strip")).to_contain_text("Nothing is pending")
        expect(remarks).to_have_text("")

    def test_letters_in_a_cell_of_a_long_text_go_on_behind_it(self):
        page = self.page
        page.goto(self.base + "/workshop/form/2/compose")
        page.locator("[data-choose$=_grid]").first.click()
        column = page.locator("[data-column=notes]")
        column.get_by_role("checkbox").first.check()
        page.get_by_role("link", name="Try it").click()  # at once: what was ticked comes along
        page.wait_for_url("**/desk/2/?trying=1*")
        self.ready()
        head = page.locator("#grid [data-name=notes]")
        expect(head).to_have_count(1)
        at = page.locator("#grid [data-number]").evaluate_all("hs => hs.findIndex(h => h.dataset.name === 'notes') + 1")
        notes = page.locator("#panel [data-field=notes]")
        before = notes.input_value()
        self.cell(0, at).click()
        page.keyboard.type("xyz")
        expect(notes).to_be_focused()
        expect(notes).to_have_value(before + "xyz")
