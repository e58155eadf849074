"""Enlace's own database for the bench: a person and a form on the table."""

import os

import django


def main() -> None:
    django.setup()
    from django.core.management import call_command

    from enlace.accounts.models import Person
    from enlace.core.dataset.inference.make import make_dataset
    from enlace.workshop.models import Connection, Dataset, Form, Project

    call_command("migrate", verbosity=0, interactive=False)
    call_command("collectstatic", verbosity=0, interactive=False)
    Person.objects.create_user("bench", password="bench-7-bench", role="builder")
    project = Project.objects.create(name="Bench")
    connection = Connection.objects.create(
        project=project, name="Bench", parameters={"path": os.environ["BENCH_DATABASE"]}
    )
    Form.make(Dataset.make(connection, make_dataset(connection.to_spec(), "reading"), "reading"), "Reading")
    if sheet_database := os.environ.get("BENCH_SHEET"):
        from .sheet import compose

        compose(sheet_database)


if __name__ == "__main__":
    main()
