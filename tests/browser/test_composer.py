"""A form laid out by mouse and by keyboard alone, and used: several sources on one page."""

import re
import sqlite3

from playwright.sync_api import expect

from enlace.core.model.values import record_id
from tests.browser.served import LATE, Served


class Composing(Served):
    def compose(self, form: int):
        self.page.goto(f"{self.base}/workshop/form/{form}/compose")
        expect(self.page.locator("[data-stage] [data-control]").first).to_be_visible()
        return self.page

    def test_by_mouse_to_the_desk(self):
        page = self.compose(1)
        page.locator("[data-drag=flag]").first.drag_to(page.locator("[data-stage]"), target_position={"x": 30, "y": 12})
        expect(page.locator(".card-of h2")).to_have_text("Editor Flag")
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
        # Both editors of the field show the same, whichever is typed into, and each has an id of its own.
        beside = page.locator("#panel [data-field=flag]")
        expect(beside).to_have_value("PT")
        beside.fill("Z")
        with page.expect_response("**/edit?*"):
            page.keyboard.press("Tab")
        expect(page.locator("#c-flag input")).to_have_value("Z")
        for note in page.locator("[data-of=of] .note.wrong").all():
            expect(note).to_contain_text("This does not fit AA")
        expect(page.locator("[data-of=of] .note.wrong")).to_have_count(2)
        ids = page.eval_on_selector_all("[id]", "several => several.map((one) => one.id)")
        self.assertEqual(len(ids), len(set(ids)))
        page.locator("#go-next").click()
        expect(page.locator("#panel")).to_have_attribute("data-position", "1")
        expect(page.locator("#c-flag input")).not_to_have_value("PT")
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded", page)

    def test_typed_in_haste(self):
        self.page.add_init_script(LATE)
        page = self.compose(2)
        page.locator("[data-stage] [data-control=button_2]").click()
        typed = {"#set-label": "Off she goes", "#set-usable_when-code": "status = 'berthed' or true"}
        for box, text in typed.items():
            page.locator(box).click()
            page.keyboard.press("Control+a")
            page.keyboard.type(text, delay=60)
        page.keyboard.press("Escape")
        page.keyboard.press("Tab")
        page.get_by_role("link", name="Try it").click()
        expect(page.locator("#desk")).to_contain_text("Off she goes")
        self.compose(2).locator("[data-stage] [data-control=button_2]").click()
        expect(page.locator("#set-usable_when-code")).to_have_text(typed["#set-usable_when-code"])

    def test_keys_in_haste_are_for_what_has_come_of_those_before_them(self):
        self.page.add_init_script(LATE)
        page = self.compose(4)
        controls = page.locator("[data-stage] [data-control]")
        count, navigator = controls.count(), page.locator("[data-control=dues_invoice_navigator]")
        width = int(re.search(r"\bw(\d+)\b", navigator.get_attribute("class"))[1])
        navigator.focus()
        # A copy is made, made narrower and removed; nothing is chosen then, so that the second Delete is for nothing.
        for key in ("Control+d", "Shift+ArrowLeft", "Delete", "Delete", "Control+z"):
            page.keyboard.press(key)
        self.says("Undone", page)
        expect(controls).to_have_count(count + 1)
        expect(navigator).to_have_class(re.compile(rf"\bw{width}\b"))
        copied = page.locator("[data-control=dues_invoice_navigator_2]")
        expect(copied).to_have_class(re.compile(rf"\bw{width - 1}\b"))
        for _ in range(2):
            page.keyboard.press("Control+z")
        expect(controls).to_have_count(count)

    def test_what_was_refused_stays_to_be_put_right(self):
        page = self.compose(1)
        page.locator("[data-choose=vessel_grid]").first.click()
        page.locator(".card-of [data-column=flag] summary").click()
        width, heading = page.locator("#width-flag"), page.locator("#heading-flag")
        width.fill("wide")
        page.keyboard.press("Tab")
        self.says("number", page)
        self.wrong.clear()  # the browser tells an answer that is an error
        heading.fill("Flies")
        with page.expect_response("**/compose/act"):
            page.keyboard.press("Tab")
        expect(page.locator("[data-stage] [data-control=vessel_grid]")).to_contain_text("Flies")
        expect(width).to_have_value("wide")
        expect(width).to_have_attribute("aria-invalid", "true")
        width.fill("150")
        page.keyboard.press("Tab")
        expect(width).not_to_have_attribute("aria-invalid", "true")
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
            self.says("Undone", page)
        # What was chosen then is not what is chosen now.
        page.locator("[data-choose=vessel_grid]").first.click()
        expect(width).to_have_value("")
        page.locator(".card-of [data-column=flag] summary").click()
        width.fill("wider")
        page.keyboard.press("Tab")
        self.says("number", page)
        self.wrong.clear()
        page.locator("[data-choose=vessel_panel]").first.click()
        expect(page.locator(".card-of h2")).to_contain_text("Panel of editors")
        page.locator("[data-choose=vessel_grid]").first.click()
        expect(width).to_have_value("")

    def test_what_is_done_while_enlace_is_away_is_done_once_it_is_back(self):
        page = self.compose(2)
        page.locator("[data-stage] [data-control=button_2]").click()
        expect(page.locator("#set-usable_when-code")).to_be_visible()
        page.context.set_offline(True)
        page.locator("#set-label").fill("Seen from afar")
        page.keyboard.press("Tab")
        self.says("sent as soon as it is back", page)
        page.context.set_offline(False)
        expect(page.locator("[data-stage] [data-control=button_2]")).to_contain_text("Seen from afar")
        self.wrong = [line for line in self.wrong if "ERR_INTERNET_DISCONNECTED" not in line]

    def test_the_settings_stand_beside_what_is_chosen(self):
        page = self.compose(1)
        for name in ("vessel_grid", "vessel_panel"):
            control, card = page.locator(f"[data-stage] [data-control={name}]"), page.locator(".card-of")
            control.focus()
            page.keyboard.press("Enter")
            expect(card).to_contain_text(name)
            here, there = control.bounding_box(), card.bounding_box()
            apart = here["x"] + here["width"] <= there["x"] or there["x"] + there["width"] <= here["x"]
            self.assertTrue(apart, (here, there))
            page.keyboard.press("Enter")
            expect(card.locator(":focus")).to_have_count(1)
            page.keyboard.press("Escape")
            expect(control).to_be_focused()
        card.get_by_role("button", name="Close").click()
        expect(card).to_have_count(0)

    def test_a_grid_without_editors_edits_long_texts_whole(self):
        page = self.compose(1)
        text = "line one\n" + "y" * 300
        with sqlite3.connect(self.harbour) as db:
            db.execute("UPDATE vessel SET remarks = ? WHERE id IN (1, 2)", (text,))
        page.locator("[data-choose=vessel_panel]").click()
        page.locator(".card-of").get_by_role("button", name="Remove", exact=True).click()
        expect(page.locator("[data-choose=vessel_panel]")).to_have_count(0)
        self.work("Vessel", page)
        column = page.locator("#grid [data-name=remarks]").evaluate(
            "head => [...head.parentElement.children].indexOf(head)"
        )
        self.cell(0, column, page).click()
        page.keyboard.type("ab")
        area = page.locator(".cell-area")
        expect(area).to_have_value(text + "ab")
        page.keyboard.press("Enter")
        page.keyboard.type("more")
        page.keyboard.press("Tab")
        expect(area).to_have_count(0)
        expect(page.locator("#strip")).to_contain_text("1 edited")
        self.cell(1, column, page).click()
        page.keyboard.press("F2")
        page.keyboard.type("no")
        page.keyboard.press("Escape")
        expect(self.cell(1, column, page)).to_be_focused()
        page.keyboard.press("Control+s")
        self.says("Saved 1 record", page)
        with sqlite3.connect(self.harbour) as db:
            kept = [row[0] for row in db.execute("SELECT remarks FROM vessel WHERE id IN (1, 2) ORDER BY id")]
        self.assertEqual(kept, [text + "ab\nmore", text])
        self.compose(1).get_by_role("button", name="Undo").click()  # other tests lay out the same form
        expect(page.locator("[data-choose=vessel_panel]")).to_have_count(1)

    def test_a_column_says_how_its_text_is_typed(self):
        page = self.compose(1)
        page.locator("[data-choose=vessel_grid]").first.click()
        card = page.locator(".card-of")
        for name, way in (("name", "lines"), ("remarks", "line")):
            card.locator(f"[data-column={name}] summary").click()
            with page.expect_response("**/compose/act"):
                page.locator(f"#editor-{name}").select_option(way)
        self.work("Vessel", page)
        place = lambda name: page.locator(f"#grid [data-name={name}]").evaluate(  # noqa: E731
            "head => [...head.parentElement.children].indexOf(head)"
        )
        name, remarks = self.cell(2, place("name"), page), self.cell(2, place("remarks"), page)
        name.click()
        page.keyboard.press("F2")
        expect(page.locator(".cell-area")).to_have_value(name.inner_text())
        page.keyboard.press("Escape")
        remarks.click()
        page.keyboard.type("Paint is wet")
        expect(remarks.locator("input")).to_have_value("Paint is wet")
        page.keyboard.press("Enter")
        expect(remarks).to_have_text("Paint is wet")
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded", page)
        page = self.compose(1)
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
            self.says("Undone", page)

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

    def test_cards_are_edited_in_place_and_reach_every_record(self):
        page = self.compose(2)
        page.locator(".adds summary").click()
        page.locator("[data-add=cards]").click()
        expect(page.locator("[data-control=cards]")).to_have_class(re.compile("chosen"))
        shown = page.get_by_role("list", name="Fields").get_by_role("listitem")
        lines = page.locator("[data-control=cards] .card-record").first.locator("[data-line]")
        ticked = lines.count()
        for label in shown.locator("label").all_inner_texts():  # untick what it has by itself, tick others
            box = page.get_by_role("list", name="Fields").get_by_label(label.strip(), exact=True)
            wanted = label.strip() in ("Vessel", "Purpose", "ETA")
            if box.is_checked() != wanted:
                box.set_checked(wanted)
                ticked += 1 if wanted else -1
                expect(lines).to_have_count(ticked)
        # The last one that was ticked is moved before the others by keys alone, the focus stays on its button.
        page.get_by_role("button", name="Purpose one place earlier").focus()
        page.keyboard.press("Enter")
        expect(lines.nth(1)).to_contain_text("Purpose")
        expect(page.get_by_role("button", name="Purpose one place earlier")).to_be_focused()
        self.work("Port call", page)
        cards = page.locator("[data-control=cards]")
        current = cards.locator("[data-card][aria-selected=true]")
        expect(current).to_have_attribute("data-at", "0")
        cards.get_by_role("button", name="Later").click()
        expect(page.locator("#go-number")).to_have_value("61")
        expect(current).to_have_attribute("data-at", "60")
        cards.locator("[data-cards]").focus()
        page.keyboard.press("ArrowLeft")  # beyond the first of the page
        expect(page.locator("#go-number")).to_have_value("60")
        expect(current).to_have_attribute("data-at", "59")
        expect(cards.locator("[data-cards]")).to_be_focused()
        page.keyboard.press("F2")
        expect(current.get_by_label("Vessel")).to_be_focused()
        page.keyboard.press("Tab")
        expect(current.get_by_label("Purpose")).to_be_focused()
        page.keyboard.press("Control+a")
        page.keyboard.type("repair")
        page.keyboard.press("Tab")
        expect(current.get_by_label("ETA")).to_be_focused()
        page.keyboard.type("soon")
        page.keyboard.press("Enter")
        expect(cards.locator("[data-cards]")).to_be_focused()
        expect(current.locator(".value.changed")).to_have_text("repair")
        expect(current.locator(".value.wrong")).to_have_text("soon")
        expect(page.locator("#strip")).to_contain_text("1 needs attention")
        page.evaluate(f"() => {{ {LATE} }}")
        for key in ("End", "ArrowDown", "ArrowDown", "ArrowDown", "F2"):
            page.keyboard.press(key)
        expect(current.get_by_label("Vessel")).to_be_focused()
        expect(current).to_have_attribute("data-at", "62")
        page.keyboard.press("Escape")

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

    def test_the_card_leads_on_by_tab_and_shows_what_is_wrong_where_it_is(self):
        page = self.compose(1)
        page.locator(".adds summary").click()
        page.locator("[data-add=button]").click()
        added = page.locator("[data-stage] [data-control=button]")
        expect(added).to_be_in_viewport()  # below all others, and yet in sight
        expect(page.locator("#set-to")).to_have_count(0)
        page.locator("#set-act").select_option("form")
        expect(page.locator("#set-to option")).to_contain_text(["none", "Cargo line"])
        page.locator("#set-to").select_option("Port call")
        expect(added).to_contain_text("Open Port call")
        expect(page.locator("#set-by")).to_have_count(0)
        page.locator("#set-label").fill("Its calls")
        page.keyboard.press("Tab")
        expect(added).to_contain_text("Its calls")
        expect(page.locator("#set-act")).to_be_focused()
        page.locator("#set-shown_when-code").click()
        page.keyboard.type("lenth_m > 10")
        expect(page.locator(".cm-lintRange-error")).to_have_text("lenth_m")
        page.keyboard.press("Control+a")
        page.keyboard.type("length_m > 10")
        expect(page.locator(".cm-lintRange-error")).to_have_count(0)
        with page.expect_response("**/compose/act"):
            page.keyboard.press("Tab")
        expect(page.locator("#set-shown_when")).to_have_value("length_m > 10")
        expect(page.locator("#set-usable_when-code")).to_be_focused()
        # A card of another control has a box of the same name, and what stands in its own.
        page.locator("[data-choose=vessel_panel]").click()
        expect(page.locator(".card-of h2")).not_to_contain_text("Button")
        page.locator("[data-stage] [data-control=button]").click(force=True)
        expect(page.locator("#set-shown_when + .cm-editor .cm-content")).to_have_text("length_m > 10")
        expect(page.locator(".cm-editor")).to_have_count(2)
        page.locator(".card-of").get_by_role("button", name="Remove", exact=True).click()
        expect(added).to_have_count(0)

    def test_a_board_of_many_fields(self):
        page = self.compose(1)
        names = page.locator("[data-board=vessel] [data-drag]")
        self.assertGreater(names.count(), 12)
        page.get_by_label("Find a field of Vessel").fill("gross")
        expect(names.filter(visible=True)).to_have_count(1)
        knot = page.locator("[data-cross=vessel_grid]").filter(visible=True)
        tied = knot.get_attribute("aria-pressed")
        for now in ("true" if tied == "false" else "false", tied):
            knot.click()
            expect(knot).to_have_attribute("aria-pressed", now)
            expect(names.filter(visible=True)).to_have_count(1)
        # The head that stays above the names covers them, also where both stay.
        board = page.locator("[data-board=vessel] .crossbar")
        board.evaluate("board => board.scrollTo(40, 120)")
        page.get_by_label("Find a field of Vessel").fill("")
        board.evaluate("board => board.scrollTo(40, 120)")
        box = board.bounding_box()
        on_top = page.evaluate(
            "at => document.elementFromPoint(...at).closest('thead') !== null", [box["x"] + 20, box["y"] + 20]
        )
        self.assertTrue(on_top)

    def test_a_source_is_removed_and_brought_back(self):
        page = self.compose(5)
        boards = page.locator("[data-board]")
        there = boards.count()
        page.locator("[data-detail]").first.click()
        expect(boards).to_have_count(there + 1)
        expect(page.locator("[data-stage] .chosen")).to_be_in_viewport()
        for name, count in (("Undo", there), ("Redo", there + 1)):
            page.get_by_role("button", name=name).click()
            expect(boards).to_have_count(count)
        page.locator("[data-without]").last.click()
        page.locator("#question").get_by_role("button", name="Remove", exact=True).click()
        expect(boards).to_have_count(there)
        self.says("is off the form now", page)


