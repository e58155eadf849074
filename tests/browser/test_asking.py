"""Asking for rows and putting blocks of cells in, by keyboard alone and by mouse."""

import re
import sqlite3

from playwright.sync_api import expect

from tests.browser.served import Served

PASTE = """([selector, text, html]) => {
    const data = new DataTransfer();
    data.setData("text/plain", text);
    if (html) data.setData("text/html", html);
    document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }));
}"""
COPY = """() => {
    const data = new DataTransfer();
    document.activeElement.dispatchEvent(new ClipboardEvent("copy", { clipboardData: data, bubbles: true, cancelable: true }));
    return [data.getData("text/plain"), data.getData("text/html")];
}"""


class Asking(Served):
    def test_conditions_by_keyboard_alone(self):
        page = self.work("Port call")
        self.cell(0, 2).click()
        page.keyboard.press("Alt+Shift+KeyC")
        expect(page.locator(".asks [aria-label=Field]")).to_be_focused()
        page.keyboard.type("Status")
        page.keyboard.press("Tab")
        page.keyboard.press("Tab")
        expect(page.locator(".asks [aria-label=Value]")).to_be_focused()
        page.keyboard.type("berth")
        page.keyboard.press("Enter")
        expect(page.locator("#sentence")).to_contain_text("Status has “berth”")
        expect(page.locator("#sentence [data-passing]")).to_have_text(re.compile(r"· [\d,]+ of 1,200"))
        expect(page.locator("#act-filter")).to_have_text("Filtered")
        expect(page.locator("#filters")).to_be_hidden()
        # the address holds it
        self.reload(page)
        expect(page.locator("#sentence")).to_contain_text("Status has “berth”")
        count = page.locator("#rows .record").count()
        page.locator("#sentence [aria-label^=Switch]").press("Enter")
        expect(page.locator("#rows .record").nth(count)).to_be_attached()
        expect(page.locator(".said-part.off")).to_have_count(1)
        page.locator("#sentence [aria-label^='Leave out']").click()
        expect(page.locator(".said-part")).to_have_count(0)

    def test_a_condition_beyond_the_record(self):
        page = self.work("Port call")
        page.locator("#act-conditions").click()
        line = page.locator(".asks-one")
        line.get_by_label("Field", exact=True).select_option(label="Vessel: Flag")
        line.get_by_label("Test").select_option("is")
        line.get_by_label("Value").fill("PT")
        page.get_by_role("button", name="One more").click()
        line.nth(1).get_by_label("Field", exact=True).select_option(label="Cargo line: sum of tonnes")
        line.nth(1).get_by_label("Test").select_option("more")
        line.nth(1).get_by_label("Value").fill("100")
        page.get_by_role("button", name="Show these rows").click()
        expect(page.locator(".said-part")).to_contain_text(
            ["Vessel: Flag is PT", "Cargo line: sum of tonnes more than 100"]
        )
        with sqlite3.connect(self.harbour) as db:
            [(count,)] = db.execute(
                """SELECT count(*) FROM port_call p JOIN vessel v ON v.id = p.vessel_id WHERE v.flag = 'PT'
                AND (SELECT sum(tonnes) FROM cargo_line WHERE port_call_id = p.id) > 100"""
            )
        expect(page.locator("#go-total")).to_have_text(str(count))
        self.reload(page)
        page.locator("#sentence .said-part button").nth(1).click()
        expect(line.nth(1).get_by_label("Field", exact=True)).to_have_value("sum(cargo_line.tonnes)")

    def test_the_acts_of_a_column(self):
        page = self.work("Port call")
        self.cell(2, 6).click()
        status = self.cell(2, 6).text_content()
        page.keyboard.press("Shift+F10")
        expect(page.get_by_role("menu", name="Acts of Status")).to_be_visible()
        page.keyboard.press("Escape")
        expect(self.cell(2, 6)).to_be_focused()
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Only rows with this value").click()
        expect(page.locator("#sentence")).to_contain_text(f"Status {status}")
        page.get_by_role("columnheader", name="Vessel").hover()
        page.get_by_role("button", name="Acts of Vessel").click()
        page.get_by_role("menuitem", name="Choose from its values").click()
        values = page.locator(".occurring label")
        page.get_by_label("Find in the values of Vessel").fill("doce")
        expect(values.first).to_contain_text("Doce")
        expect(values.filter(has_not_text="Doce")).to_have_count(0)  # it may have been the first of all, too
        count = int(values.first.locator(".digits").text_content())
        values.first.click()
        page.get_by_role("button", name="Show these").click()
        expect(page.locator("#go-total")).to_have_text(str(count))

    def test_dates_by_the_year_and_by_the_stretch_that_it_is(self):
        page = self.work("Port call")
        page.locator("#grid [data-name=eta] .column-acts").click()
        page.get_by_role("menuitem", name="Choose from its values").click()
        page.get_by_role("button", name="Years").click()
        year = page.locator(".occurring label").first
        expect(year).to_contain_text("2026")
        expect(page.get_by_role("button", name="Years")).to_be_focused()
        count = year.locator(".digits").text_content()
        year.click()
        page.get_by_role("button", name="Show these").click()
        expect(page.locator("#go-total")).to_have_text(count)
        # What stands in a choice is meant, also where nobody has touched it.
        page.locator("#act-conditions").click()
        page.locator(".asks-one").last.get_by_label("Test").select_option(label="is in this")
        expect(page.get_by_label("Stretch of time")).to_have_value("month")
        page.get_by_role("button", name="Show these rows").click()
        expect(page.locator("#sentence")).to_contain_text("ETA this month")

    def test_columns_are_arranged_by_keys_and_by_mouse(self):
        page = self.work("Vessel")
        head = lambda name: page.locator(f"#grid [data-name={name}]")  # noqa: E731
        self.cell(0, 3).click()
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Hide this column").press("Enter")
        expect(head("name")).to_have_count(0)
        self.cell(0, 2).click()
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Show Name").click()
        expect(head("name")).to_have_count(1)
        page.keyboard.press("Alt+Shift+K")
        tick = page.locator("[data-show-column=name]")
        for count in (0, 1):
            tick.press(" ")
            expect(head("name")).to_have_count(count)
            expect(tick).to_be_focused()  # the box is open where it was, though the grid came anew
        page.keyboard.press("Escape")
        expect(tick).to_be_hidden()
        before = head("flag").bounding_box()["width"]
        box = head("flag").bounding_box()
        page.mouse.move(box["x"] + box["width"] - 2, box["y"] + 10)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] + 60, box["y"] + 10, steps=4)
        page.mouse.up()
        page.wait_for_function("w => document.querySelector('#grid [data-name=flag]').offsetWidth > w + 40", arg=before)
        self.reload(page)
        self.assertGreater(head("flag").bounding_box()["width"], before + 40)
        self.cell(0, 2).click()
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="All as the form has it").click()
        page.wait_for_function(
            "w => document.querySelector('#grid [data-name=flag]').offsetWidth === w", arg=round(before)
        )

    def test_an_order_is_put_in_another_sequence_by_drag_and_by_keys(self):
        page = self.work("Port call")
        page.goto(page.url.partition("?")[0] + "?order=berth_code&order=-eta")
        self.ready()
        sentence = page.locator("#sentence")
        expect(sentence).to_contain_text(re.compile(r"by\s+Berth\s*×\s+then\s+ETA, latest first"))
        parts = page.locator("#sentence [data-list=order]")
        parts.last.locator(".turns").focus()
        page.keyboard.press("Alt+ArrowLeft")
        expect(sentence).to_contain_text(re.compile(r"by\s+ETA, latest first\s*×\s+then\s+Berth"))
        expect(parts.first.locator(".turns")).to_be_focused()
        page.keyboard.press("Alt+ArrowLeft")
        expect(page.locator("#said")).to_contain_text("It is the first one already.")
        one, other = parts.last.bounding_box(), parts.first.bounding_box()
        page.mouse.move(one["x"] + 10, one["y"] + 8)
        page.mouse.down()
        page.mouse.move(other["x"] + 5, other["y"] + 8, steps=5)
        page.mouse.up()
        expect(sentence).to_contain_text(re.compile(r"by\s+Berth\s*×\s+then\s+ETA"))
        page.get_by_role("columnheader", name="Berth").hover()
        page.get_by_role("button", name="Acts of Berth").click()
        page.get_by_role("menuitem", name="Empty ones").click()
        page.get_by_role("menuitemcheckbox", name="Last, behind all others").press("Enter")
        expect(sentence).to_contain_text("Berth, empty last")
        self.reload(page)
        expect(sentence).to_contain_text("Berth, empty last")

    def test_rows_of_two_lines_and_several_columns_at_once(self):
        page = self.work("Vessel")
        height = lambda: self.cell(1, 2).bounding_box()["height"]  # noqa: E731
        before, gutter = height(), page.locator("#rows .thread").nth(1).bounding_box()
        page.mouse.move(gutter["x"] + 8, gutter["y"] + gutter["height"] - 2)
        page.mouse.down()
        page.mouse.move(gutter["x"] + 8, gutter["y"] + gutter["height"] + 20, steps=4)
        page.mouse.up()
        page.wait_for_function("h => document.querySelector('#rows .record').offsetHeight > h + 10", arg=before)
        names = page.locator("#grid [data-number]")
        three = [names.nth(n).get_attribute("data-name") for n in (1, 2, 3)]
        self.cell(2, 2).click()
        page.keyboard.press("Shift+ArrowRight")
        page.keyboard.press("Shift+ArrowRight")
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Hide these 3 columns").press("Enter")
        for name in three:
            expect(page.locator(f"#grid [data-name={name}]")).to_have_count(0)

    def test_columns_fill_the_view_as_far_as_it_goes(self):
        page = self.work("Berth")
        reach = "() => { const s = document.querySelector('#scroller'); const h = [...s.querySelectorAll('.grid-head [data-number]')].pop(); return Math.abs(h.getBoundingClientRect().right - s.getBoundingClientRect().left - s.clientWidth) < 2; }"
        page.wait_for_function(reach)
        page.set_viewport_size({"width": 1500, "height": 900})
        page.wait_for_function(reach)

    def test_back_undoes_what_was_asked_and_leaves_the_form_at_last(self):
        page = self.work("Port call")
        eta, sentence = page.locator("#grid [data-name=eta]"), page.locator("#sentence")
        eta.get_by_role("link").click()
        expect(eta).to_have_attribute("aria-sort", "ascending")
        expect(page).to_have_url(re.compile("order=eta"))
        page.locator("#act-filter").click()
        page.get_by_label("Filter by Status").fill("berthed")
        page.keyboard.press("Enter")
        expect(sentence).to_contain_text("berthed")
        expect(page).to_have_url(re.compile("only-status"))
        page.locator("#go-next").click()
        expect(page.locator("#panel")).to_have_attribute("data-position", "1")
        page.go_back()
        expect(sentence).not_to_contain_text("berthed")
        expect(eta).to_have_attribute("aria-sort", "ascending")
        page.go_forward()
        expect(sentence).to_contain_text("berthed")
        for _ in range(2):
            page.go_back()
        expect(eta).not_to_have_attribute("aria-sort", "ascending")
        expect(page).not_to_have_url(re.compile("order=eta"))
        page.go_back()
        expect(page).to_have_url(re.compile("/desk/$"))

    def test_a_view_is_kept_and_asked_again(self):
        page = self.work("Port call")
        page.get_by_role("columnheader", name="ETA").get_by_role("link").click()
        expect(page.locator("#sentence")).to_contain_text("by ETA")
        page.locator("#sentence [data-kept=views]").click()
        page.locator("[data-kept-name]").fill("By arrival")
        page.get_by_role("button", name="Keep the view").click()
        expect(page.locator(".kept-views a")).to_have_text("By arrival")
        page.goto(self.base + "/desk/2/")
        page.locator("#sentence [data-kept=views]").click()
        page.locator(".kept-views a").click()
        expect(page.locator("[data-name=eta]").first).to_have_attribute("aria-sort", "ascending")
        page.locator("#sentence [data-kept=views]").click()
        page.get_by_role("button", name="Remove the view By arrival").click()
        expect(page.locator(".kept-views")).to_contain_text("None yet.")

    def test_find_marks_and_moves(self):
        page = self.work("Port call")
        self.cell(0, 2).click()
        page.keyboard.press("Alt+Shift+KeyL")
        expect(page.locator("#find")).to_be_focused()
        page.keyboard.type("jangáda")
        expect(page.locator("#sentence [data-found]")).to_contain_text("1 of ")
        expect(page.locator("#rows .record[aria-selected=true]")).to_contain_text("Jangada")
        expect(page.locator("#panel")).not_to_have_attribute("data-position", "0")
        first = page.locator("#panel").get_attribute("data-position")
        page.keyboard.press("Enter")
        expect(page.locator("#sentence [data-found]")).to_contain_text("2 of ")
        expect(page.locator("#panel")).not_to_have_attribute("data-position", first)
        self.assertGreater(page.evaluate("CSS.highlights.get('found').size"), 0)
        page.keyboard.press("Shift+Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", first)
        # The others stay in sight, unless one asks for these alone.
        many = page.locator("#sentence [data-found]").text_content().split()[2]
        page.keyboard.press("Tab")
        expect(page.get_by_role("button", name="Only these")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.locator("#go-total")).to_have_text(many)
        expect(page.locator("#sentence .said-part")).to_contain_text("“jangáda” in any field")
        expect(page.locator("#rows [role=gridcell]:focus")).to_have_count(1)
        page.locator("#sentence .said-part button").first.click()
        expect(page.get_by_label("Text that any field has")).to_have_value("jangáda")

    def test_several_fields_in_an_order_by_keyboard(self):
        page = self.work("Port call")
        self.cell(0, 6).click()
        page.keyboard.press("ArrowUp")
        expect(page.get_by_role("columnheader", name="Status").get_by_role("link")).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.locator("[data-name=status]")).to_have_attribute("aria-sort", "ascending")
        expect(page.get_by_role("columnheader", name="Status").get_by_role("link")).to_be_focused()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Shift+Enter")
        expect(page.locator("[data-name=eta]")).to_have_attribute("aria-sort", "ascending")
        expect(page.locator("#sentence")).to_contain_text("by Status × then ETA", use_inner_text=True)
        page.keyboard.press("ArrowDown")
        expect(page.locator("#rows [role=gridcell]:focus")).to_have_count(1)


