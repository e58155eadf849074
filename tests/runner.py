"""Django's test runner: the browser's tests beside the others, and a closing line that counts all."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from django.test.runner import DiscoverRunner

TESTS = Path(__file__).parent
BESIDE = "browser"
COUNTED = re.compile(r"^(\d+) passed, (\d+) failed, (\d+) skipped$", re.MULTILINE)


class Runner(DiscoverRunner):
    """Runs all tests in a folder of their own; a skipped test in CI is a failure.

    Where all tests are asked for, those in the browser, which mostly wait, run in a process of their own meanwhile.
    """

    beside: subprocess.Popen | None = None

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.buffer = False

    def build_suite(self, test_labels=None, **kwargs):
        if not test_labels:
            others = {path.parent.name for path in TESTS.glob("*/__init__.py")} - {BESIDE}
            test_labels = [f"tests.{name}" for name in sorted(others)]
            self.told = tempfile.TemporaryFile("w+")  # noqa: SIM115 - read once the process has ended
            command = [sys.executable, *(f"-W{w}" for w in sys.warnoptions), "manage.py", "test", "--noinput"]
            self.beside = subprocess.Popen(
                [*command, f"tests.{BESIDE}"], cwd=TESTS.parent, stdout=self.told, stderr=subprocess.STDOUT
            )
        return super().build_suite(test_labels, **kwargs)

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        self.folder = tempfile.mkdtemp(prefix="enlace-tests-")
        os.environ["ENLACE_TEST_FOLDER"] = self.folder

    def teardown_test_environment(self, **kwargs):
        super().teardown_test_environment(**kwargs)
        shutil.rmtree(self.folder, ignore_errors=True)

    def run_tests(self, *args, **kwargs):
        try:
            return super().run_tests(*args, **kwargs)
        except BaseException:
            if self.beside and self.beside.poll() is None:
                self.beside.terminate()
            raise

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        passed = result.testsRun - failed - skipped
        if skipped and os.environ.get("CI"):
            print(f"{skipped} tests were skipped, which CI counts as failed.")
            failed, skipped = failed + skipped, 0
        if self.beside:
            passed, failed, skipped = (a + b for a, b in zip((passed, failed, skipped), self._beside(), strict=True))
        print(f"{max(passed, 0)} passed, {failed} failed, {skipped} skipped", flush=True)
        return failed

    def _beside(self) -> tuple[int, int, int]:
        """Wait for the browser's tests and show what they say; a process that did not count has failed."""
        status = self.beside.wait()
        self.told.seek(0)
        said = self.told.read()
        print(f"\n-- in the browser, meanwhile --\n{said}", flush=True)
        counted = COUNTED.findall(said)
        passed, failed, skipped = map(int, counted[-1]) if counted else (0, 1, 0)
        return passed, max(failed, 1) if status else failed, skipped
