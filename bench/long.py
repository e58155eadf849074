"""What `make bench` tries a hundred times, a thousand times: `make endurance`. It takes hours; each line must be 0."""

from __future__ import annotations

import argparse

from . import endurance
from .results import Results

KILLS = 1_000


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--kills", type=int, default=KILLS)
    asked.add_argument("--seed", type=int, default=5)
    given = asked.parse_args()
    results = Results()
    endurance.servers_killed(results, given.kills, given.seed)
    if not all(line["holds"] for line in results.lines):
        raise SystemExit(1)


if __name__ == "__main__":
    main()
