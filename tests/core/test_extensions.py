"""A developer's own code: an extension that is installed, its events, and the engine from a program of one's own."""

import contextlib
import logging
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from enlace.core import hooks
from enlace.core.problem import Problem
from tests.harbour import harbour_copy

ROOT = Path(__file__).resolve().parents[2]
TRY_IT = """
from enlace.core import hooks
from enlace.core.exchange.writers import WRITERS
from enlace.core.extensions import load
[module] = load()
assert load() == [module]  # once
from enlace.core.dataset.field_properties import kinds_for
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.dataset.window import Rows
from enlace.core.draft.pending import new_record, with_text
from enlace.core.kinds import KINDS, Formats
from enlace.core.kinds.knowledge import KNOWN
from enlace.core.model.connection import ConnectionSpec
from enlace.core.problem import Problem
from enlace.core.save import rehearse, save
import dataclasses, sys
formats = Formats.of("en_GB")
spec = ConnectionSpec.of("sqlite", path=sys.argv[1])
berths = make_dataset(spec, "berth")
code = berths.by_name["code"]
assert "quaycode" in kinds_for(code)
own = dataclasses.replace(code, kind="quaycode")
print(KINDS["quaycode"].parse("z9", own, formats), KNOWN["gauge"][1]("TG-001"), KNOWN["gauge"][1]("x"))
print(repr("".join(WRITERS["tabs"].pieces(["a", "b"], [[1, "x\\ty"]]))))
from enlace.core.expression import Expression, Unsupported
print(Expression("quay_of(code) || '!'", ["code"])({"code": "n4"}), Expression("is_tide_gauge(code)", ["code"])({"code": None}))
try:
    Expression("quay_of(code, 1)", ["code"])
except Unsupported as problem:
    print(problem)
from enlace.core.dataset.filters import Written
rows = Rows.of(spec, berths, filters=(Written("quay_of(code) = 'N'"),)).window(0, 100)
assert rows and all(row.values[0][0] == "N" for row in rows), rows
def berth(depth):
    record = new_record()
    for name, text in (("code", "Z9"), ("quay", "New"), ("length_m", "100"), ("depth_m", depth), ("shore_power", "no")):
        record = with_text(record, berths.by_name[name], text, formats)
    return record
for act in (save, rehearse):
    try:
        act(spec, berths, [berth("1.5")])
    except Problem as problem:
        print(problem.what)
before = Rows.of(spec, berths).count()
outcome = save(spec, berths, [berth("3")])
print(outcome.committed, module.SAVED, Rows.of(spec, berths).count() - before)
"""


class Installed(unittest.TestCase):
    def run_python(self, *words, **environment):
        told = subprocess.run([sys.executable, *map(str, words)], cwd=ROOT, capture_output=True, text=True,
                              env={**os.environ, "PYTHONPATH": str(ROOT), **environment})  # fmt: skip
        self.assertEqual(told.returncode, 0, told.stderr)
        return told.stdout.splitlines()

    def try_it(self, **environment):
        told = self.run_python("-c", TRY_IT, harbour_copy(), **environment)
        self.assertEqual(
            told,
            [
                "Z9 True False",
                "'a\\tb\\n1\\tx y\\n'",
                "N! None",
                "quay_of takes 1 value, and has 2.",
                "A berth needs two metres of water.",
                "A berth needs two metres of water.",
                "True [1] 1",
            ],
        )

    def test_the_example_is_installed_and_does_all_it_says(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        options = ("--no-deps", "--no-index", "--no-build-isolation", "--quiet", "--disable-pip-version-check")
        source = Path(folder) / "source"
        source.mkdir()
        for file in (ROOT / "examples/quay_codes").glob("*.*"):
            (source / file.name).write_bytes(file.read_bytes())  # what is built leaves nothing in the repository
        self.run_python("-m", "pip", "install", *options, "--target", f"{folder}/there", source)
        self.try_it(PYTHONPATH=f"{ROOT}{os.pathsep}{folder}/there")

    def test_a_file_that_is_named_will_do(self):
        self.try_it(ENLACE_EXTENSIONS=str(ROOT / "examples/quay_codes/quay_codes.py"))

    def test_one_that_fails_stops_nothing(self):
        file = Path(self.enterContext(tempfile.TemporaryDirectory())) / "broken.py"
        good = (ROOT / "examples/quay_codes/quay_codes.py").read_text()
        file.write_text(good + "\n    raise RuntimeError('no')\n")  # at the end of its `register`
        counts = "print([len(k) for k in (KINDS, TEXTS, KNOWN, OWN, WRITERS)], hooks.wanted('before save'))"
        names = "from enlace.core.expression.own import OWN; from enlace.core.exchange.writers import WRITERS"
        kinds = "from enlace.core.kinds import KINDS, TEXTS; from enlace.core.kinds.knowledge import KNOWN"
        load = f"{names}; {kinds}; from enlace.core import hooks; from enlace.core.extensions import load"
        [before, loaded, after] = self.run_python(
            "-c", f"{load}; {counts}; print(load()); {counts}", ENLACE_EXTENSIONS=str(file)
        )
        self.assertEqual((loaded, after), ("[]", before))

    def test_a_program_of_one_s_own(self):
        told = self.run_python("examples/engine.py", harbour_copy())
        page = (ROOT / "docs/extending.md").read_text()
        self.assertEqual(
            told, [line.strip() for line in page.split("harbour.sqlite3\n")[1].split("\n\n")[0].splitlines()]
        )


class Events(unittest.TestCase):
    """The contract on errors and time."""

    def follow(self, event, handler):
        hooks.on(event, handler, "mine")
        self.addCleanup(hooks.forget, handler)

    def test_only_before_a_save_an_error_is_told_to_anybody(self):
        def fails(**facts):
            raise RuntimeError("boom")

        def objects(**facts):
            raise Problem("Not on Sundays.")

        for event in hooks.EVENTS:
            self.follow(event, fails)
        with self.assertLogs("enlace.extensions", logging.ERROR):
            for event in hooks.EVENTS:
                expected = (
                    self.assertRaisesRegex(Problem, "The extension mine failed") if event == hooks.BEFORE_SAVE else None
                )
                with expected or contextlib.nullcontext():
                    hooks.tell(event)
        hooks.forget(fails)
        self.follow(hooks.BEFORE_SAVE, objects)
        with self.assertRaisesRegex(Problem, "Not on Sundays"):
            hooks.tell(hooks.BEFORE_SAVE)

    def test_one_that_is_slow_is_noted(self):
        self.follow(hooks.READ, lambda **facts: None)
        before, hooks.SLOW = hooks.SLOW, -1
        self.addCleanup(setattr, hooks, "SLOW", before)
        with self.assertLogs("enlace.extensions", logging.WARNING) as told:
            hooks.tell(hooks.READ, rows=[])
        self.assertIn("mine took", told.output[0])

    def test_an_event_that_is_none(self):
        with self.assertRaises(ValueError):
            hooks.on("saved", print)
