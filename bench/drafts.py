"""What one keystroke's edit costs in a draft of one pending change and in a draft of ten thousand."""

from __future__ import annotations

import re
import subprocess
import sys
from statistics import median
from urllib.parse import urlencode

from scripts.serving import ROOT

from .results import Results, milliseconds
from .served import Server

MANY, TIMES = 10_000, 60


def keystrokes(results: Results, server: Server) -> None:
    """The same edit of the same record, over HTTP."""
    page = server.get("/desk/1/")
    token = re.search(rb'X-CSRFToken": "([^"]+)"', page).group(1).decode()
    headers = {"X-CSRFToken": token, "Content-Type": "application/x-www-form-urlencoded"}

    def edits() -> float:
        taken = []
        for n in range(TIMES):
            body = urlencode({"record": "i1", "field": "note", "value": f"typed {n}", "position": "0"})
            taken.append(milliseconds(lambda body=body: server._ask("POST", "/desk/1/edit", body, headers)))
        return median(taken)

    edits()
    small = edits()
    command = [sys.executable, "-m", "bench.fill_draft", str(MANY)]
    subprocess.run(command, cwd=ROOT, env=server.environment, check=True)
    edits()
    large = edits()
    results.ratio("an edit in a draft of 10 000 pending changes against one in a draft of one", large, small, "ms", 1.2)
    server._ask("POST", "/desk/1/discard", "", headers)
