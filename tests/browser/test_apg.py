"""Keys as the WAI-ARIA Authoring Practices Guide has them (W3C, www.w3.org/WAI/ARIA/apg/patterns, read from memory): each line of
its tables is a check. What a spreadsheet adds to them is common practice, and is marked so."""

import re

from playwright.sync_api import expect

from tests.browser.served import Served

# "Grid (Interactive Tabular Data and Layout Containers) Pattern", "Keyboard Interaction For Data Grids": key, from, to; rows
# counted from 0, columns from 1; LAST is the end of the row or of all rows.
LAST = "last"
MOVES = [
    ("ArrowRight", (2, 3), (2, 4)),
    ("ArrowRight", (2, LAST), (2, LAST)),
    ("ArrowLeft", (2, 3), (2, 2)),
    ("ArrowLeft", (2, 1), (2, 1)),
    ("ArrowDown", (2, 3), (3, 3)),
    ("ArrowUp", (2, 3), (1, 3)),
    ("Home", (2, 3), (2, 1)),
    ("End", (2, 3), (2, LAST)),
    ("Control+Home", (2, 3), (0, 1)),
    ("Control+End", (2, 3), (LAST, LAST)),
    # Common practice in spreadsheets: as far as there are rows and columns.
    ("Control+ArrowRight", (2, 3), (2, LAST)),
    ("Control+ArrowLeft", (2, 3), (2, 1)),
    ("Control+ArrowDown", (2, 3), (LAST, 3)),
    ("Control+ArrowUp", (2, 3), (0, 3)),
]
# "If a grid supports selection of cells, rows, or columns": keys one after the other from the cell (2, 3), and the cells that
# are chosen then: top, left, bottom, right.
CHOICES = [
    (["Control+Space"], (0, 3, LAST, 3)),
    (["Shift+Space"], (2, 1, 2, LAST)),
    (["Control+a"], (0, 1, LAST, LAST)),
    (["Shift+ArrowRight"], (2, 3, 2, 4)),
    (["Shift+ArrowLeft"], (2, 2, 2, 3)),
    (["Shift+ArrowDown"], (2, 3, 3, 3)),
    (["Shift+ArrowUp"], (1, 3, 2, 3)),
    (["Shift+Space", "Shift+ArrowDown"], (2, 1, 3, LAST)),
    (["Control+Space", "Shift+ArrowRight"], (0, 3, LAST, 4)),
    (["Control+Space", "Escape"], None),
    (["Shift+Space", "ArrowDown"], None),
]
PLACE = """() => {
    const cell = document.activeElement.closest("[role=gridcell]");
    const row = cell?.closest("[data-at]");
    return row ? [Number(row.dataset.at), [...row.children].indexOf(cell)] : null;
}"""
CHOSEN = """() => [...document.querySelectorAll("#rows .in-range[aria-selected=true]")].map((cell) => {
    const row = cell.closest("[data-at]");
    return [Number(row.dataset.at), [...row.children].indexOf(cell)];
})"""


