"""The database server of the demo, where it does not run on a file: kept in Enlace's own folder, started with it."""

from __future__ import annotations

import hashlib
import json
import os
import secrets
import tempfile
from pathlib import Path

from scripts.serving import free_port
from scripts.throwaway import CLERK, KINDS, Throwaway

from .carry import carry


def place(home: Path, kind: str) -> Path:
    """Where its data are: in Enlace's folder, or in the machine's one for temporary files where the server's own account,
    which is not root's, can't get into that."""
    if os.geteuid() != 0 or all(parent.stat().st_mode & 0o005 == 0o005 for parent in (home, *home.parents)):
        return home / f"harbour-{kind}"
    mark = hashlib.sha256(str(home).encode()).hexdigest()[:12]
    return Path(tempfile.gettempdir()) / f"enlace-harbour-{kind}-{mark}"


def known(home: Path, kind: str) -> Throwaway:
    """The demo's server of a kind, whether it runs or not. Its port and password are kept beside its data."""
    folder = place(home, kind)
    notes = folder / "place.json"
    if not notes.exists():
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o711)  # the server's account passes through
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
        clerk = clerk_password(home, kind)
        server.make_clerk(clerk)
        server.user, server.password = CLERK, clerk
        connection = server.connect()
        carry(rows, kind, connection)
        connection.close()
        filled.touch()
    server.user, server.password = CLERK, clerk_password(home, kind)  # forms sign in as the office does
    return server


def clerk_password(home: Path, kind: str) -> str:
    """The password of the demo's ordinary role."""
    notes = place(home, kind) / "place.json"
    noted = json.loads(notes.read_text())
    if "clerk" not in noted:
        noted["clerk"] = secrets.token_hex(12)
        notes.write_text(json.dumps(noted))
    return str(noted["clerk"])
