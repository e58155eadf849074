"""The demo's simulated colleague from the command line: changes, removes or enters records behind one's back."""

from __future__ import annotations

import time
from typing import Any

from django.core.management import CommandError
from django.core.management.base import BaseCommand

from enlace.core.problem import Problem


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("act", choices=("edit", "remove", "enter"))
        parser.add_argument("table", help="such as vessel")
        parser.add_argument("--key", default="", help="the record, such as 4 (any one without)")
        parser.add_argument("--project", default="Porto Salgueiro")
        parser.add_argument("--times", type=int, default=1)
        parser.add_argument("--pause", type=float, default=1.0, help="seconds between two acts")

    def handle(self, act: Any, table: Any, key: Any, project: Any, times: Any, pause: Any, **options: Any) -> None:
        from demo.harbour.colleague import Colleague
        from enlace.core.model.values import record_id
        from enlace.workshop.models import Connection

        connection = Connection.objects.filter(project__name=project).first()
        if connection is None:
            raise CommandError(f"There is no project “{project}” with a connection. Run make demo first.")
        identifier = record_id((int(key) if key.isdecimal() else key,)) if key else ""
        for turn in range(max(1, times)):
            time.sleep(pause if turn else 0)
            try:
                self.stdout.write(Colleague(connection.to_spec(), table).act(act, identifier))
            except Problem as problem:
                raise CommandError(str(problem)) from None