class FromTheMap(Served):
    def test_a_table_is_dragged_onto_a_new_form_or_made_one_by_a_key(self):
        page = self.page
        for by_key in (False, True):
            page.goto(f"{self.base}/workshop/connection/1/map")
            table, place = page.locator("[data-table=commodity]"), page.locator("[data-new-form]")
            if by_key:
                table.focus()
                page.keyboard.press("f")
            else:
                start, end = table.bounding_box(), place.bounding_box()
                page.mouse.move(start["x"] + 8, start["y"] + 8)
                page.mouse.down()
                page.mouse.move(end["x"] + 40, end["y"] + 8, steps=6)
                expect(place).to_have_class(re.compile("over"))
                page.mouse.up()
            page.wait_for_url("**/compose")
            expect(page.locator("h1")).to_contain_text("Commodity")


class Links(Served):
    def test_a_link_is_drawn_from_a_field_to_a_column(self):
        page = self.page
        page.goto(f"{self.base}/workshop/form/5/compose")
        page.get_by_text("Link a table by columns").click()
        page.get_by_label("Rows of", exact=True).select_option("vessel")
        column = page.locator("[data-link-column=name]")
        strand = page.locator("[data-board] [data-drag]").first
        field = strand.get_attribute("data-drag")
        strand.drag_to(column)
        expect(column.locator("select")).to_have_value(field)
        expect(page.locator(".arcs-drawn path")).to_have_count(1)
        boards = page.locator("[data-board]").count()
        page.get_by_role("button", name="Link it").press("Enter")
        expect(page.locator("[data-board]")).to_have_count(boards + 1)
        expect(page.locator("[data-stage] [data-kind=grid]").last).to_be_visible()


