"""The database server of the demo, where it does not run on a file: kept in Enlace's own folder, started with it."""

from __future__ import annotations

import hashlib
import json
import os
import secrets
import tempfile
from pathlib import Path

from scripts.serving import free_port
from scripts.throwaway import KINDS, Throwaway

from .carry import carry


def place(home: Path, kind: str) -> Path:
    """Where its data are: in Enlace's folder, or in the machine's one for temporary files where the server's own account,
    which is not root's, can't get into that."""
    if os.geteuid() != 0 or all(parent.stat().st_mode & 0o005 == 0o005 for parent in (home, *home.parents)):
        return home / f"demo-{kind}"
    mark = hashlib.sha256(str(home).encode()).hexdigest()[:12]
    return Path(tempfile.gettempdir()) / f"enlace-demo-{kind}-{mark}"


def known(home: Path, kind: str) -> Throwaway:
    """The demo's server of a kind, whether it runs or not. Its port and password are kept beside its data."""
    folder = place(home, kind)
    notes = folder / "place.json"
    if not notes.exists():
        folder.mkdir(parents=True, exist_ok=True)
        notes.touch(0o600)
        notes.write_text(json.dumps({"port": free_port(), "password": secrets.token_urlsafe(12)}))
    noted = json.loads(notes.read_text())
    return KINDS[kind](folder / "server", noted["port"], noted["password"], safe=True)


def started(home: Path, kind: str, rows: Path) -> Throwaway:
    """The demo's server, running and filled with the rows of the SQLite file. Raises RuntimeError."""
    server = known(home, kind)
    if not server.answers():
        server.start()
    filled = place(home, kind) / "filled"
    if not filled.exists():
        connection = server.connect()
        carry(rows, kind, connection)
        connection.close()
        filled.touch()
    return server
