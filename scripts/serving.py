"""The server process as `make demo` runs it, started and ended by tests and benchmarks."""

from __future__ import annotations

import os
import random
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from contextlib import suppress
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SECONDS = 90


PORTS = range(20_000, 32_000)  # below those that Linux gives to connections that go out: none takes one meanwhile


def free_port() -> int:
    """A port of this machine that nothing listens on."""
    while True:
        port = random.choice(PORTS)
        with socket.socket() as probe, suppress(OSError):
            probe.bind(("127.0.0.1", port))
            return port


class ServerProcess:
    """One server process with its workers, in a process group of its own.

    environment: what it runs in. base: its address, the same after a restart.
    """

    def __init__(self, environment: dict[str, str], port: int | None = None) -> None:
        self.environment = environment
        self.port = port or free_port()
        self.base = f"http://127.0.0.1:{self.port}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start it and wait until it answers. Raises RuntimeError when it does not."""
        self.process = subprocess.Popen(
            [sys.executable, "-m", "enlace.site.serve", "--bind", f"127.0.0.1:{self.port}"],
            cwd=ROOT,
            env=self.environment,
            start_new_session=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        limit = time.monotonic() + SECONDS
        while time.monotonic() < limit:
            try:
                urllib.request.urlopen(self.base + "/sign-in/", timeout=5).close()
                return
            except OSError:
                time.sleep(0.1)
        raise RuntimeError("the server did not start")

    def stop(self, how: signal.Signals = signal.SIGKILL) -> None:
        """End it and its workers; with SIGKILL as a crash would."""
        if self.process and self.process.poll() is None:
            os.killpg(self.process.pid, how)
            self.process.wait()