class SeveralGrids(Served):
    def test_two_grids_show_the_same_records(self):
        page = self.page
        page.goto(f"{self.base}/workshop/form/5/compose")
        page.locator(".adds summary").click()
        page.locator("[data-add=grid]").click()
        expect(page.locator("[data-stage] [data-kind=grid]")).to_have_count(2)
        page.get_by_role("link", name="Try it").click()
        grids = page.locator("enlace-grid [data-grid]")
        expect(grids).to_have_count(2)
        second = grids.nth(1)
        column = second.locator("[data-number]").nth(2).get_attribute("data-name")
        second.locator(".record").nth(2).locator("[role=gridcell]").nth(3).click()
        for grid in (grids.nth(0), second):
            expect(grid.locator(".record[aria-selected=true]")).to_have_attribute("data-at", "2")
        page.keyboard.press("F2")
        page.keyboard.type(" twice")
        page.keyboard.press("Enter")
        for grid in (grids.nth(0), second):
            expect(grid.locator(".record").nth(2)).to_contain_text(" twice")
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Hide this column").click()
        expect(second.locator(f"[data-name={column}]")).to_have_count(0)
        expect(grids.nth(0).locator(f"[data-name={column}]")).to_have_count(1)
        expect(second.locator("[role=gridcell]:focus")).to_have_count(1)


