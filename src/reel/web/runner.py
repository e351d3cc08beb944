"""The test runner: Django's, which also leaves its counts where the checks find them."""

import json
import os
import unittest
from pathlib import Path
from typing import Any

from django.test.runner import DiscoverRunner

from reel.options import TEST_COUNTS


class CountingRunner(DiscoverRunner):
    """Writes {"passed", "failed", "skipped"} to the file that REEL_TEST_COUNTS names."""

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        """Count, then answer as Django does."""
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped) + len(result.expectedFailures)
        passed = max(0, result.testsRun - failed - skipped)
        if target := os.environ.get(TEST_COUNTS):
            Path(target).write_text(json.dumps({"passed": passed, "failed": failed, "skipped": skipped}))
        return super().suite_result(suite, result, **kwargs)
