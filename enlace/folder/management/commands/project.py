"""manage.py project: a project goes out into a folder of text files, comes in from one, is compared with one, or checked."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from enlace.composer.wiring_views import checked
from enlace.core.problem import Problem
from enlace.folder import disk
from enlace.folder.as_django import application_of
from enlace.folder.difference import differences
from enlace.folder.models import keep_state
from enlace.folder.reading import brought_in, misfits, values_of
from enlace.folder.writing import files_of, slugs, texts_of
from enlace.workshop.models import Connection, Project


class Command(BaseCommand):
    """export NAME FOLDER · import FOLDER · diff FOLDER [OTHER] · check FOLDER · as-django NAME [FOLDER]."""

    help = "Take a project out into a folder of text files, bring it in again, compare or check such a folder."

    def add_arguments(self, parser: CommandParser) -> None:
        acts = parser.add_subparsers(dest="act", required=True)
        out = acts.add_parser("export", help="write a project's files into a folder")
        out.add_argument("name")
        out.add_argument("folder", type=Path)
        into = acts.add_parser("import", help="bring a folder in: what would change is told first")
        into.add_argument("folder", type=Path)
        into.add_argument("--name", default="", help="of the project, if not the one that the folder says")
        into.add_argument(
            "--onto", default="", help="a connection, as PROJECT/CONNECTION, in the place of all of the folder's"
        )
        into.add_argument(
            "--remove", action="store_true", help="what the folder does not have goes, with the drafts on it"
        )
        into.add_argument("--yes", action="store_true", help="do it; without this only what would change is told")
        two = acts.add_parser("diff", help="what differs between a folder and the project, or another folder")
        two.add_argument("folder", type=Path)
        two.add_argument("other", type=Path, nargs="?")
        check = acts.add_parser(
            "check", help="whether a folder can be brought in, fits its database and is wired soundly"
        )
        check.add_argument("folder", type=Path)
        django = acts.add_parser(
            "as-django", help="write a Django application that runs on the same database without Enlace"
        )
        django.add_argument("name", help="of the project")
        django.add_argument(
            "folder", type=Path, nargs="?", help="called as the application; made after the project's name if left out"
        )

    def handle(self, *args: Any, act: str, **options: Any) -> None:
        try:
            acts = {
                "export": self.take_out,
                "import": self.bring_in,
                "diff": self.compare,
                "check": self.check_folder,
                "as-django": self.as_django,
            }
            acts[act](options)
        except Problem as problem:
            raise CommandError(str(problem)) from None

    def take_out(self, options: dict[str, Any]) -> None:
        texts = texts_of(self._project(options["name"]))
        options["folder"].mkdir(parents=True, exist_ok=True)
        disk.put(texts, options["folder"])
        self.stdout.write(f"{len(texts)} files of {options['name']} are in {options['folder']}.")

    def bring_in(self, options: dict[str, Any]) -> None:
        files = values_of(disk.got(options["folder"]))
        with transaction.atomic():
            outcome = brought_in(files, options["name"], self._onto(options["onto"]), options["remove"])
            if not options["yes"]:
                transaction.set_rollback(True)
            elif outcome.before:
                keep_state(outcome.project, None, "Before a folder was brought in", outcome.before)
        for sentence in [*(outcome.changes or ["Nothing is different."]), *outcome.told]:
            self.stdout.write(sentence)
        if not options["yes"]:
            self.stdout.write("Nothing was done. Say --yes to bring it in.")
            return
        keep_state(outcome.project, None, "A folder was brought in", outcome.after)
        for sentence in misfits(outcome.project):
            self.stdout.write(sentence)

    def compare(self, options: dict[str, Any]) -> None:
        mine = values_of(disk.got(options["folder"]))
        other = options["other"]
        theirs = values_of(disk.got(other)) if other else files_of(self._project(mine["project.yaml"].get("name", "")))
        several = differences(theirs, mine)
        for sentence in several or ["There is no difference."]:
            self.stdout.write(sentence)

    def check_folder(self, options: dict[str, Any]) -> None:
        files = values_of(disk.got(options["folder"]))
        told: list[str] = []
        with transaction.atomic():
            outcome = brought_in(files)
            told += misfits(outcome.project)
            told += [
                f"{f.title}: {fault.sentence}"
                for f, faults in checked(outcome.project)
                for fault, _ in faults
                if fault.severity == "error"
            ]
            transaction.set_rollback(True)
        for sentence in told:
            self.stdout.write(sentence)
        if told:
            raise CommandError(f"{len(told)} thing{'s' * (len(told) != 1)} to mend.", returncode=1)
        self.stdout.write("The folder can be brought in, fits its database, and its forms are wired soundly.")

    def as_django(self, options: dict[str, Any]) -> None:
        project = self._project(options["name"])
        folder = options["folder"] or Path(slugs([(0, project.name)])[0].replace("-", "_"))
        made = application_of(project, folder.name)
        disk.put(made.files, folder)
        self.stdout.write(f"{len(made.files)} files of the application {folder.name} are in {folder}.")
        for sentence in made.told:
            self.stdout.write(f"Left out: {sentence}")

    def _project(self, name: str) -> Project:
        project = Project.objects.filter(name=name).first()
        if project is None:
            known = ", ".join(Project.objects.values_list("name", flat=True)) or "none"
            raise CommandError(f"There is no project called “{name}”. There is {known}.")
        return project

    def _onto(self, text: str) -> Connection | None:
        if not text:
            return None
        project, _, name = text.rpartition("/")
        found = Connection.objects.filter(name=name, **({"project__name": project} if project else {})).first()
        if found is None:
            raise CommandError(f"There is no connection {text}.")
        return found
