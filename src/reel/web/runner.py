"""The test runner: Django's, which also leaves its counts where the checks find them."""

import json
import os
import unittest
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.test.runner import DiscoverRunner

from reel.options import TEST_COUNTS

# Properties are about what is true, not about how quick a busy machine is.
with suppress(ImportError):
    from hypothesis import settings as hypothesis_settings

    hypothesis_settings.register_profile("reel", deadline=None)
    hypothesis_settings.load_profile("reel")


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
