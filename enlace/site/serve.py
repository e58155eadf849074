"""The server: several processes that share one socket, so that no one request is everybody's. `python -m enlace.site.serve`

Each process is a waitress: it reads requests whole before a thread sees them, so slow clients hold nothing but a socket,
and refuses what is too large by what its head says. Nothing that matters is in a process's memory: each keeps counts and
anchors of tables for itself, as hints. One that dies is started anew.

ENLACE_WORKERS   how many processes (default: one for each core, at least two and at most four)
ENLACE_PROXY     the address of the proxy in front, whose word is taken for who asks and how (default: none; "127.0.0.1"
                 where ENLACE_HTTPS is 1)
"""

from __future__ import annotations

import argparse
import ctypes
import gc
import logging
import os
import signal
import socket
import sys
import time
from contextlib import suppress
from types import FrameType
from typing import Any

THREADS = 8
M_ARENA_MAX = -8  # mallopt(3)
MOST_CONNECTIONS = 4_000  # of one process: open sockets, not requests at work
MOST_HEAD = 64 * 1024  # long keys travel in addresses
MOST_BODY = 34 * 1024 * 1024  # the largest picture or text with what is around it
MOST_UNSENT = 2 * 1024 * 1024  # of an answer, before who makes it waits for who reads it; each thread keeps that memory
IDLE_SECONDS = 60  # a connection that sends nothing
BACKLOG = 512


def settings() -> dict[str, Any]:
    """What a waitress is told."""
    proxy = os.environ.get("ENLACE_PROXY", "127.0.0.1" if os.environ.get("ENLACE_HTTPS") == "1" else "")
    trusted: dict[str, Any] = {"clear_untrusted_proxy_headers": True}
    if proxy:
        trusted |= {"trusted_proxy": proxy, "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"}}
    return {
        "threads": THREADS,
        "connection_limit": MOST_CONNECTIONS,
        "max_request_header_size": MOST_HEAD,
        "max_request_body_size": MOST_BODY,
        "outbuf_high_watermark": MOST_UNSENT,
        "channel_timeout": IDLE_SECONDS,
        "cleanup_interval": 10,
        "asyncore_use_poll": True,
        "backlog": BACKLOG,
        "ident": None,
        **trusted,
    }


def _work(listening: socket.socket) -> None:
    """One process: until it is told to end."""
    from waitress import serve

    from .wsgi import application

    logging.getLogger("waitress").setLevel(logging.ERROR)
    signal.signal(signal.SIGTERM, _leave)
    signal.signal(signal.SIGINT, _leave)
    serve(application, sockets=[listening], **settings())


def _loaded() -> None:
    """Import all that requests run, before the processes fork: they start at once, also after a crash, and share its memory.

    Nothing may be open then, a connection or a file, that two processes would use as one.
    """
    from django.conf import settings
    from django.db import connections
    from django.urls import get_resolver

    from enlace.core.dataset.shared_hints import share_in

    from . import wsgi  # noqa: F401 (made by being imported)

    share_in(settings.HOME / "hints")
    assert get_resolver().url_patterns  # views are imported when they are first asked for otherwise
    connections.close_all()
    # What stays for good is looked at no more when garbage is collected, which took up to a tenth of a second of some
    # request, and the memory that holds it stays shared.
    gc.collect()
    gc.freeze()
    # An answer leaves few cycles behind: to look for them after each 700 things took one in two a third of a millisecond.
    gc.set_threshold(20_000, 10, 10)


def _share_memory_between_threads() -> None:
    """Let threads take memory from the same places: each would keep for itself what its largest request has taken, so that a
    process of eight grew by eight times that. Python's lock lets one of them take memory at a time anyway."""
    with suppress(AttributeError, OSError):  # of glibc alone
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, 1)


def _leave(number: int, frame: FrameType | None) -> None:
    raise SystemExit(0)


class Processes:
    """The processes, and who ends them."""

    def __init__(self, listening: socket.socket, count: int) -> None:
        self.listening, self.count = listening, count
        self.running: dict[int, float] = {}
        self.ending = False

    def start(self) -> None:
        """Start one more."""
        number = os.fork()
        if number:
            self.running[number] = time.monotonic()
            return
        code = 1
        try:
            _work(self.listening)
            code = 0
        except SystemExit:
            code = 0
        finally:
            sys.stderr.flush()
            os._exit(code)

    def end(self, number: int, frame: FrameType | None) -> None:
        self.ending = True
        for item in self.running:
            try:
                os.kill(item, signal.SIGTERM)
            except ProcessLookupError:
                continue

    def watch(self) -> None:
        """Until the end: a process that dies is followed by another one."""
        signal.signal(signal.SIGTERM, self.end)
        signal.signal(signal.SIGINT, self.end)
        for _ in range(self.count):
            self.start()
        while self.running:
            try:
                number, _ = os.wait()
            except (ChildProcessError, InterruptedError):
                continue
            began = self.running.pop(number, 0.0)
            if self.ending:
                continue
            if time.monotonic() - began < 1:
                time.sleep(1)  # it could not even begin: no faster than this
            self.start()


def workers() -> int:
    """How many processes."""
    return int(os.environ.get("ENLACE_WORKERS") or min(4, max(2, os.cpu_count() or 2)))


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0] if __doc__ else "")
    asked.add_argument("--bind", default="127.0.0.1:8000")
    host, _, port = asked.parse_args().bind.rpartition(":")
    listening = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listening.bind((host.strip("[]"), int(port)))
    listening.listen(BACKLOG)
    listening.setblocking(False)
    for variable, what in (("ENLACE_FOLDERS", "any file that Enlace may read"), ("ENLACE_SERVERS", "any server")):
        if variable not in os.environ:
            print(f"Builders may connect {what}: {variable} is not set.", file=sys.stderr)
    _share_memory_between_threads()
    _loaded()
    Processes(listening, workers()).watch()


if __name__ == "__main__":
    main()
