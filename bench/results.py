"""Ratios beside their targets, printed and kept in bench/results.json."""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

RESULTS = Path(__file__).with_name("results.json")


class Results:
    """Lines of {name, ours, theirs, unit, ratio, target, holds}."""

    def __init__(self) -> None:
        self.lines: list[dict] = []

    def ratio(self, name: str, ours: float, theirs: float, unit: str, target: float) -> None:
        """Ours against theirs: at most `target` times."""
        self._add(name, ours, theirs, unit, round(ours / theirs, 2), target, ours / theirs <= target)

    def bound(self, name: str, ours: float, unit: str, target: float) -> None:
        """Ours alone: at most `target`."""
        self._add(name, ours, None, unit, None, target, ours <= target)

    def _add(self, name, ours, theirs, unit, ratio, target, holds) -> None:
        line = {"name": name, "ours": round(ours, 3), "theirs": theirs and round(theirs, 3), "unit": unit}
        self.lines.append({**line, "ratio": ratio, "target": target, "holds": holds})
        measured = f"{ours:9.2f} {unit}" + (f" against {theirs:9.2f} {unit}, ratio {ratio:5.2f}" if theirs else "")
        print(f"{'ok  ' if holds else 'MISS'} {name}: {measured} (target: at most {target})", flush=True)

    def write(self) -> None:
        RESULTS.write_text(json.dumps(self.lines, indent=1) + "\n")


@contextmanager
def taken_by_others() -> Iterator[None]:
    """Tell how much of the processors other machines on the same hardware took meanwhile: what a time in milliseconds is worth.
    (proc_stat(5): the eighth figure of the first line is "steal"; nothing where there is no such file.)"""
    before = _ticks()
    yield
    spent = [after - at for at, after in zip(before, _ticks(), strict=True)]
    if len(spent) > STEAL and (busy := sum(spent) - sum(spent[IDLE])):
        print(f"     meanwhile others took {spent[STEAL] / busy:.0%} of the time in which this machine had work")


IDLE, STEAL = slice(3, 5), 7  # in proc_stat(5): the time without work, and without it while a disk is waited for


def _ticks() -> list[int]:
    stat = Path("/proc/stat")
    return [int(figure) for figure in stat.read_text().split("\n")[0].split()[1:9]] if stat.exists() else []


def milliseconds(act: Callable[[], object]) -> float:
    """How long one call takes."""
    start = time.perf_counter()
    act()
    return (time.perf_counter() - start) * 1000


def medians(ours: Callable[[], object], theirs: Callable[[], object], times: int) -> tuple[float, float]:
    """Medians of two things measured by turns, so that a busy moment meets both."""
    for _ in range(3):
        ours(), theirs()
    pairs = [(milliseconds(ours), milliseconds(theirs)) for _ in range(times)]
    return statistics.median(p[0] for p in pairs), statistics.median(p[1] for p in pairs)