class Blocks(Served):
    def test_a_range_is_copied_pasted_filled_and_cleared(self):
        page = self.work("Vessel")
        self.cell(0, 3).click()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowRight")
        expect(page.locator("#rows .in-range")).to_have_count(4)
        expect(page.locator("#sentence [data-chosen-cells]")).to_contain_text("4 cells, 4 with a value")
        plain, html = page.evaluate(COPY)
        names = [self.cell(n, 3).text_content() for n in (0, 1)]
        self.assertEqual([line.split("\t")[0] for line in plain.split("\n")], names)
        self.assertIn(f">{names[0]}</td>", html)
        page.keyboard.press("Escape")
        expect(page.locator("#rows .in-range")).to_have_count(0)
        self.cell(3, 3).click()
        page.evaluate(PASTE, ["", "Alfa do Mar\tTanker\nBeta do Mar\tTug\n"])
        expect(page.locator("#question")).to_contain_text("This would change 2 records.")
        page.locator("#question").get_by_role("button", name="Put it in").click()
        self.says("Paste: 2 records changed.", page)
        expect(self.cell(4, 3)).to_have_text("Beta do Mar")
        expect(page.locator("#strip")).to_contain_text("2 records pending")
        self.cell(3, 3).click()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Control+d")
        page.locator("#question").get_by_role("button", name="Put it in").click()
        expect(self.cell(5, 3)).to_have_text("Alfa do Mar")
        expect(page.locator("#strip")).to_contain_text("3 records pending")
        for left in (2, 0):
            page.locator("#act-undo").click()
            expect(page.locator("#strip")).to_contain_text(f"{left} records pending" if left else "Nothing is pending")

    def test_the_value_above_and_an_empty_cell_are_put_in_at_once(self):
        page = self.work("Vessel")
        heads = page.locator("#grid .grid-head [data-number]")
        at = {name: n + 1 for n, name in enumerate(heads.evaluate_all("(all) => all.map((h) => h.dataset.name)"))}
        texts = [self.cell(n, at["remarks"]).text_content() for n in range(8)]
        here = next(n for n in range(1, 8) if texts[n - 1] and texts[n] != texts[n - 1])
        self.cell(here, at["remarks"]).click()
        page.keyboard.press("Control+'")
        expect(self.cell(here, at["remarks"])).to_have_text(texts[here - 1])
        page.keyboard.press("Delete")
        expect(self.cell(here, at["remarks"])).to_have_text("")
        page.locator("#act-undo").click()
        expect(self.cell(here, at["remarks"])).to_have_text(texts[here - 1])
        self.cell(2, at["in_service"]).click()
        word = "no" if self.cell(2, at["in_service"]).text_content() == "yes" else "yes"
        page.evaluate(PASTE, ["", word, ""])
        expect(self.cell(2, at["in_service"])).to_have_text(word)
        self.cell(2, at["built"]).click()
        page.keyboard.press("Control+;")
        self.assertRegex(page.evaluate("document.activeElement.value"), r"^\d{4}-\d\d-\d\d$")

    def test_the_ends_of_lines_that_only_a_spreadsheet_s_table_has_are_kept(self):
        page = self.work("Port call")
        heads = page.locator("#grid .grid-head [data-number]")
        columns = heads.evaluate_all("(heads) => heads.map((head) => head.dataset.name)")
        at = 1 + columns.index("purpose")
        self.cell(0, at).click()
        # As Calc writes both: the text with a blank in place of the end of a line.
        html = "<table><tr><td>crew<br>change</td></tr><tr><td><br></td></tr><tr><td>stores</td></tr></table>"
        with page.expect_request("**/block?*") as sent:
            page.evaluate(PASTE, ["", "crew change\n\nstores\n", html])
        self.assertIn('[["crew\\nchange"],[""],["stores"]]', sent.value.post_data)
        page.locator("#question").get_by_role("button", name="Cancel").click()

    def test_several_records_get_the_same_value_by_keyboard_alone(self):
        page = self.work("Port call")
        self.cell(2, 3).click()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Alt+Shift+S")
        panel = page.locator("#sentence [data-boxed-in=several]")
        expect(panel).to_contain_text("3 chosen records")
        panel.locator("[data-field=pilot_id]").focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("#choices [role=option]").nth(2)).to_be_visible()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        name = panel.locator("[data-field=pilot_id]").input_value()
        expect(panel.get_by_role("checkbox", name="Change Pilot")).to_be_checked()
        page.keyboard.press("Enter")
        expect(panel).to_contain_text("Pilot of 3 records would be set")
        page.keyboard.press("Enter")  # the focus is on what does it
        self.says("changed.", page)
        expect(page.locator("#rows [role=gridcell]:focus")).to_have_count(1)
        at = 1 + page.locator("#grid .grid-head [data-number]").evaluate_all(
            "(heads) => heads.findIndex((head) => head.dataset.name === 'pilot_id')"
        )
        for row in (2, 3, 4):
            expect(self.cell(row, at)).to_have_text(name)
        page.locator("#act-undo").click()
        expect(page.locator("#strip")).to_contain_text("Nothing is pending")
        # Escape closes the panel, and nothing of it was done.
        page.keyboard.press("Alt+Shift+S")
        expect(panel.locator("input:focus, select:focus, textarea:focus")).to_have_count(1)
        page.keyboard.press("Escape")
        expect(panel).to_be_hidden()