class Patterns(Served):
    def setUp(self):
        super().setUp()
        self.page = self.work("Vessel")
        total = self.page.locator("#go-total")
        expect(total).to_have_text(re.compile("[0-9]+"))
        self.last = (
            int(total.text_content()) - 1,
            self.page.locator("#grid .grid-head [data-number]").count(),
        )

    def real(self, place):
        return tuple(last if part == LAST else part for part, last in zip(place, self.last * 2, strict=False))

    def stand(self, place):
        row, column = self.real(place)
        self.page.keyboard.press("Control+Home")
        self.cell(row, column).click()
        self.assertEqual(self.page.evaluate(PLACE), [row, column])

    def test_moves_in_a_grid(self):
        for key, start, end in MOVES:
            with self.subTest(key=key, start=start):
                self.cell(0, 1).click()
                self.stand(start)
                self.page.keyboard.press(key)
                self.page.wait_for_function(
                    f"there => String(({PLACE})()) === there", arg="{},{}".format(*self.real(end))
                )
        self.cell(0, 1).click()
        shown = self.page.locator("#rows .record").count()
        self.page.keyboard.press("PageDown")
        self.page.wait_for_function(f"() => ({PLACE})()?.[0] > 0")
        down, _ = self.page.evaluate(PLACE)
        self.assertLess(down, shown)
        self.page.keyboard.press("PageUp")
        self.page.wait_for_function(f"() => ({PLACE})()?.[0] === 0")

    def test_cells_rows_and_columns_are_chosen(self):
        for keys, block in CHOICES:
            with self.subTest(keys=keys):
                self.cell(0, 1).click()
                self.stand((2, 3))
                for key in keys:
                    self.page.keyboard.press(key)
                if block is None:
                    self.page.wait_for_function(f"() => ({CHOSEN})().length === 0")
                    continue
                top, left, bottom, right = self.real(block)
                rows = [row for row in range(top, bottom + 1) if self.page.locator(f'#rows [data-at="{row}"]').count()]
                wanted = [[row, column] for row in rows for column in range(left, right + 1)]
                self.page.wait_for_function(
                    f"wanted => JSON.stringify(({CHOSEN})()) === wanted", arg=str(wanted).replace(" ", "")
                )
                cells = (bottom - top + 1) * (right - left + 1)
                expect(self.page.locator("#sentence [data-chosen-cells]")).to_contain_text(f"{cells} cells")

    def test_a_cell_is_edited_and_left(self):
        """ "Editing and Navigating Inside a Cell": Enter, F2 and a letter begin, Escape ends as it was; focus is on the cell again."""
        name = self.cell(2, 3).text_content()
        for key, there in (("Enter", name), ("F2", name), ("q", "q")):
            self.stand((2, 3))
            self.page.keyboard.press(key)
            expect(self.page.locator("#rows input:focus")).to_have_value(there)
            self.page.keyboard.press("Escape")
            expect(self.cell(2, 3)).to_be_focused()
            expect(self.cell(2, 3)).to_have_text(name)

    def test_one_stop_for_tab(self):
        self.stand((2, 3))
        self.page.keyboard.press("Tab")
        self.page.wait_for_function(f"() => ({PLACE})() === null")
        self.page.keyboard.press("Shift+Tab")
        expect(self.cell(2, 3)).to_be_focused()

    def test_the_menu_of_a_column(self):
        """ "Menu and Menubar Pattern": arrows go round, Home and End, a letter, Escape back to what opened it."""
        self.stand((2, 3))
        self.page.keyboard.press("Shift+F10")
        items = self.page.locator("[role=menu] > *")
        last = items.count() - 1
        for key, at in (("ArrowUp", last), ("ArrowDown", 0), ("ArrowDown", 1), ("End", last), ("Home", 0)):
            self.page.keyboard.press(key)
            expect(items.nth(at)).to_be_focused()
        self.page.keyboard.press("h")
        expect(self.page.locator("[role=menu] > :focus")).to_have_text(re.compile("^H"))
        self.page.keyboard.press("Escape")
        expect(self.cell(2, 3)).to_be_focused()

    def test_tabs(self):
        """ "Tabs Pattern": arrows go round, Home and End; the tab that has the focus is shown."""
        self.page = self.work("Port call")
        tabs = self.page.get_by_role("tab")
        last = tabs.count() - 1
        tabs.first.focus()
        for key, at in (("ArrowLeft", last), ("ArrowRight", 0), ("ArrowRight", 1), ("End", last), ("Home", 0)):
            self.page.keyboard.press(key)
            expect(tabs.nth(at)).to_be_focused()
            expect(tabs.nth(at)).to_have_attribute("aria-selected", "true")
        self.page.keyboard.press("Tab")
        self.assertTrue(self.page.evaluate("document.activeElement.closest('[role=tabpanel]') !== null"))

    def test_a_list_to_choose_from(self):
        """ "Combobox Pattern": down opens, Alt+Up and Escape close, the focus stays in the input."""
        editor = self.page.locator("#panel [role=combobox]").first
        editor.focus()
        lines = self.page.locator("#choices [role=option]")
        for opens, closes in (("ArrowDown", "Escape"), ("Alt+ArrowDown", "Alt+ArrowUp")):
            self.page.keyboard.press(opens)
            expect(lines.first).to_be_visible()
            expect(editor).to_have_attribute("aria-expanded", "true")
            self.page.keyboard.press("ArrowDown")
            active = editor.get_attribute("aria-activedescendant")
            expect(self.page.locator(f"[id='{active}']")).to_have_attribute("aria-selected", "true")
            self.page.keyboard.press(closes)
            expect(lines.first).to_be_hidden()
            expect(editor).to_be_focused()

    def test_a_dialog(self):
        """ "Dialog (Modal) Pattern": the focus goes in, stays in, and comes back with Escape."""
        self.stand((2, 3))
        self.page.keyboard.press("F1")
        expect(self.page.locator("#keys :focus")).to_have_count(1)
        for key in ("Tab", "Tab", "Shift+Tab"):
            self.page.keyboard.press(key)
            expect(self.page.locator("#keys :focus")).to_have_count(1)
        self.page.keyboard.press("Escape")
        expect(self.cell(2, 3)).to_be_focused()
        # Where the rows come anew meanwhile, it is on the cell that stands there then.
        self.page.keyboard.press("F1")
        expect(self.page.locator("#keys :focus")).to_have_count(1)
        self.page.evaluate("() => { const rows = document.getElementById('rows'); rows.innerHTML = rows.innerHTML; }")
        self.page.keyboard.press("Escape")
        expect(self.page.locator("#rows [role=gridcell]:focus")).to_have_count(1)
