"""Django's test runner, with the lint checks in front and a closing line that counts."""

from __future__ import annotations

import os
import shutil
import tempfile

from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Runs all tests in a folder of their own; a skipped test in CI is a failure."""

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.buffer = False

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        self.folder = tempfile.mkdtemp(prefix="enlace-tests-")
        os.environ["ENLACE_TEST_FOLDER"] = self.folder

    def teardown_test_environment(self, **kwargs):
        super().teardown_test_environment(**kwargs)
        shutil.rmtree(self.folder, ignore_errors=True)

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        passed = result.testsRun - failed - skipped
        if skipped and os.environ.get("CI"):
            print(f"{skipped} tests were skipped, which CI counts as failed.")
            failed, skipped = failed + skipped, 0
        print(f"{max(passed, 0)} passed, {failed} failed, {skipped} skipped")
        return failed