class Grouped(Served):
    def test_groups_by_keyboard_alone(self):
        page = self.work("Port call")
        self.cell(0, 6).click()
        page.keyboard.press("Shift+F10")
        page.get_by_role("menuitem", name="Group by Status").press("Enter")
        heads = page.locator("#rows .group-line")
        expect(heads).to_have_count(4)
        expect(page.locator("#sentence")).to_contain_text("in groups by Status", use_inner_text=True)
        heads.first.locator(".group-cell").focus()
        page.keyboard.press("ArrowRight")  # opens
        first = page.locator("#rows .record:not(.group-line)").first
        expect(first).to_be_visible()
        page.keyboard.press("ArrowDown")
        expect(first).to_have_attribute("aria-selected", "true")
        expect(page.locator("#panel")).to_have_attribute("data-record", first.get_attribute("data-id"))
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Enter")  # closes
        expect(page.locator("#rows .record:not(.group-line)")).to_have_count(0)
        expect(page.locator("#rows [role=gridcell]:focus")).to_have_count(1)
        page.locator("[data-fold-all='1']").press("Enter")
        expect(page.locator("#rows .record:not(.group-line)").first).to_be_visible()
        self.reload(page)
        expect(page.locator("#rows .group-line").first).to_be_visible()
        expect(page.locator("#rows .record:not(.group-line)").first).to_be_visible()
        page.locator("#go-number").fill("1000")
        page.locator("#go-number").press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", "999")
        expect(page.locator("#rows .record[aria-selected=true]")).to_be_in_viewport()
        page.locator("#sentence [aria-label^='Leave out the groups']").click()
        expect(page.locator("#rows .group-line")).to_have_count(0)

    def test_a_new_record_stands_in_its_group(self):
        page = self.work("Vessel")
        page.goto(f"{page.url}?group=name:letter")
        heads, current = page.locator("#rows .group-line"), page.locator("#rows [aria-selected=true]")
        expect(heads.first).to_be_visible()
        page.locator("[data-fold-all='']").press("Enter")
        expect(page.locator("#rows .record:not(.group-line)")).to_have_count(0)
        page.keyboard.press("Alt+Shift+N")
        # Its group is open for it, though all others are closed, and it is typed into beside the grid.
        expect(current).to_have_attribute("data-id", re.compile("^n"))
        new = current.get_attribute("data-id")
        expect(page.locator("#panel")).to_have_attribute("data-record", new)
        name = page.locator("#panel [data-field=name]")
        name.fill("Zimbro")
        name.press("Tab")
        # Where it belongs now is closed: the line of that group stands for it, until somebody opens it.
        mine = page.locator("#rows .group-line", has_text="Z")
        expect(mine).to_have_attribute("aria-selected", "true")
        expect(page.locator("#panel")).to_have_attribute("data-record", new)
        mine.locator("[data-fold]").click()
        row = page.locator(f"#rows .record[data-id={new}]")
        expect(row).to_contain_text("Zimbro")
        row.locator("[role=gridcell]").nth(1).click()
        expect(row).to_have_attribute("aria-selected", "true")
        page.keyboard.press("ArrowUp")
        expect(mine).to_have_attribute("aria-selected", "true")
        page.locator("#act-discard").click()
        page.locator("#question [value=yes]").click()
        expect(row).to_have_count(0)


