"""Every screen against axe-core's rules for WCAG 2.2 AA, in both themes and in a narrow window."""

import sqlite3

from playwright.sync_api import expect

from tests.browser.served import ROOT, Served

AXE = (ROOT / "enlace/site/static/vendor/axe.min.js").read_text()
RULES = (
    "{runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'], resultTypes: ['violations']}"
)

COLOURS = "{runOnly: ['color-contrast'], resultTypes: ['violations']}"  # all that the dark theme changes

# Colours are the same in a narrow window, and looking at all of them is most of what axe does.
LAYOUT = RULES.replace("}", ", rules: {'color-contrast': {enabled: false}}}")

WIDE, NARROW = {"width": 1280, "height": 800}, {"width": 390, "height": 780}
WIDER = """[...document.querySelectorAll('*')].filter((e) => e.getBoundingClientRect().right > innerWidth + 1)
    .map((e) => `${e.tagName} ${e.id} ${e.className}`).slice(0, 8)"""


class Axe(Served):
    def screens(self, page):
        """(name, what leads there) of every screen, with the states that a form can be in."""
        page.goto(self.base + "/workshop/")
        yield "projects"
        page.get_by_role("link", name="Porto Salgueiro").click()
        yield "connections"
        page.get_by_role("link", name="New connection").click()
        yield "new connection"
        page.select_option("#kind", "postgresql")
        expect(page.get_by_label("Host")).to_be_visible()
        page.locator("summary", has_text="paste").click()
        yield "new connection to a server"
        page.goto(self.base + "/unlock/1/")
        yield "a password that is asked for"
        page.goto(self.base + "/workshop/connection/1/?test=1")
        expect(page.locator("#test .fine")).to_have_count(5)
        yield "connection"
        page.get_by_role("button", name="Work on a practice copy").click()
        expect(page.get_by_role("heading", name="Practice copy")).to_be_visible()
        yield "a connection on its practice copy"
        page.get_by_role("link", name="Compare").click()
        yield "copy and live compared"
        self.work("Berth", page)
        expect(page.locator(".badge-live")).to_have_text("practice copy")
        yield "a form on the practice copy"
        page.goto(self.base + "/workshop/connection/1/")
        page.get_by_role("button", name="Remove the copy").click()
        page.locator("#question").get_by_role("button", name="Go on").click()
        expect(page.get_by_role("heading", name="Live")).to_be_visible()
        page.goto(self.base + "/workshop/connection/1/table?name=vessel")
        yield "table"
        page.goto(self.base + "/workshop/connection/1/table?name=nothing")
        yield "a problem"
        for address in (
            "project/1/datasets/",
            "dataset/1/",
            "rule/1/",
            "project/1/forms/",
            "form/2/",
            "project/1/wiring",
            "project/1/states",
        ):
            page.goto(f"{self.base}/workshop/{address}")
            yield address
        page.goto(self.base + "/workshop/form/2/compose")
        page.locator("[data-choose=port_call_grid]").click()
        expect(page.locator(".card-of")).to_contain_text("Columns")
        page.locator(".adds summary").click()
        yield "the composer with a control chosen"
        page.locator("[data-stage] [data-kind=button]").first.click(position={"x": 4, "y": 4}, force=True)
        page.locator("#set-usable_when-code").click()
        page.keyboard.type("statu")
        expect(page.locator(".cm-lintRange-error")).to_have_text("statu")
        expect(page.locator(".cm-tooltip-autocomplete")).to_be_visible()
        yield "a condition that is being written"
        page.goto(self.base + "/workshop/dataset/2/")
        page.get_by_role("button", name="More about berth_code").click()
        page.get_by_label("On save only").check()
        page.locator("#p-required_when-code").press_sequentially("vessel.leng")
        expect(page.locator(".cm-tooltip-autocomplete li")).to_have_count(1)
        yield "the field sheet with a field open"
        page.goto(self.base + "/workshop/connection/1/query")
        page.locator("#sql-code").click()
        page.keyboard.type("SELECT name FROM vessel WHERE flag = :flag")
        page.locator("#run").click()
        page.locator("#given-flag").fill("PT")
        page.locator("#given-flag").press("Enter")
        expect(page.locator("#result [role=grid]")).to_be_visible()
        yield "the query pad"
        page.locator("#plan").click()
        expect(page.locator(".plan-steps")).to_contain_text("vessel")
        yield "a plan"
        page.goto(self.base + "/workshop/connection/1/new-table")
        page.fill("#name", "buoy")
        page.get_by_label("Name of column 1").fill("colour")
        page.get_by_role("button", name="Show the statement").click()
        expect(page.locator("pre").first).to_contain_text("CREATE TABLE buoy")
        yield "a new table"
        page.goto(self.base + "/desk/")
        yield "desk"
        self.work("Dues by currency", page, rows=False)
        yield "a form that asks for a value"
        page.goto(self.base + "/desk/2/bring-in")
        content = b'ID;Status\n1;=x\n2;"two\nlines"\n3;=x\n'
        page.locator("#file").set_input_files({"name": "calls.csv", "mimeType": "text/csv", "buffer": content})
        page.get_by_role("button", name="Read it").click()
        page.get_by_role("button", name="Check the rows").click()
        expect(page.locator("[data-mend]")).to_have_count(3)
        yield "faulty rows of a file"
        page.get_by_role("button", name="Another file").click()
        page.goto(self.base + "/demo/")
        yield "the demo's other people"
        page.goto(self.base + "/workshop/connection/1/map")
        yield "the schema map"
        self.work("Pilots", page, rows=False)
        page.locator(".branch summary").first.click()
        expect(page.locator(".inside .branches").first).to_be_visible()
        yield "rows that open"
        self.work("Quay today", page, rows=False)
        page.locator("#act-forms").click()
        expect(page.get_by_role("navigation", name="Forms of the project").get_by_role("link")).not_to_have_count(0)
        yield "a list in groups, and the menu of forms"
        self.work("Port call", page)
        page.locator("#act-conditions").click()
        page.get_by_role("button", name="A group").first.click()
        page.locator("#sentence [data-kept=views]").click()
        expect(page.locator(".kept-views")).to_be_visible()
        yield "conditions built from parts, and views kept"
        page.locator(".asks-one [aria-label=Value]").first.fill("7")
        page.get_by_role("button", name="Show these rows").click()
        expect(page.locator("#sentence")).to_contain_text("ID is 7")
        page.locator("#rows [role=gridcell]").nth(2).click()
        page.keyboard.press("Shift+F10")
        yield "the acts of a column"
        page.get_by_role("menuitem", name="Choose from its values").press("Enter")
        expect(page.locator(".occurring input").first).to_be_visible()
        yield "the values of a column"
        page.goto(self.base + "/desk/2/?group=status:value&group=eta:month")
        expect(page.locator("#rows .group-line").first).to_be_visible()
        page.locator("[data-fold-all='1']").click()
        expect(page.locator("#rows .record:not(.group-line)").first).to_be_visible()
        page.locator("#sentence [data-boxed=replace]").click()
        page.locator("#sentence [name=find]").fill("a")
        page.get_by_role("button", name="Show what would change").click()
        expect(page.locator("#sentence [data-boxed-in=replace] [data-boxed-seen]")).not_to_be_empty()
        yield "rows in groups, and a text to be replaced"
        page.keyboard.press("Alt+Shift+S")
        expect(page.locator("#sentence .several-field").first).to_be_visible()
        yield "the same values for several records"
        self.work("Port call", page)
        page.locator("#panel").get_by_role("combobox", name="Vessel").press("ArrowDown")
        expect(page.locator("#choices li").nth(5)).to_be_visible()
        yield "an open list"
        if page.locator("#choices").is_hidden():  # it closes where its place becomes another one
            page.locator("#panel").get_by_role("combobox", name="Vessel").press("ArrowDown")
        page.locator("#choices [data-go-to]").click()
        expect(page.locator("#errand")).to_be_visible()
        yield "a form that somebody came to for its list"
        page.get_by_role("button", name="Back without one").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Port call")
        yield from self.away(page)
        self.work("Gate log", page)
        page.locator("#act-filter").click()
        yield "a read-only form, about to be filtered"
        page.goto(self.base + "/desk/2/?record=i7")
        yield "a form with details on its sheet"
        self.alone("Cargo line", page)
        expect(page.locator("#rows .record").first).to_be_visible()
        page.locator("details.other summary").click()
        yield "a detail"
        yield from self.a_form_at_work(page)
        self.work("Pilot shift", page)
        editor = page.locator("#panel").get_by_label("Ends")
        self.type_into("Ends", "23:58" if editor.input_value().startswith("23:59") else "23:59", page)
        page.locator("#act-save").click()
        self.says("Saved 1 record", page)
        page.goto(self.base + "/desk/journal/")
        yield "the journal"
        page.locator("main tbody a").first.click()
        yield "a save in the journal"

    def away(self, page):
        """What a form offers while its database is away."""
        at = page.url
        page.locator(".keeping button").first.click()
        expect(page.get_by_text("rows is kept")).to_be_visible()
        page.locator("details.other summary").click()
        page.locator("#outage").click()
        self.says("The database is away", page)
        page.goto(at)
        yield "a form whose database is away"
        page.get_by_role("button", name="Work from the kept copy").click()
        expect(page.locator(".badge-live.kept")).to_be_visible()
        yield "a form on its kept copy"
        page.locator("details.other summary").click()
        page.locator("#outage-over").click()
        self.says("The database is back", page)
        page.get_by_role("button", name="Back to the server").click()
        expect(page.locator(".badge-live.kept")).to_be_hidden()
        self.wrong = [w for w in self.wrong if "503" not in w]

    def a_form_at_work(self, page):
        self.work("Vessel", page)
        page.locator("#grid [data-name=name] .column-acts").click()
        page.get_by_role("menuitem", name="How many rows of each value").click()
        expect(page.locator("#groups table")).to_be_visible()
        yield "a form, its rows counted by a field"
        page.locator("[data-close-groups]").click()
        self.type_into("Name", "", page)
        self.type_into("Length", "12x", page)
        self.cell(3, 2, page).click()
        page.keyboard.press("F2")
        yield "a form with errors and an open editor"
        page.keyboard.press("Escape")
        page.locator("#act-new").click()
        expect(page.locator("#panel")).to_have_attribute("data-state", "new")
        yield "a new record"
        self.cell(5, 2, page).click()
        page.locator("#act-remove").click()
        yield "a question"
        page.locator("#question").get_by_role("button", name="Remove").click()
        expect(page.locator("#panel")).to_have_attribute("data-state", "removed")
        yield "a removed record"
        self.cell(8, 3, page).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i9")
        with sqlite3.connect(self.harbour) as db:
            db.execute("UPDATE vessel SET name = name || '.' WHERE id = 9")
        self.type_into("Name", "Mine", page)
        expect(page.locator(".settle")).to_be_visible()
        yield "a conflict"
        for _ in range(3):  # a pulse may replace the panel under a press on a busy machine
            page.get_by_role("button", name="Leave for later").click()
            page.wait_for_timeout(1500)
            if "left for later" in page.locator("#strip").inner_text():
                break
        expect(page.locator("#strip")).to_contain_text("left for later")
        yield "a conflict left for later"
        self.cell(10, 3, page).click()
        expect(page.locator("#panel")).to_have_attribute("data-record", "i11")
        self.type_into("Name", "Mine too", page)
        with sqlite3.connect(self.harbour) as db:
            db.execute("UPDATE vessel SET flag = CASE flag WHEN 'PT' THEN 'ES' ELSE 'PT' END WHERE id = 11")
        expect(page.locator("#drift")).to_contain_text("Flag is now")
        yield "a record that somebody else has changed"
        page.get_by_role("link", name="Review").click()
        for statement in page.locator("details.sql-of summary").all():
            statement.click()
        yield "review"
        self.work("Vessel", page)
        page.locator("#act-rehearse").click()
        expect(page.get_by_role("heading", name="rehearsal")).to_be_visible()
        yield "a rehearsal"
        self.work("Vessel", page)
        page.locator("#act-discard").click()
        page.locator("#question").get_by_role("button", name="Discard", exact=True).click()
        self.says("discarded", page)

    def violations(self, page, rules=RULES):
        violations_told = page.evaluate(f"axe.run(document, {rules})")["violations"]
        return [
            (v["id"], v["help"], [n["html"][:160] for n in v["nodes"][:3]], v["nodes"][0]["failureSummary"][:300])
            for v in violations_told
        ]

    def check(self, page):
        """Each screen as it stands, in the dark theme, and in a narrow window."""
        # Colours that change at once: on a busy machine a transition may not have begun when axe looks.
        page.emulate_media(reduced_motion="reduce")
        for screen in self.screens(page):
            # A sentence that passes by may lie over a button for a moment.
            page.evaluate("document.getElementById('said')?.classList.remove('shown')")
            page.evaluate("scrollTo(0, 0)")  # the bar at the top lies over what is scrolled under it
            # What stays at the foot of the window lies over what is scrolled under it.
            page.evaluate(
                "document.querySelectorAll('.as-shown, #strip').forEach((e) => (e.style.position = 'static'))"
            )
            page.evaluate(AXE)
            self.assertEqual(self.violations(page), [], screen)
            page.evaluate("document.documentElement.dataset.bsTheme = 'dark'")
            self.assertEqual(self.violations(page, COLOURS), [], f"{screen}, dark")
            page.evaluate("document.documentElement.dataset.bsTheme = 'light'")
            self.fits(page, screen)
            page.set_viewport_size(NARROW)
            self.assertEqual(self.violations(page, LAYOUT), [], f"{screen}, narrow")
            self.fits(page, f"{screen}, narrow,")
            page.set_viewport_size(WIDE)
        self.wrong = [w for w in self.wrong if "404" not in w]

    def fits(self, page, screen):
        wide = page.evaluate("document.documentElement.scrollWidth - innerWidth")
        self.assertLessEqual(wide, 0, f"{screen} is wider than the window: {page.evaluate(WIDER)}")

    def test_light_dark_and_narrow(self):
        page = self.open_page(None)
        page.goto(self.base + "/sign-in/")
        page.evaluate(AXE)
        self.assertEqual(page.evaluate(f"axe.run(document, {RULES})")["violations"], [])
        self.check(self.page)

    def test_narrow_by_hand(self):
        """What is pressed on the way, in a narrow window."""
        self.page.set_viewport_size(NARROW)
        for screen in self.a_form_at_work(self.page):
            self.fits(self.page, screen)
