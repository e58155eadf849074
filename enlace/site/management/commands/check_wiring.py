"""manage.py check_wiring: what is wired wrongly on all forms; the exit status is 1 when a form can't work."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from enlace.composer.wiring_views import checked
from enlace.workshop.models import Project


class Command(BaseCommand):
    """Prints each fault with its form; warnings alone do not fail."""

    help = "Check the wiring of all forms, or of those of one project."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--project", default="", help="the name of a project")

    def handle(self, *args: Any, project: str, **options: Any) -> None:
        several = Project.objects.filter(name=project) if project else Project.objects.all()
        if project and not several:
            raise CommandError(f"There is no project called “{project}”.")
        errors = 0
        for item in several:
            for form, faults in checked(item):
                for fault, place in faults:
                    errors += fault.severity == "error"
                    where = " / ".join(part for part in (item.name, form.title, place) if part)
                    self.stdout.write(f"{where}: {fault.severity}: {fault.sentence}")
        if errors:
            raise CommandError(f"{errors} thing{'s' * (errors != 1)} to mend.", returncode=1)
        self.stdout.write("All forms are wired soundly.")
