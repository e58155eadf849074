"""The examples in the docstrings of the engine run, and give what they say."""

import doctest
import importlib
import re
import tomllib
import unittest
from pathlib import Path

import enlace.core

ROOT = Path(__file__).resolve().parents[2]


class Examples(unittest.TestCase):
    def test_each_gives_what_it_says(self):
        names = [
            ".".join(path.relative_to(ROOT).with_suffix("").parts)
            for path in sorted((ROOT / "enlace/core").rglob("*.py"))
            if ">>> " in path.read_text()
        ]
        self.assertGreaterEqual(len(names), 6)
        for name in names:
            with self.subTest(name):
                failed, tried = doctest.testmod(importlib.import_module(name))
                self.assertGreater(tried, 0)
                self.assertEqual(failed, 0)

    def test_the_page_for_developers_tries_each_name_that_it_lists(self):
        path = ROOT / "docs/extending.md"
        failed, tried = doctest.testfile(str(path), module_relative=False)
        self.assertEqual(failed, 0)
        text = path.read_text()
        listed = re.search(r"What it uses:(.*?)All of them", text, re.DOTALL)[1]
        first = "\n".join(line.split("|")[1] for line in listed.splitlines() if line.startswith("| `"))
        names = [name.split("(")[0] for name in re.findall(r"`([^`]+)`", first)]
        tries = "\n".join(line for line in text.splitlines() if line.lstrip().startswith((">>>", "...")))
        self.assertGreater(tried, 20)
        self.assertEqual([name for name in names if name not in tries], [])

    def test_the_version_is_that_of_the_project(self):
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        self.assertEqual(enlace.core.VERSION, project["version"])
