"""Set everything up with the demo's data and start the server."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import CommandError, call_command
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = __doc__
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--rows", type=int, default=None, help="how many tide readings")
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--server", choices=("sqlite", "postgresql", "mariadb"), default="sqlite")
        parser.add_argument("--no-serve", action="store_true", help="set up only")

    def handle(self, rows: Any, port: Any, server: Any, no_serve: Any, **options: Any) -> None:
        if not no_serve:
            self._need_port(port)
        folder = settings.HOME / "demo"
        folder.mkdir(mode=0o700, exist_ok=True)
        path = folder / "harbour.sqlite3"
        self._set_up(path, rows)
        host = self._server(server, path) if server != "sqlite" else None
        from demo.harbour.loading import PASSWORD, PEOPLE, load
        from enlace.accounts.models import Person

        load(path, host)
        if no_serve:
            return
        self.stdout.write(f"\nEnlace runs at http://127.0.0.1:{port}/   (stop it with Ctrl+C)\n")
        for username, name, role in PEOPLE:
            self.stdout.write(
                f"  {Person.Role(role).label:9} sign in as {username!r:11} with password {PASSWORD!r}   ({name})"
            )
        place = path if host is None else f"{server}, on port {host.port} of this machine"
        self.stdout.write(f"The harbour's database is {place}\n")
        self.stdout.flush()
        command = [sys.executable, "-m", "enlace.site.serve", "--bind", f"127.0.0.1:{port}"]
        environment = {**os.environ, "ENLACE_DEMO": "1"}
        if host is None:
            os.execve(sys.executable, command, environment)
        self._serve_with(host, command, environment)

    def _server(self, kind: str, path: Path) -> Any:
        from demo.harbour import host

        self.stdout.write(f"Starting {kind} with the harbour's data ...")
        try:
            return host.started(settings.HOME, kind, path)
        except (RuntimeError, OSError) as error:
            raise CommandError(f"The database server did not start: {error}") from None

    def _serve_with(self, host: Any, command: Any, environment: Any) -> None:
        """The database server ends with Enlace."""
        serving = subprocess.Popen(command, env=environment)
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: serving.terminate())
        try:
            serving.wait()
        finally:
            host.halt()

    def _need_port(self, port: int) -> None:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                hint = f"Stop the program that uses it, or choose another port: make demo PORT={port + 1}"
                raise CommandError(f"Port {port} is in use. {hint}") from None

    def _set_up(self, path: Path, rows: int | None) -> None:
        from demo.harbour import generate

        call_command("migrate", verbosity=0, interactive=False)
        call_command("collectstatic", verbosity=0, interactive=False)
        # A database that somebody worked in is made anew only when another size is asked for.
        if not path.exists() or (rows is not None and generate.made_with(path) != rows):
            rows = rows or generate.TIDE_READINGS
            self.stdout.write(f"Making the harbour's database with {rows} tide readings ...")
            generate.make_database(path, rows)
