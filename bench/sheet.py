"""A form of twelve controls on three sources, against a hand-written page with the same queries and cells."""

from __future__ import annotations

import sqlite3

from .results import Results, medians
from .served import Server

OFFICES, PROJECTS, TASKS = 500, 30, 12  # of all, of each office, of each project
COLUMNS = "id, name, code, city, opened, rate"


def make(path: str) -> None:
    """Offices with projects with tasks, in an SQLite file."""
    with sqlite3.connect(path) as db:
        for table, above in (("office", ""), ("project", "office"), ("task", "project")):
            link = f", {above}_id INTEGER NOT NULL REFERENCES {above} (id)" if above else ""
            db.execute(
                f"CREATE TABLE {table} (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL, code VARCHAR(12), city VARCHAR(40),"
                f" opened DATE, rate DECIMAL(8, 2){link})"
            )
            if above:
                db.execute(f"CREATE INDEX {table}_{above} ON {table} ({above}_id)")
        row = lambda n: (f"Name {n}", f"C{n}", f"City {n % 50}", f"20{n % 30:02}-0{n % 9 + 1}-11", n % 97 + 0.5)  # noqa: E731
        names = COLUMNS.removeprefix("id, ")
        db.executemany(f"INSERT INTO office ({names}) VALUES (?, ?, ?, ?, ?)", (row(n) for n in range(OFFICES)))
        for table, above, count in (
            ("project", "office", OFFICES * PROJECTS),
            ("task", "project", OFFICES * PROJECTS * TASKS),
        ):
            each = PROJECTS if above == "office" else TASKS
            db.executemany(
                f"INSERT INTO {table} ({names}, {above}_id) VALUES (?, ?, ?, ?, ?, ?)",
                ((*row(n), n // each + 1) for n in range(count)),
            )
        db.execute("ANALYZE")


def compose(path: str) -> int:
    """The form, in Enlace's own database; its number. Called in a process that Django is set up in."""
    from enlace.core.dataset.inference.make import make_dataset
    from enlace.core.form import edit
    from enlace.workshop import layout
    from enlace.workshop.details import Above, add_detail, possible_details
    from enlace.workshop.models import Connection, Dataset, Form, Project

    connection = Connection.objects.create(project=Project.objects.get(), name="Sheet", parameters={"path": path})
    form = Form.make(Dataset.make(connection, make_dataset(connection.to_spec(), "office"), "office"), "Office")
    project = add_detail(Above(form), possible_details(Above(form))[0])
    add_detail(Above(form, project), possible_details(Above(form, project))[0])
    document = layout.document(form)
    for kind, field in (("value", "name"), ("value", "rate"), ("heading", "")):
        document, _ = edit.add(document, kind, "office", field)
    form.document = document.to_json()
    form.save()
    return form.pk


def main(results: Results, server: Server) -> None:
    """The page, and moving to the next master."""
    page = server.get("/desk/2/?record=i7")
    controls, cells = page.count(b'class="control '), page.count(b'role="gridcell"')
    assert controls >= 12 and cells > 600, (controls, cells)
    theirs = server.get("/handwritten-sheet?office=7")
    assert theirs.count(b"<td>") > 600, theirs.count(b"<td>")
    turn = iter(range(10_000))
    next_office = lambda: next(turn) % 400 + 5  # noqa: E731
    results.ratio(
        f"a page of {controls} controls on three sources against a hand-written one",
        *medians(lambda: server.get(f"/desk/2/?record=i{next_office()}"), lambda: server.get(f"/handwritten-sheet?office={next_office()}"), 60),
        "ms", 1.5,
    )  # fmt: skip
    results.ratio(
        "moving to the next master, with what belongs to it, against a hand-written answer",
        *medians(
            lambda: server.get(f"/desk/2/record?record=i{next_office()}&on=sheet"),
            lambda: server.get(f"/handwritten-sheet?part=1&office={next_office()}"),
            60,
        ),
        "ms", 1.5,
    )  # fmt: skip
