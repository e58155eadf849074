"""What `make bench` tries for a while, for hours: `make endurance`. Each line must be 0."""

from __future__ import annotations

import argparse

from . import endurance, hostile
from .results import Results

KILLS, REQUESTS = 1_000, 100_000


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--kills", type=int, default=KILLS)
    asked.add_argument("--requests", type=int, default=REQUESTS)
    asked.add_argument("--seed", type=int, default=5)
    given = asked.parse_args()
    results = Results()
    hostile.main(results, given.requests)
    endurance.servers_killed(results, given.kills, given.seed)
    if not all(line["holds"] for line in results.lines):
        raise SystemExit(1)


if __name__ == "__main__":
    main()
