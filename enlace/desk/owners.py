"""Who is at a save: a file that its owner holds locked for as long as it is at it.

The kernel lets go of the lock when the owner is done, or dies by whatever means: so a save that is under way is never
taken for one that crashed, however long it takes, and one that crashed is never waited for. Nothing is kept in a
process's memory: it works across threads, processes and restarts alike. (flock(2): a lock belongs to the open file,
so two threads of one process exclude each other too.)
"""

from __future__ import annotations

import fcntl
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings


def _folder() -> Path:
    folder = Path(settings.HOME) / "owners"
    folder.mkdir(mode=0o700, exist_ok=True)
    return folder


@contextmanager
def owner() -> Iterator[str]:
    """Be the owner of something for the length of the block; yields the name to write beside it."""
    name = secrets.token_hex(16)
    path = _folder() / name
    handle = os.open(path, os.O_CREAT | os.O_EXCL | os.O_RDWR | os.O_CLOEXEC, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield name
    finally:
        path.unlink(missing_ok=True)  # before the lock goes: nobody meets the file without its owner
        os.close(handle)


def is_there(name: str) -> bool:
    """Whether an owner is still at it."""
    try:
        handle = os.open(_folder() / name, os.O_RDWR | os.O_CLOEXEC)
    except (FileNotFoundError, IsADirectoryError):
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    else:
        (_folder() / name).unlink(missing_ok=True)  # it died
        return False
    finally:
        os.close(handle)
