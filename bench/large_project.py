"""A project of a hundred forms and a hundred datasets as a folder: out, in as a new one, and onto itself. Prints JSON."""

from __future__ import annotations

import io
import json
import os
import sqlite3
import tempfile
from pathlib import Path
from statistics import median

import django

FORMS = 100
TABLE = (
    "CREATE TABLE t{n} (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL, code VARCHAR(9), a INTEGER, b DECIMAL(8, 2), d DATE, "
    "other_id INTEGER REFERENCES t{other} (id), note TEXT)"
)


def main() -> None:
    """Make it, and take each time: the median of three."""
    with tempfile.TemporaryDirectory(prefix="enlace-bench-project-") as place:
        os.environ |= {"ENLACE_HOME": f"{place}/home", "DJANGO_SETTINGS_MODULE": "bench.settings"}
        Path(place, "home").mkdir()
        django.setup()
        from django.core.management import call_command

        from .results import milliseconds

        call_command("migrate", verbosity=0, interactive=False)
        _made(Path(place) / "tables.sqlite3")
        folder = str(Path(place) / "out")

        def taken(*command: str) -> float:
            times = []
            for turn in range(3):
                asked = [word.format(turn=turn) for word in command]
                times.append(milliseconds(lambda asked=asked: call_command("project", *asked, stdout=io.StringIO())))  # type: ignore[misc]
            return median(times)

        told = {"taken out": taken("export", "Large", folder)}
        told["brought in as a new one"] = taken("import", folder, "--name", "Another {turn}", "--yes")
        told["brought in onto itself"] = taken("import", folder, "--yes")
        print(json.dumps(told))


def _made(database: Path) -> None:
    from enlace.core.dataset.inference.make import make_dataset
    from enlace.workshop.models import Connection, Dataset, Form, Project

    with sqlite3.connect(database) as db:
        for n in range(FORMS):
            db.execute(TABLE.format(n=n, other=max(n - 1, 0)))
    project = Project.objects.create(name="Large")
    connection = Connection.objects.create(project=project, name="Tables", parameters={"path": str(database)})
    for n in range(FORMS):
        dataset = Dataset.make(connection, make_dataset(connection.to_spec(), f"t{n}"), f"t{n}")
        Form.make(dataset, f"Form {n}")


if __name__ == "__main__":
    main()
