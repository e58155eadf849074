"""Twenty thousand mixed requests to one server: its memory and its answers are at the end what they were early on."""

from __future__ import annotations

import random
import re
from statistics import median
from urllib.parse import urlencode

from scripts.soak import FormAt, mixed

from . import table
from .results import Results, milliseconds
from .served import Server

TIMES, EARLY = 20_000, 4_000


def main(results: Results, server: Server) -> None:
    """Over HTTP, on the million rows."""
    page = server.get("/desk/1/")
    token = re.search(rb'X-CSRFToken": "([^"]+)"', page).group(1).decode()
    headers = {"X-CSRFToken": token, "Content-Type": "application/x-www-form-urlencoded"}
    place = FormAt("/desk/1/", table.ROWS, "note", ("code", "-code"), (("only-code", "5000000..5001000"),))
    taken: list[float] = []
    beside: list[float] = []  # a hand-written view, asked meanwhile: what the machine itself did shows in both
    failed = 0
    before = 0.0

    def ask(item) -> None:
        if item.data is None:
            server._ask("GET", f"{item.path}?{urlencode(item.query)}")
        else:
            server._ask("POST", item.path, urlencode(item.data), headers)

    for n, item in enumerate(mixed(random.Random(6), place, TIMES)):
        try:
            taken.append(milliseconds(lambda item=item: ask(item)))
        except RuntimeError as error:
            failed += " 5" in str(error)[:200] and "404" not in str(error)
        if n % 20 == 0:
            beside.append(milliseconds(lambda: server.get("/handwritten")))
        if n == EARLY:
            before = server.memory()
    server._ask("POST", "/desk/1/discard", "", headers)
    results.bound(f"{TIMES:,} mixed requests: what failed", failed, "requests", 0)
    results.bound(
        f"{TIMES:,} mixed requests: memory growth after the first {EARLY:,}", server.memory() - before, "MB", 40
    )
    spans = (slice(-EARLY, None), slice(EARLY, 2 * EARLY))
    control = (slice(-EARLY // 20, None), slice(EARLY // 20, 2 * EARLY // 20))
    late, early = (median(taken[a]) / median(beside[b]) for a, b in zip(spans, control, strict=True))
    name = f"{TIMES:,} mixed requests: the last ones against early ones, each as so many hand-written views"
    results.ratio(name, late, early, "views", 1.2)
