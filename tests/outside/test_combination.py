"""Combining two people's changes of one record, against `git merge-file`, which merges the same change of a text.

The record is written as a text with one field a paragraph, far enough apart that neighbouring changes don't touch; git
then merges ours and theirs over the version that both began with. Where git merges, Enlace must offer to combine and
come to the same record; where git reports a conflict, Enlace must ask.
"""

from __future__ import annotations

import subprocess
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from enlace.core.dataset import DatasetSpec, FieldSpec
from enlace.core.draft import Conflict
from enlace.core.draft.conflicts import combinable, resolved, versions
from enlace.core.draft.pending import as_read, with_value

NAMES = ("a", "b", "c", "d")
DATASET = DatasetSpec("t", tuple(FieldSpec(n, n.upper(), "text") for n in ("id", *NAMES)), ("id",), compare="all")
values = st.fixed_dictionaries({name: st.sampled_from(["one", "two", "three"]) for name in NAMES})
GAP = "\n" + "\n".join("-" * 5 for _ in range(4)) + "\n"


def merged(was: dict, mine: dict, theirs: dict) -> dict | None:
    """What git makes of three versions; None for a conflict."""
    with tempfile.TemporaryDirectory() as folder:
        paths = []
        for name, version in (("mine", mine), ("was", was), ("theirs", theirs)):
            path = Path(folder) / name
            path.write_text(GAP.join(f"{n}: {version[n]}" for n in NAMES) + "\n")
            paths.append(str(path))
        done = subprocess.run(["git", "merge-file", "-p", *paths], capture_output=True, text=True)
        if done.returncode:
            return None
        return dict(line.split(": ") for line in done.stdout.splitlines() if ": " in line)


class Combination(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(values, values, values)
    def test_as_git_merges(self, was, mine, theirs):
        record = as_read(DATASET, "i1", (1,), {"id": 1, **was})
        for name in NAMES:
            record = with_value(record, DATASET.by_name[name], mine[name])
        held = replace(record, conflict=Conflict({"id": 1, **theirs}))
        if record.idle or theirs == was:
            return  # one side changed nothing: there is no conflict to settle
        expected = merged(was, mine, theirs)
        disputed = [
            version for version in versions(DATASET, held) if version.disputed and version.mine != version.theirs
        ]
        self.assertEqual(expected is None, bool(disputed), (was, mine, theirs))
        if expected is None:
            self.assertFalse(combinable(DATASET, held))
            return
        after = resolved(DATASET, held, [])
        self.assertEqual({n: (after.values() if after else theirs)[n] for n in NAMES}, expected)
