"""Markup in every text that a definition or a value can hold, looked for in a real browser: it is shown, and does nothing."""

import sqlite3

from tests.browser.served import Served

EVIL = "<img src=x onerror=\"document.title='broken in'\">"


class Markup(Served):
    def test_shown_as_it_is_written(self):
        with sqlite3.connect(self.harbour) as db:
            db.execute("UPDATE vessel SET name = ? WHERE id = 1", [EVIL[:40]])
            db.execute("UPDATE agent SET name = ? WHERE id = (SELECT agent_id FROM vessel WHERE id = 2)", [EVIL])
        db.close()
        with sqlite3.connect(self.home / "enlace.sqlite3", timeout=10) as db:
            db.execute("UPDATE workshop_field SET help = ?", [EVIL])
            db.execute("UPDATE workshop_field SET label = label || ?", [EVIL])
            quoted = "'" + EVIL.replace("'", "''") + "'0"  # CLDR: a text of its own stands in quotes
            numbers = "UPDATE workshop_field SET format = ? WHERE kind IN ('whole', 'decimal') AND lookup IS NULL"
            db.execute(numbers, [quoted])
            db.execute("UPDATE workshop_rule SET message = ?", [EVIL])
            db.execute("UPDATE workshop_form SET title = title || ?", [EVIL])
            db.execute("UPDATE workshop_dataset SET revision = revision + 1, name = name || ?", [EVIL])
        db.close()
        page = self.page
        [(vessels,)] = self.own(
            "SELECT f.id FROM workshop_form f JOIN workshop_dataset d ON d.id = f.dataset_id WHERE d.\"table\" = 'vessel'"
        )
        for at in (
            "/desk/",
            f"/desk/{vessels}/",
            f"/desk/{vessels}/review",
            "/desk/journal/",
            "/workshop/project/1/forms/",
            "/workshop/dataset/1/",
        ):
            page.goto(self.base + at)
            page.wait_for_timeout(300)
            self.assertEqual(page.locator("img[src=x]").count(), 0, at)
            self.assertNotEqual(page.title(), "broken in", at)
        page.goto(f"{self.base}/desk/{vessels}/")
        self.assertIn("<img src=x", page.locator("#rows").inner_text())
        field = page.locator("#panel input[data-field]:not([readonly])").nth(1)
        field.fill(EVIL[:40])
        page.keyboard.press("Tab")
        page.wait_for_timeout(800)
        self.assertEqual(page.locator("img[src=x]").count(), 0)

    def own(self, sql: str):
        with sqlite3.connect(self.home / "enlace.sqlite3") as db:
            rows = db.execute(sql).fetchall()
        db.close()
        return rows