class Arranging(Served):
    """What a grid shows and how, by the menu of its headings; by keys as well."""

    def setUp(self):
        with sqlite3.connect(self.home / "enlace.sqlite3") as kept:
            kept.execute("DELETE FROM desk_arrangement")  # of the test before, whatever became of it
        super().setUp()

    def choose(self, field, *path, page=None):
        page = page or self.page
        page.locator(f"#grid [data-name={field}] .column-acts").click()
        for words in path:
            page.locator(".column-menu li").get_by_text(words, exact=True).click()
        expect(page.locator(".column-menu")).to_have_count(0)

    def left(self, selector):
        return self.page.locator(selector).first.bounding_box()["x"]

    def test_a_column_stays_at_its_side_while_the_others_move(self):
        page = self.work("Vessel")
        self.choose("name", "Place …", "Stay at the start")
        expect(page.locator("#grid [data-number]").first).to_have_attribute("data-name", "name")
        at = self.left("#rows .record [role=gridcell]:nth-child(2)")
        page.locator("#scroller").evaluate("e => (e.scrollLeft = 300)")
        self.assertEqual(self.left("#rows .record [role=gridcell]:nth-child(2)"), at)
        self.assertEqual(self.left("#grid [data-name=name]"), at)
        self.cell(2, 9).click()
        page.keyboard.press("Home")
        page.keyboard.press("ArrowRight")  # a cell beneath what stays comes out from under it
        page.wait_for_function(
            """() => {
                const row = document.querySelector("#rows .record:nth-child(3)").children;
                return row[2].getBoundingClientRect().left >= row[1].getBoundingClientRect().right - 2;
            }"""
        )
        self.choose("name", "All as the form has it")

    def test_a_heading_is_dragged_to_another_place_and_into_the_sentence(self):
        page = self.work("Vessel")
        names = lambda: page.locator("#grid [data-number]").evaluate_all("all => all.map(one => one.dataset.name)")  # noqa: E731
        self.assertEqual(names()[1:3], ["imo_no", "name"])
        self.drag("#grid [data-name=name]", "#grid [data-name=imo_no]")
        expect(page.locator("#grid [data-number]").nth(1)).to_have_attribute("data-name", "name")
        self.drag("#grid [data-name=flag]", "#sentence strong")
        expect(page.locator("#grid [data-name=flag]")).to_have_attribute("aria-sort", "ascending")
        expect(page.locator("#sentence")).to_contain_text("by Flag")
        self.choose("name", "All as the form has it")

    def test_two_views_scroll_apart_and_a_record_stays_in_sight(self):
        page = self.work("Vessel")
        self.cell(4, 2).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i5")
        self.choose("name", "Keep this record in sight")
        expect(page.locator("#grid [data-kept] .record")).to_have_attribute("data-id", "i5")
        expect(page.locator("#rows .record[aria-selected]")).to_have_attribute("data-id", "i5")
        self.choose("name", "Rows …", "A second view beside, which scrolls apart")
        second = page.locator("#split-view-rows")
        expect(second.locator(".record").first).to_be_visible()
        stood = page.locator("#scroller").evaluate("e => e.scrollTop")
        page.locator("#split-view-scroller").evaluate("e => (e.scrollTop = 700)")
        second.locator('.record[data-at="27"] > [role=gridcell]').nth(2).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i28")
        self.assertEqual(page.locator("#scroller").evaluate("e => e.scrollTop"), stood)
        self.type_into("Name", "Seen in both", page)
        for rows in ("#rows", "#split-view-rows"):
            expect(page.locator(f"{rows} .record[data-id=i28]")).to_contain_text("Seen in both")
        page.locator("#rows .record").first.locator("[role=gridcell]").nth(2).click()
        page.keyboard.press("ArrowUp")
        expect(page.locator("#grid [data-kept] [role=gridcell]:focus")).to_have_count(1)
        page.keyboard.press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-record", "i5")
        self.choose("name", "All as the form has it")
        expect(second).to_have_count(0)
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()

    def drag(self, what, to):
        mouse, boxes = self.page.mouse, [self.page.locator(selector).first.bounding_box() for selector in (what, to)]
        (x, y), (left, top) = [(box["x"] + 12, box["y"] + box["height"] / 2) for box in boxes]
        mouse.move(x, y)
        mouse.down()
        mouse.move(left, top, steps=6)
        mouse.up()

    def test_totals_by_keys_and_a_new_record_typed_into_the_blank_row(self):
        page = self.work("Berth")
        self.cell(0, 3).click()
        page.keyboard.press("Shift+F10")
        page.keyboard.press("t")
        page.keyboard.press("Enter")
        expect(page.locator(".column-menu [role=menuitemcheckbox]").first).to_have_attribute("aria-checked", "false")
        page.keyboard.press("s")
        page.keyboard.press("Enter")
        foot = page.locator("#grid [data-foot]")
        expect(foot).to_contain_text("Sum")
        expect(foot.locator("output")).not_to_have_text("…")
        before = float(foot.locator("output").inner_text().replace(",", ""))
        self.cell(0, 1).click()
        page.keyboard.press("Control+End")
        page.keyboard.press("Home")
        page.keyboard.press("ArrowDown")
        expect(page.locator("#grid [data-blank] > :nth-child(2)")).to_be_focused()
        page.keyboard.type("Z9", delay=15)  # faster than the record is made
        page.keyboard.press("Tab")
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        page.keyboard.type("Blank quay")
        page.keyboard.press("Tab")
        page.keyboard.type("100")
        page.keyboard.press("Enter")
        expect(page.locator("#rows .record[data-state=new] > :nth-child(2)")).to_have_text("Z9")
        expect(page.locator("#rows .record[data-state=new] > :nth-child(3)")).to_have_text("Blank quay")
        expect(foot.locator("output")).to_have_text(f"{before + 100:,.2f}")
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()

    def test_a_range_of_numbers_by_a_bar_and_by_hand(self):
        page = self.work("Vessel")
        self.choose_values("length_m")
        bars = page.locator(".ranged [data-bar]")
        expect(bars.nth(7)).to_be_visible()
        ends = [float(bars.first.get_attribute(f"data-{end}")) for end in ("from", "to")]
        with sqlite3.connect(self.harbour) as database:
            count = database.execute("SELECT count(*) FROM vessel WHERE length_m BETWEEN ? AND ?", ends).fetchone()[0]
        bars.first.click()
        page.get_by_role("button", name="Show this range").click()
        expect(page.locator("#sentence .said-part")).to_contain_text("Length")
        expect(page.locator("#go-total")).to_have_text(str(count))
        page.get_by_role("link", name="Show all rows").click()
        expect(page.locator("#go-total")).to_have_text("40")

    def choose_values(self, field):
        self.page.locator(f"#grid [data-name={field}] .column-acts").click()
        self.page.locator(".column-menu li").get_by_text("Choose from its values …", exact=True).click()

    def test_arrangements_kept_by_name(self):
        page = self.work("Berth")
        self.choose("quay", "Hide this column")
        expect(page.locator("#grid [data-name=quay]")).to_have_count(0)
        page.locator("#sentence [data-kept=arrangements]").click()
        page.locator("[data-kept-box=arrangements] [data-kept-name]").fill("Without quays")
        page.get_by_role("button", name="Keep the arrangement").click()
        expect(page.locator("[data-kept-put]")).to_have_text("Without quays")
        self.choose("code", "All as the form has it")
        expect(page.locator("#grid [data-name=quay]")).to_have_count(1)
        page.locator("#sentence [data-kept=arrangements]").click()
        page.locator("[data-kept-put]").click()
        expect(page.locator("#grid [data-name=quay]")).to_have_count(0)
        expect(page.locator("#act-arrangements")).to_be_focused()
        self.choose("code", "All as the form has it")

    def test_an_address_shows_a_colleague_how_the_grid_stands(self):
        page = self.work("Berth")
        self.choose("quay", "Hide this column")
        expect(page.locator("#grid [data-name=quay]")).to_have_count(0)
        page.locator("#sentence [data-kept=arrangements]").click()
        page.locator("[data-kept-share]").click()
        address = page.locator("[data-kept-address]")
        expect(address).to_have_value(re.compile("arranged="))
        colleague = self.open_page("operator")
        colleague.goto(address.input_value())
        self.ready(colleague)
        heads = colleague.locator("#grid .grid-head")
        expect(heads.locator("[data-name=quay]")).to_have_count(0)
        heads.locator("[data-name=code] a").click()
        expect(heads.locator("[data-name=code]")).to_have_attribute("aria-sort", re.compile("^(a|de)scending"))
        expect(heads.locator("[data-name=quay]")).to_have_count(0)
        expect(colleague).to_have_url(re.compile("arranged="))
        # It is the address that says so, until one changes it.
        plain = self.work("Berth", self.open_page("operator"))
        expect(plain.locator("#grid [data-name=quay]")).to_have_count(1)
        self.choose("depth_m", "Hide this column", page=colleague)
        expect(heads.locator("[data-name=depth_m]")).to_have_count(0)
        expect(heads.locator("[data-name=quay]")).to_have_count(0)
        expect(colleague).not_to_have_url(re.compile("arranged="))
        self.says("is yours now", colleague)
        self.reload(colleague)
        self.ready(colleague)
        expect(heads.locator("[data-name=quay]")).to_have_count(0)
        for one in (page, colleague):
            self.choose("code", "All as the form has it", page=one)
            expect(one.locator("#grid [data-name=quay]")).to_have_count(1)
