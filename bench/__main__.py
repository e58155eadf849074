"""Run all measurements: `make bench`, or some of them: `make bench PARTS="day shape"`. docs/bench.md says what each is."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import PendingRecord, as_read, with_text
from enlace.core.kinds import Formats
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.values import key_of
from enlace.core.save import save

from . import day, drafts, endurance, exchange, handwritten, hostile, outward, shape, sheet, soak, table, ten
from . import saves as large
from .results import Results, medians, taken_by_others
from .served import Server

FIRST, LAST = 0, table.ROWS - 100


def windows(results: Results, server: Server) -> None:
    """(a) to (c): windows over HTTP."""
    ours = lambda: server.get("/desk/1/rows?start=0&size=100")  # noqa: E731
    assert ours().count(b'class="record"') == 100
    assert server.get("/handwritten").count(b"<td>") == 800
    results.ratio(
        "(a) first window of 100 rows against a hand-written view",
        *medians(ours, lambda: server.get("/handwritten"), 80), "ms", 1.5,
    )  # fmt: skip
    for name, order, target, times in [
        ("(b) last window of a million by an indexed column against the first one", "code", 1.5, 60),
        ("(c) last window of a million by a column without an index against the first one", "level", 2.0, 12),
    ]:
        server.get(f"/desk/1/rows?start={LAST // 2}&size=100&order={order}")  # anchors stand from here on
        ask = lambda start, order=order: server.get(f"/desk/1/rows?start={start}&size=100&order={order}")  # noqa: E731
        results.ratio(name, *medians(lambda: ask(LAST), lambda: ask(FIRST), times), "ms", target)  # noqa: B023


def memory(results: Results, server: Server) -> None:
    """(e): from one end of the million to the other, in two orders, on a server that only showed the form so far."""
    for _ in range(8):  # every thread of the server has answered once
        server.get("/desk/1/")
    before = server.memory()
    for order in ("", "code"):
        for start in range(0, table.ROWS, 5_000):
            server.get(f"/desk/1/rows?start={start}&size=100&order={order}")
    results.bound("(e) memory growth while scrolling through the million", server.memory() - before, "MB", 30)


def saves(results: Results, database: str) -> None:
    """(d): a thousand edited records in one transaction."""
    spec = ConnectionSpec.of("sqlite", path=database)
    dataset = make_dataset(spec, "reading")
    names = [field.name for field in dataset.fields]
    ids = [f"i{n}" for n in range(1, 200_000, 200)]
    turn = iter(range(10**6))

    def edited() -> list[PendingRecord]:
        rows, text = Rows.of(spec, dataset).whole_rows(ids), f"edit {next(turn)}"
        records = [
            as_read(dataset, identifier, key_of(identifier), dict(zip(names, rows[identifier], strict=True)))
            for identifier in ids
        ]
        return [with_text(record, dataset.by_name["note"], text, Formats.of("en_GB")) for record in records]

    def ours() -> None:
        outcome = save(spec, dataset, prepared[0])
        assert outcome.committed and len(outcome.ids) == 1000

    def theirs() -> None:
        handwritten.save(database, prepared[1])

    # Each turn edits what the other one left, and only the saving itself is measured.
    from .results import milliseconds

    pairs = []
    prepared: list = [None, None]
    for _ in range(25):
        prepared[0] = edited()
        first = milliseconds(ours)
        text = f"by hand {next(turn)}"
        prepared[1] = [(text, record.key[0], record.now["note"]) for record in prepared[0]]
        pairs.append((first, milliseconds(theirs)))
    from statistics import median

    name = "(d) saving 1 000 edited records against a hand-written loop"
    results.ratio(name, median(p[0] for p in pairs), median(p[1] for p in pairs), "ms", 2.0)


def served(results: Results, folder: Path) -> None:
    """What a server answers beside a hand-written view, and (d), which saves into the same table."""
    database, offices = str(folder / "million.sqlite3"), str(folder / "offices.sqlite3")
    print(f"Making a table of {table.ROWS} rows ...", flush=True)
    table.make(database)
    sheet.make(offices)
    with Server(folder / "home", database, offices) as server:
        sheet.main(results, server)
        memory(results, server)
        windows(results, server)
        drafts.keystrokes(results, server)
        soak.main(results, server)
    saves(results, database)


PARTS: dict[str, Callable[[Results, Path], None]] = {
    "served": served,
    "ten": ten.main,
    "shape": shape.main,
    "exchange": lambda results, folder: exchange.run(results),
    "outward": outward.main,
    "day": day.main,
    "hostile": lambda results, folder: hostile.main(results, 30_000),
    "large": lambda results, folder: large.main(results),
    "endurance": lambda results, folder: endurance.main(results),
}


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "bench.settings")  # templates ask for them
    chosen = sys.argv[1:] or list(PARTS)
    if unknown := set(chosen) - set(PARTS):
        sys.exit(f"There is no {' or '.join(sorted(unknown))} to measure. There are: {', '.join(PARTS)}.")
    results = Results()
    with tempfile.TemporaryDirectory(prefix="enlace-bench-") as folder:
        for part in chosen:
            with taken_by_others():
                PARTS[part](results, Path(folder))
    if not sys.argv[1:]:
        results.write()


if __name__ == "__main__":
    main()
