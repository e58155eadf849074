"""The arrows of the house, and the packages' promise to ship everything."""

import hashlib
import json
import re
import subprocess
import sys
import unittest
from pathlib import Path

from enlace.core.wiring.names import DESK_KEYS

ROOT = Path(__file__).resolve().parents[2]
VENDOR = ROOT / "enlace/site/static/vendor"


class House(unittest.TestCase):
    def test_the_arrows(self):
        linter = Path(sys.executable).with_name("lint-imports")
        done = subprocess.run([linter, "--no-cache"], cwd=ROOT, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)

    def test_types(self):
        done = subprocess.run([sys.executable, "-m", "mypy"], cwd=ROOT, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stdout + done.stderr)

    def test_lint_and_format(self):
        for command in (["check"], ["format", "--check"]):
            done = subprocess.run(
                [sys.executable, "-m", "ruff", *command, "."], cwd=ROOT, capture_output=True, text=True
            )
            self.assertEqual(done.returncode, 0, done.stdout + done.stderr)

    def test_templates_scripts_and_styles(self):
        for command in (
            [Path(sys.executable).with_name("djlint"), "enlace", "--lint", "--check", "--quiet"],
            [ROOT / "node_modules/.bin/biome", "check", "--error-on-warnings"],
            ["node", "--test", "tests/scripts/"],
        ):
            done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stdout[-2000:] + done.stderr)

    def test_the_vendored_files_are_those_of_the_manifest(self):
        manifest = json.loads((VENDOR / "manifest.json").read_text())
        for entry in manifest:
            self.assertEqual(
                hashlib.sha256((VENDOR / entry["file"]).read_bytes()).hexdigest(), entry["sha256"], entry["file"]
            )
            self.assertTrue(entry["version"] and entry["licence"])
        self.assertEqual({p.name for p in VENDOR.iterdir()} - {"manifest.json"}, {entry["file"] for entry in manifest})

    def test_nothing_leaves_the_machine(self):
        """No page, style or script of ours names another host."""
        ours = [*ROOT.glob("enlace/**/templates/**/*.html"), *ROOT.glob("enlace/site/static/enlace/**/*.*")]
        self.assertGreater(len(ours), 100)
        for path in ours:
            hosts = re.findall(r"(?:https?:)?//[a-z0-9.-]+\.[a-z]{2,}", path.read_text())
            self.assertEqual([h for h in hosts if "www.w3.org" not in h], [], path)

    def test_the_check_of_shortcuts_knows_the_keys_of_every_form(self):
        page = (ROOT / "enlace/site/static/enlace/deskkeys.js").read_text()
        told = [key.lower() for key in re.findall(r'^      \["([A-Z])", ', page, re.MULTILINE)]
        self.assertEqual(len(told), len(set(told)))
        # The others give way to a button's.
        self.assertLess(set(DESK_KEYS), set(told))

    def test_no_inline_script_or_style(self):
        for path in ROOT.glob("enlace/**/templates/**/*.html"):
            text = path.read_text()
            self.assertNotRegex(text, r"\sstyle=|<style|\son[a-z]+=|<script(?![^>]*\ssrc=)", str(path))
