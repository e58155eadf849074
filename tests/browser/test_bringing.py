"""Bringing a file into what belongs to a record, and taking it out again."""

import csv
import io
import time

from playwright.sync_api import expect

from tests.browser.served import Served


class Bringing(Served):
    def test_a_spreadsheet_of_cargo_is_checked_mended_and_put_into_the_draft(self):
        page = self.work("Port call")
        file = io.StringIO(newline="")
        rows = csv.writer(file, delimiter=";")
        rows.writerow(["Line no.", "Commodity", "Direction", "Tonnes", "Packages"])
        for i in range(1200):
            rows.writerow([100 + i, "cork", "in", "heavy" if i in (7, 1100) else "0.125", i % 50])
        page.locator("[data-of] a", has_text="Bring in").nth(1).click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Bring rows into Cargo line")
        content = {"name": "cargo.csv", "mimeType": "text/csv", "buffer": file.getvalue().encode("cp1252")}
        page.locator("#file").set_input_files(content)
        page.get_by_role("button", name="Read it").click()
        expect(page.locator("[name=separator]")).to_have_value("semicolon")
        expect(page.get_by_label("Tonnes", exact=True)).to_have_value("tonnes")
        page.get_by_role("button", name="Check the rows").click()
        expect(page.locator("[data-mend]")).to_have_count(2)
        page.locator("[data-mend] [aria-invalid]").first.fill("2.5")
        page.keyboard.press("Enter")
        expect(page.locator("[data-mend]")).to_have_count(1)
        expect(page.locator("[data-mend] [aria-invalid]")).to_be_focused()
        self.reload(page)  # what was found and mended is kept
        page.get_by_role("button", name="Put the 1,199 sound rows into the draft").click()
        expect(page.locator(".told.fine")).to_contain_text("1,199 rows are in your draft")
        page.get_by_role("link", name="Review").click()
        expect(page.get_by_text("1,199 records pending")).to_be_visible()

    def test_by_keyboard_alone_and_in_haste(self):
        """A list of fields is gone through by arrows; what is typed behind a row that was sent is for the next one, and what was
        begun in another stays."""
        page = self.work("Berth")
        rows = [f"Q{i},North,{'long' if i in (1, 3, 5) else '90'},7,yes" for i in range(9)]
        content = "\n".join(["Code,Quay,length_m,Depth (m),Shore power", *rows]).encode()
        page.get_by_role("link", name="Bring in").first.click()
        page.locator("#file").set_input_files({"name": "berths.csv", "mimeType": "text/csv", "buffer": content})
        page.get_by_role("button", name="Read it").click()
        expect(page.locator("#column-0")).to_be_focused()
        page.locator("#column-4").focus()
        goes_to = page.locator("#column-4").input_value()
        said = page.locator("#said")
        page.keyboard.press("ArrowUp")
        expect(said).to_have_text("Two columns go to Depth (m). Leave one of them out.")
        expect(page.locator("#column-4")).to_be_focused()
        self.wrong = [line for line in self.wrong if "400" not in line]
        page.keyboard.press("ArrowDown")
        expect(said).to_have_text("Kept where the columns go.")
        expect(page.locator("#column-4")).to_have_value(goes_to)
        page.get_by_role("button", name="Check the rows").press("Enter")
        wrong = page.locator("[data-mend] [aria-invalid]")
        expect(wrong).to_have_count(3)
        expect(wrong.first).to_be_focused()
        wrong.nth(2).fill("7")
        wrong.first.focus()
        page.route("**/bring-in/mend", lambda route: (time.sleep(0.4), route.continue_()))
        page.keyboard.press("Control+a")
        for key in ("3", "Enter", "4", "Enter"):
            page.keyboard.press(key)
        expect(page.locator("[data-mend]")).to_have_count(1)
        expect(wrong).to_be_focused()
        expect(wrong).to_have_value("7")
        page.keyboard.press("Enter")
        put_in = page.get_by_role("button", name="Put the 9 sound rows into the draft")
        expect(put_in).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_role("link", name="Review")).to_be_focused()

    def test_a_file_that_can_t_be_read_leaves_the_way_to_another_one(self):
        page = self.work("Berth")
        page.get_by_role("link", name="Bring in").first.click()
        for name, content in (
            ("cut.xlsx", b"PK\x03\x04 and no more"),
            ("cut.json", b'[{"code": "N'),
            ("no.xml", b"<a"),
        ):
            page.locator("#file").set_input_files({"name": name, "mimeType": "", "buffer": content})
            page.get_by_role("button", name="Read it", exact=True).click()
            expect(page.locator(".told.wrong")).not_to_be_empty()
            page.get_by_role("button", name="Read it so").click()  # as it was meant to be read, or otherwise
            expect(page.locator(".told.wrong")).not_to_be_empty()
            page.get_by_role("button", name="Another file").click()
        expect(page.locator("#file")).to_be_focused()
        self.wrong = [line for line in self.wrong if "400" not in line]

    def test_rows_go_out_in_each_format(self):
        page = self.work("Berth")
        for name, end in (("XLSX", "xlsx"), ("JSON Lines", "jsonl"), ("Data Package", "zip"), ("ODS", "ods")):
            page.locator("#sentence [data-kept=take]").click()
            with page.expect_download() as download:
                page.locator("[data-kept-box=take]").get_by_role("link", name=name, exact=True).last.click()
            self.assertTrue(download.value.suggested_filename.endswith(f".{end}"))
            page.locator("#sentence [data-kept=take]").click()
