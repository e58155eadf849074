"""Bringing a file into what belongs to a record, and taking it out again."""

import csv
import io

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

    def test_rows_go_out_in_each_format(self):
        page = self.work("Berth")
        for name, end in (("XLSX", "xlsx"), ("JSON Lines", "jsonl"), ("Data Package", "zip"), ("ODS", "ods")):
            page.locator("#sentence [data-kept=take]").click()
            with page.expect_download() as download:
                page.locator("[data-kept-box=take]").get_by_role("link", name=name, exact=True).last.click()
            self.assertTrue(download.value.suggested_filename.endswith(f".{end}"))
            page.locator("#sentence [data-kept=take]").click()
