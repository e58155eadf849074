"""The tutorial, walked word by word: what it names is there, and does what it says."""

import re
from pathlib import Path

from playwright.sync_api import expect

from tests.browser.served import Served

TEXT = (Path(__file__).resolve().parents[2] / "docs/tutorial.md").read_text()


class Tutorial(Served):
    def says_it(self, *words: str) -> None:
        """The words stand in the tutorial: this walk and the text are of one mind."""
        text = " ".join(TEXT.split())
        for said in words:
            self.assertIn(said, text)

    def button(self, name: str, page=None):
        return (page or self.page).get_by_role("button", name=name, exact=True)

    def yes(self, name: str) -> None:
        self.page.locator("#question").get_by_role("button", name=name, exact=True).click()

    def test_2_to_8_from_a_project_to_a_save(self):
        page = self.page
        page.goto(self.base + "/workshop/")
        self.says_it("Under **New project** type `My office` and press **Make the project**")
        page.get_by_label("Name").fill("My office")
        self.button("Make the project").click()
        page.get_by_role("link", name="New connection").click()
        page.get_by_label("Name").fill("Harbour")
        page.get_by_label("File").fill(str(self.harbour))
        self.button("Apply and test").click()
        expect(page.locator("#test .fine")).to_have_count(5)
        self.says_it("Open **pilot**", "Press **Make a form**", "“1 of 9”")
        page.get_by_role("link", name="pilot", exact=True).click()
        self.button("Make a form").click()
        expect(page.locator("#go-total")).to_have_text("9")
        self.cell(2, 2).click()
        page.keyboard.press("F2")
        page.keyboard.type(" the Elder")
        page.keyboard.press("Enter")
        expect(self.cell(3, 2)).to_be_focused()
        expect(page.locator("#strip")).to_contain_text("1 record pending")
        self.says_it("In **Licensed until**, type `2027-02-31`", "Type `28/2/2027`")
        self.type_into("Licensed until", "2027-02-31")
        expect(page.locator("#panel")).to_contain_text("February 2027 has no day 31")
        self.type_into("Licensed until", "28/2/2027")
        expect(page.locator("#panel")).not_to_contain_text("has no day 31")
        page.locator("#act-new").click()
        expect(page.locator("#panel .record-state")).to_contain_text("New record")
        for label, text in (("Name", "Nova Pilota"), ("Licence no.", "PS-2000"), ("Licensed until", "2028-01-01")):
            self.type_into(label, text)
        page.locator("#go-number").fill("6")
        page.locator("#go-number").press("Enter")
        expect(page.locator("#panel")).to_have_attribute("data-position", "5")
        self.says_it("press **Remove**, then **Remove** in the question")
        page.locator("#act-remove").click()
        self.yes("Remove")
        expect(page.locator("#strip")).to_contain_text("1 to be removed")
        self.says_it("Press **Undo** a few times, then **Redo**")
        page.locator("#act-undo").click()
        expect(page.locator("#strip")).not_to_contain_text("to be removed")
        page.locator("#act-redo").click()
        expect(page.locator("#strip")).to_contain_text("1 to be removed")
        self.reload(page)
        page.get_by_role("link", name="Review").click()
        expect(page.locator("main")).to_contain_text("Nova Pilota")
        page.go_back()
        page.locator("#act-save").click()
        self.says("Nothing was saved")
        self.says_it("press **Discard** on that record and save again")
        page.locator("#panel").get_by_role("button", name="Discard").click()
        page.locator("#act-save").click()
        self.says("Saved 3 records")

    def test_11_to_13_shape_choose_and_forbid(self):
        page = self.page
        page.goto(self.base + "/workshop/project/1/datasets")
        page.get_by_role("link", name="Port call", exact=True).click()
        self.says_it("Press **More** beside `draught_m`", "`#,##0.00 'metres'`")
        self.button("More about draught_m").click()
        page.get_by_label("Display format").fill("#,##0.00 'metres'")
        page.keyboard.press("Tab")
        expect(page.locator(".as-shown")).to_contain_text("metres")
        page.get_by_role("button", name=re.compile("^Undo")).first.click()
        expect(page.locator(".as-shown")).not_to_contain_text("metres")
        self.says_it("Open **Add a calculated field**, name it `Metres to spare`, type `berth.depth_m - draught_m`")
        page.get_by_text("Add a calculated field").first.click()
        added = page.locator("details", has=page.get_by_text("Add a calculated field"))
        added.locator("#new-label").fill("Metres to spare")
        added.locator("[name=formula]").fill("berth.depth_m - draught_m")
        added.get_by_role("button", name="Add", exact=False).last.click()
        expect(page.get_by_label(re.compile("^Label of metres_to_spare"))).to_have_value("Metres to spare")
        self.says_it(
            "click into **Vessel** and type a few letters",
            "the acts of the heading **Agent**",
            "press **How many rows of each value**",
            "type `molhe` under **Agent**",
        )
        self.work("Port call")
        page.locator("#grid [data-name=agent_id] .column-acts").click()
        page.get_by_role("menuitem", name="How many rows of each value").click()
        page.locator("#groups a").first.click()
        expect(page.locator("#act-filter")).to_have_text("Filtered")
        page.get_by_role("link", name="Show all rows").click()
        expect(page.locator("#go-total")).to_have_text("1,200")
        page.locator("#act-filter").click()
        page.get_by_label("Filter by Agent").fill("molhe")
        page.keyboard.press("Enter")
        expect(page.locator("#rows .record").first).to_contain_text("Molhe")

    def test_15_to_18_lay_out_and_wire(self):
        page = self.page
        page.goto(self.base + "/workshop/project/1/forms")
        page.get_by_role("link", name="Vessel", exact=True).click()
        self.says_it("press **Lay it out**", "press **+** beside it", "choose **Group box**", "under **Differently**")
        page.get_by_role("link", name="Lay it out").click()
        self.button("+ an editor for Flag").first.click()
        expect(page.locator("[data-control=flag]")).to_have_class(re.compile("chosen"))
        page.locator(".adds summary").click()
        page.locator("[data-add=group]").click()
        expect(page.locator("[data-control=group]")).to_have_class(re.compile("chosen"))
        page.locator("[data-choose=vessel_grid]").first.click()
        line = page.locator("[data-column=name]")
        line.get_by_text("Differently").click()
        line.get_by_label("Heading").fill("Ship")
        page.keyboard.press("Tab")
        expect(page.locator("[data-control=vessel_grid] [data-name=name]")).to_contain_text("Ship")
        self.says_it(
            "Press **Opens at the first record**, add the step **Ordered by a field, greatest first** with the field `built`"
        )
        page.get_by_text("Opens at the first record").click()
        page.locator("#opening-step").select_option(label="Ordered by a field, greatest first")
        page.locator("#opening-field").fill("built")
        self.button("Add the step").click()
        expect(page.locator(".opens summary")).to_contain_text("ordered by built, greatest first")
        self.says_it("press **Try it**", "**Back to the sheet** brings you where you were")
        page.get_by_role("link", name="Try it", exact=True).click()
        expect(page.locator("#sentence")).to_contain_text("Built, latest first")
        self.type_into("Flag", "PT")
        expect(page.locator("#act-rehearse")).to_have_class(re.compile("btn-primary"))
        page.keyboard.press("Control+s")
        expect(page.get_by_role("heading", name="rehearsal")).to_be_visible()
        page.go_back()
        page.locator("#act-discard").click()
        self.yes("Discard")
        page.get_by_role("link", name="Back to the sheet").click()
        self.says_it("Remove the panel of editors and untie **Name** from the grid", "**Add an editor** repairs it")
        page.locator("[data-choose=vessel_panel]").first.click()
        expect(page.locator("[data-control=vessel_panel]")).to_have_class(re.compile("chosen"))
        page.locator(".card-of").get_by_role("button", name="Remove", exact=True).click()
        expect(page.locator("[data-control=vessel_panel]")).to_have_count(0)
        page.locator("[data-cross=vessel_grid][data-field=name]").click()
        expect(page.locator("#wiring")).to_contain_text("Name needs a value")
        page.locator("#wiring li", has_text="Name needs a value").get_by_role("button", name="Add an editor").click()
        expect(page.locator("#wiring")).not_to_contain_text("Name needs a value")
        self.says_it(
            "Open the form **Pilots**", "**Quay today** has a list in groups", "**Open the vessel** opens another form"
        )
        self.work("Port call")
        page.get_by_role("link", name="Open the vessel").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Vessel")
        page.get_by_role("link", name="Back to Port call").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Port call")

    def test_18_a_whole_form_from_nothing(self):
        page, card = self.page, self.page.locator(".card-of")
        controls = page.locator("[data-stage] [data-control]")

        def add(name: str, of: str = "") -> None:
            page.locator(".adds summary").click()
            page.wait_for_load_state()  # all of the sheet is there to be counted
            count = controls.count()
            if of:
                page.locator("#add-source").select_option(label=of)
            page.locator(".adds").get_by_text(name, exact=True).click()
            expect(controls).to_have_count(count + 1)
            expect(card.locator("h2")).to_contain_text(name)

        def settle(label: str, choice: str) -> None:
            box = card.get_by_label(label, exact=True)
            box.select_option(label=choice)
            expect(card.get_by_label(label, exact=True).locator("option:checked")).to_have_text(choice)

        page.goto(self.base + "/workshop/project/1/forms/")
        self.says_it("make a **New form of** `Port call`, called `My calls`, with **nothing on its sheet yet**")
        page.get_by_label("New form of").select_option(label="Port call")
        page.get_by_label("called").fill("My calls")
        page.get_by_label("with", exact=True).select_option(label="nothing on its sheet yet")
        self.button("Make the form").click()
        page.locator("[data-drag-records=port_call]").drag_to(
            page.locator("[data-stage]"), target_position={"x": 30, "y": 10}
        )
        expect(controls).to_have_count(2)
        add("Panel of editors")
        self.says_it("On its card, **Along a side …** has **right**", "**Add** three times")
        card.get_by_label("Along a side").select_option(label="right")
        expect(page.locator("[data-stage] [data-kind=panel]")).to_have_class(re.compile(r"\bx9\b"))
        for table in ("cargo_line", "container_move", "dues_invoice"):
            page.locator("[data-detail=port_call]").click()
            expect(page.locator(f"[data-board={table}]")).to_be_visible()
        expect(page.locator("[data-stage]").get_by_role("tab")).to_have_text(
            ["Cargo line", "Container move", "Dues invoice"]
        )
        self.says_it("press **Differently** beside **Tonnes**, and have **Total below** be **sum**")
        page.locator("[data-board=cargo_line] [data-choose$=grid]").first.click()
        card.locator("[data-column=tonnes]").get_by_text("Differently").click()
        card.locator("[data-column=tonnes]").get_by_label("Total below").select_option(label="sum")
        expect(page.locator("[data-stage] [data-control=cargo_line_grid] [data-foot]")).to_contain_text("Sum")
        add("Chart", "Cargo line")
        settle("Groups by the field", "Commodity")
        settle("Shows", "Sum")
        settle("Of the field", "Tonnes")
        add("Button", "My calls")
        settle("Act", "Open another form")
        expect(page.locator("#wiring")).to_contain_text("Choose which form it opens.")
        settle("Which one", "Vessel")
        settle("Opens it", "At the record that a field of this one names")
        settle("By the field", "Vessel")
        card.get_by_label("Label", exact=True).fill("Open the vessel")
        page.keyboard.press("Tab")
        expect(page.locator(".composer-bar .state")).to_have_text("Wired soundly")
        page.locator(".composer-bar .crumbs a").click()
        page.get_by_role("link", name="New action").click()
        page.get_by_label("Title, as on the button").fill("Cast off")
        for box, text in (
            ("Only if", "status = 'berthed'"),
            ("Statements", "UPDATE port_call SET status = 'departed' WHERE id = :id"),
        ):
            page.get_by_role("textbox", name=box).last.click()
            page.keyboard.insert_text(text)
        self.button("Apply").click()
        page.get_by_role("link", name="Lay it out").click()
        add("Button", "My calls")
        settle("Act", "Run a server action")
        settle("Which one", "Cast off")
        expect(page.locator(".composer-bar .state")).to_have_text("Wired soundly")
        page.get_by_role("link", name="Try it", exact=True).click()
        expect(page.locator(".chart")).to_be_visible()
        expect(page.get_by_role("link", name="Open the vessel")).to_have_count(1)

    def test_19_and_20_find_and_look_around(self):
        page = self.work("Port call")
        self.says_it(
            "Press **Conditions**, choose **ETA**, **is after**, type `2026-05-01 00:00`",
            "Press **A group**",
            "Press **Show these rows**",
        )
        self.button("Conditions").first.click()
        first = page.locator(".asks-one").first
        first.get_by_label("Field").select_option(label="ETA")
        first.get_by_label("Test").select_option(label="is after")
        first.get_by_label("Value").fill("2026-05-01 00:00")
        self.button("A group").first.click()
        group = page.locator(".asks-group")
        group.get_by_label("Field").select_option(label="Vessel")
        group.get_by_label("Value").fill("doce")
        group.get_by_role("button", name="One more").click()
        group.get_by_label("Field").nth(1).select_option(label="Status")
        group.get_by_label("Test").nth(1).select_option(label="is")
        group.get_by_label("Value").nth(1).fill("berthed")
        self.button("Show these rows").click()
        expect(page.locator("#sentence")).to_contain_text("ETA after 2026-05-01 00:00")
        expect(page.locator("#sentence")).to_contain_text("Vessel has “doce” or Status is berthed")
        self.says_it("`draught_m > 8 AND etd IS NULL`", "Type `quay` into **Find**")
        page.locator("#find").fill("quay")
        expect(page.locator("#sentence [data-found]")).to_contain_text("1 of ")
        self.says_it("On the page of a connection press **Schema map**")
        page.goto(self.base + "/workshop/connection/1/")
        page.get_by_role("link", name="Schema map").click()
        expect(page.locator("[data-table=port_call]")).to_be_visible()