class FromNothing(Served):
    """The form of port calls, from its table to a saved line of cargo."""

    def ask(self, statement: str):
        with sqlite3.connect(self.harbour) as db:
            return db.execute(statement).fetchall()

    def make(self) -> str:
        page = self.page
        page.goto(self.base + "/workshop/connection/1/table?name=port_call")
        page.get_by_role("button", name="Make a form").click()
        expect(page.locator("#rows .record").first).to_be_visible()
        number = re.search(r"/desk/(\d+)/", page.url)[1]
        page.goto(f"{self.base}/workshop/form/{number}/compose")
        expect(page.locator("[data-stage] [data-control]").first).to_be_visible()
        return number

    def use(self, number: str, call: int) -> None:
        """Move, enter a line of cargo under a call, save it."""
        page = self.page
        page.goto(f"{self.base}/desk/{number}/?record=i{call}")
        p = self.prefix("Cargo line")
        before = self.ask(f"SELECT count(*) FROM cargo_line WHERE port_call_id = {call}")[0][0]
        expect(page.locator(f"[id='{p}rows'] .record")).to_have_count(before)
        page.locator(f"[id='{p}act-new']").click()
        for label, text in (("Line no.", "77"), ("Commodity", "WHEAT"), ("Direction", "in"), ("Tonnes", "12.5")):
            self.type_into(label, text, p=p)
        page.locator("#act-save").click()
        self.says("Saved 1 record")
        lines = self.ask(f"SELECT line_no, tonnes FROM cargo_line WHERE port_call_id = {call} AND line_no = 77")
        self.assertEqual(lines, [(77, 12.5)])

    def test_by_mouse(self):
        number, page = self.make(), self.page
        for _ in range(len(page.locator("[data-stage] > [data-control]").all())):
            count = page.locator("[data-stage] > [data-control]").count()
            page.locator("[data-stage] > [data-control]").first.click(position={"x": 3, "y": 3})
            page.locator(".card-of").get_by_role("button", name="Remove", exact=True).click()
            expect(page.locator("[data-stage] > [data-control]")).to_have_count(count - 1)
        expect(page.locator("#wiring")).to_contain_text("Nothing is on the sheet yet")
        page.locator("[data-drag-records=port_call]").drag_to(
            page.locator("[data-stage]"), target_position={"x": 30, "y": 10}
        )
        expect(page.locator("[data-stage] [data-kind=grid]")).to_have_count(1)
        page.locator(".adds summary").click()
        page.locator("[data-bundle=panel]").click()
        expect(page.locator("[data-stage] [data-kind=panel]")).to_have_count(1)
        page.locator("#dock").select_option("right")
        expect(page.locator("[data-stage] [data-kind=panel]")).to_have_class(re.compile(r"\bx9\b"))
        page.locator("#under-port_call").select_option(
            label=page.locator("#under-port_call option", has_text="cargo_line").first.text_content()
        )
        page.locator("[data-detail=port_call]").click()
        expect(page.locator("[data-board=cargo_line]")).to_be_visible()
        for kind in ("grid", "panel", "navigator"):
            expect(page.locator(f"[data-stage] [data-kind={kind}]")).to_have_count(2)
        expect(page.locator(".composer-bar .state")).to_have_text("Wired soundly")
        self.use(number, 9)

    def test_rows_that_open_reach_all_and_stay_open(self):
        page = self.page
        page.goto(self.base + "/workshop/form/5/compose")
        choice = page.locator("#under-berth option", has_text="port_call").first.text_content()
        page.locator("#under-berth").select_option(label=choice)
        page.locator("[data-detail=berth]").click()
        expect(page.locator("[data-board=port_call]")).to_be_visible()
        page.locator(".adds summary").click()
        page.locator(".adds [data-add=branches]").click()
        expect(page.locator("[data-stage] [data-kind=branches]")).to_be_visible()
        page.goto(self.base + "/desk/5/?record=" + record_id(("N1",)))
        self.ready()
        expect(page.locator("enlace-branches li[aria-current]")).to_contain_text("N1")
        inside = page.locator("enlace-branches .inside .branches > li")
        page.locator("enlace-branches li[aria-current] summary").click()
        expect(inside).to_have_count(60)
        [count] = self.ask("SELECT count(*) FROM port_call WHERE berth_code = 'N1'")[0]
        self.assertGreater(count, 60)
        page.locator("enlace-branches [data-later]").scroll_into_view_if_needed()
        expect(inside).to_have_count(count)
        # Where somebody scrolls to what stands far below, the page around it stays where it is.
        self.assertEqual(page.evaluate("() => [document.documentElement.scrollHeight - innerHeight, scrollY]"), [0, 0])
        depth = page.locator("#panel").get_by_label("Depth")
        depth.fill("7.7")
        depth.press("Tab")
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        expect(page.locator("enlace-branches li[aria-current]")).to_contain_text("7.7")
        expect(inside).to_have_count(60)
        page.locator("#go-next").click()
        expect(page.locator("enlace-branches li[aria-current]")).not_to_contain_text("N1")

    def test_what_is_added_comes_in_sight(self):
        """Also on the page of tabs that was not open, with its card beside it."""
        self.make()
        page = self.page
        for table in ("cargo_line", "dues_invoice"):
            choice = page.locator("#under-port_call option", has_text=table).first.text_content()
            page.locator("#under-port_call").select_option(label=choice)
            page.locator("[data-detail=port_call]").click()
            expect(page.locator(f"[data-stage] [data-control={table}_grid]")).to_be_visible()
            card, stage = (page.locator(place).bounding_box() for place in (".card-of", ".stage"))
            self.assertGreater(card["x"], stage["x"])
        page.get_by_role("button", name="Undo").click()
        expect(page.locator("[data-stage] [data-control=cargo_line_grid]")).to_be_visible()

    def test_by_keyboard_alone(self):
        number, page = self.make(), self.page
        press = page.keyboard.press
        page.locator("[data-control=port_call_panel]").focus()
        press("Delete")
        expect(page.locator("[data-control=port_call_panel]")).to_have_count(0)
        page.locator("[data-act=undo]").focus()
        press("Enter")
        expect(page.locator("[data-control=port_call_panel]")).to_have_count(1)
        page.locator("#under-port_call").focus()
        page.keyboard.type("cargo_line")
        page.locator("[data-detail=port_call]").focus()
        press("Enter")
        expect(page.locator("[data-board=cargo_line]")).to_be_visible()
        expect(page.locator("#said")).to_contain_text("is on the form now")
        page.locator(".adds summary").focus()
        press("Enter")
        page.locator("#add-source").focus()
        page.keyboard.type("Cargo")
        page.locator("[data-bundle=panel]").focus()
        press("Enter")
        panels = page.locator("[data-stage] [data-kind=panel][data-of^='ofcargo']")
        expect(panels.first).to_be_visible()
        page.locator("[data-control=port_call_grid]").focus()
        press("Shift+ArrowLeft")
        expect(page.locator("#said")).to_contain_text("wide")
        expect(page.locator(".composer-bar .state")).not_to_contain_text("error")
        self.use(number, 12)


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

    def test_on_paper_stands_what_it_shows_and_nothing_to_press(self):
        page = self.page
        page.goto(self.base + "/desk/2/?record=i4")
        expect(page.locator("#rows .record").first).to_be_visible()
        page.emulate_media(media="print")
        for place in (".bar", "#act-new", "#act-filter", "#sentence button", "enlace-button", "#panel .pick"):
            expect(page.locator(place).first).to_be_hidden()
        # The editors are not cut off by their panel, nor the rows by their view; these begin where the grid does.
        for place in ("#panel", "#scroller"):
            self.assertLessEqual(page.eval_on_selector(place, "e => e.scrollHeight - e.clientHeight"), 2, place)
        # At one look: rows that come meanwhile take the place of those before them.
        tops = "() => ['#rows .record', '#scroller'].map(e => document.querySelector(e).getBoundingClientRect().y)"
        first, scroller = page.evaluate(tops)
        self.assertLess(first - scroller, 60)

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
