"""Set everything up with the demo's data and start the server."""

from __future__ import annotations

import os
import socket
import sys
from pathlib import Path

from django.conf import settings
from django.core.management import CommandError, call_command
from django.core.management.base import BaseCommand

CONFIG = Path(__file__).resolve().parents[2] / "gunicorn_conf.py"


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: list[str] = []

    def add_arguments(self, parser):
        parser.add_argument("--rows", type=int, default=None, help="how many tide readings")
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--no-serve", action="store_true", help="set up only")

    def handle(self, rows, port, no_serve, **options):
        if not no_serve:
            self._need_port(port)
        path = settings.HOME / "harbour.sqlite3"
        self._set_up(path, rows)
        if no_serve:
            return
        from demo.harbour.project import PASSWORD, PEOPLE

        self.stdout.write(f"\nEnlace runs at http://127.0.0.1:{port}/   (stop it with Ctrl+C)\n")
        for username, name, role in PEOPLE:
            self.stdout.write(f"  {role.label:9} sign in as {username!r:11} with password {PASSWORD!r}   ({name})")
        self.stdout.write(f"The harbour's database is {path}\n")
        self.stdout.flush()
        command = [sys.executable, "-m", "gunicorn", "-c", str(CONFIG), "-b", f"127.0.0.1:{port}", "enlace.site.wsgi"]
        os.execv(sys.executable, command)

    def _need_port(self, port: int) -> None:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                hint = f"Stop the program that uses it, or choose another port: make demo PORT={port + 1}"
                raise CommandError(f"Port {port} is in use. {hint}") from None

    def _set_up(self, path: Path, rows: int | None) -> None:
        from demo.harbour import generate, project

        call_command("migrate", verbosity=0, interactive=False)
        call_command("collectstatic", verbosity=0, interactive=False)
        # A database that somebody worked in is made anew only when another size is asked for.
        if not path.exists() or (rows is not None and generate.made_with(path) != rows):
            rows = rows or generate.TIDE_READINGS
            self.stdout.write(f"Making the harbour's database with {rows} tide readings ...")
            generate.make_database(path, rows)
        project.load(path)
