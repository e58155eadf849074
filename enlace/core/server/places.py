"""Which files and servers may be reached at all: looked at whenever one is opened, not when it is named.

Set once by the program that uses the core (`allow`). Without that any file and any server may be reached.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ..problem import Problem

# Files that are no files: what the kernel shows of processes and devices.
KERNEL = tuple(map(Path, ("/proc", "/sys", "/dev")))
MEMORY = Path("/dev/shm")


@dataclass(frozen=True)
class Policy:
    """home: nothing in it is reached but what is in its folders `own`, and by people only what is in `open`. folders: only files in them, None: any.
    servers: only these, (host, port) with port 0 for every port, None: any."""

    home: Path | None = None
    own: tuple[Path, ...] = ()
    open: tuple[Path, ...] = ()
    folders: tuple[Path, ...] | None = None
    servers: tuple[tuple[str, int], ...] | None = None


_policy = Policy()


def allow(policy: Policy) -> None:
    """Set what may be reached in this process."""
    global _policy
    _policy = policy


def policy() -> Policy:
    return _policy


def checked_file(path: str, typed: bool = False) -> tuple[str, tuple[int, int]]:
    """The real path of a file and which file it is (device, inode). typed: somebody names it, so that Enlace's own
    folders count as closed too. Raises Problem when it may not be opened."""
    # Looked at by name alone, never opened: a process that closes a file loses all locks that it holds on it, those of
    # SQLite's other connections too (SQLite, "How To Corrupt An SQLite Database File", 2.2), and commits were lost by that.
    try:
        real = Path(os.path.realpath(path))
        status = os.lstat(real)  # not through a link that was laid since; `still` looks again once it is open
        readable = not stat.S_ISREG(status.st_mode) or os.access(real, os.R_OK)
    except PermissionError as error:
        hint = "Ask its owner to let the account that runs Enlace read it."
        raise Problem("The file is there but may not be read.", hint, str(error), "unreadable") from None
    except (OSError, ValueError) as error:
        hint = "Check that the path is right, that the disk is there and that Enlace may read it."
        raise Problem(
            "The database file can't be opened.", f"Nothing typed is lost. {hint}", str(error), "away"
        ) from None
    if not readable:
        hint = "Ask its owner to let the account that runs Enlace read it."
        raise Problem("The file is there but may not be read.", hint, code="unreadable")
    identity = (status.st_dev, status.st_ino)
    if not stat.S_ISREG(status.st_mode):
        raise Problem("This is no ordinary file.", "Choose the file of a database.", code="forbidden")
    _may_open(real, identity, typed)
    return str(real), identity


def _may_open(real: Path, identity: tuple[int, int], typed: bool) -> None:
    own = any(real.is_relative_to(os.path.realpath(path)) for path in _policy.own)
    if own and not typed:
        return
    if any(real.is_relative_to(os.path.realpath(path)) for path in _policy.open):
        return
    if own or (_policy.home is not None and _is_home(real, identity, Path(os.path.realpath(_policy.home)))):
        # Its own database holds people's passwords and sessions, its keys those of connections.
        raise Problem(
            "This is one of Enlace's own files.", "Choose the database of your application.", code="forbidden"
        )
    if any(real.is_relative_to(path) for path in KERNEL) and not real.is_relative_to(MEMORY):
        raise Problem("This is no ordinary file.", "Choose the file of a database.", code="forbidden")
    if _policy.folders is not None and not any(
        real.is_relative_to(os.path.realpath(folder)) for folder in _policy.folders
    ):
        hint = "Whoever runs Enlace can add its folder to ENLACE_FOLDERS."
        raise Problem("Files in this folder may not be opened here.", hint, code="forbidden")


def _is_home(real: Path, identity: tuple[int, int], home: Path) -> bool:
    if real.is_relative_to(home):
        return True
    try:  # the same file under another name
        with os.scandir(home) as several:
            return any(
                (dir_entry.stat().st_dev, dir_entry.stat().st_ino) == identity
                for dir_entry in several
                if dir_entry.is_file()
            )
    except OSError:
        return False


def still(path: str, identity: tuple[int, int]) -> None:
    """Raises Problem when another file stands at a path than the one that was looked at."""
    stat = os.stat(path)
    if (stat.st_dev, stat.st_ino) != identity:
        raise Problem("The database file was exchanged while it was opened.", "Try again.", code="away")


def check_server(host: str, port: int) -> None:
    """Raises Problem when a server may not be reached."""
    if _policy.servers is None:
        return
    wanted = host.strip().lower()
    if not any(wanted == name and number in (0, port) for name, number in _policy.servers):
        hint = "Whoever runs Enlace can add it to ENLACE_SERVERS."
        raise Problem(f"{host}, port {port}, may not be reached from here.", hint, code="forbidden")


def servers_of(text: str) -> Sequence[tuple[str, int]]:
    """`host:port` or `host`, with commas between, as pairs."""
    servers = []
    for piece in filter(None, (part.strip().lower() for part in text.split(","))):
        host, colon, port = piece.rpartition(":")
        servers.append((host, int(port)) if colon and port.isdigit() and not host.endswith(":") else (piece, 0))
    return servers
