"""The test runner: Django's, which also leaves its counts where the checks find them."""

import json
import os
import unittest
from contextlib import suppress
from pathlib import Path
from typing import Any

import av
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

from reel.core.memory import keep_loaded
from reel.options import TEST_COUNTS

# Properties are about what is true, not about how quick a busy machine is.
with suppress(ImportError):
    from hypothesis import settings as hypothesis_settings

    hypothesis_settings.register_profile("reel", deadline=None)
    hypothesis_settings.load_profile("reel")


def _sendable(err: Any) -> Any:
    """Return an error as another process can take it: those of libav can be pickled and not be read again."""
    kind, error, trace = err
    link: BaseException | None = error
    while link is not None:
        if isinstance(link.__cause__ or link.__context__, av.error.FFmpegError):
            link.__cause__ = link.__context__ = None
        link = link.__cause__ or link.__context__
    if isinstance(error, av.error.FFmpegError):
        error = RuntimeError(f"{kind.__name__}: {error}")
    return type(error), error, trace


class _Result(RemoteTestResult):
    def addError(self, test: Any, err: Any) -> None:  # noqa: N802 - unittest's names
        super().addError(test, _sendable(err))

    def addFailure(self, test: Any, err: Any) -> None:  # noqa: N802
        super().addFailure(test, _sendable(err))

    def addSubTest(self, test: Any, subtest: Any, err: Any) -> None:  # noqa: N802
        super().addSubTest(test, subtest, _sendable(err) if err is not None else None)


class _Runner(RemoteTestRunner):
    resultclass = _Result


class _Suite(ParallelTestSuite):
    runner_class = _Runner


class CountingRunner(DiscoverRunner):
    """Writes {"passed", "failed", "skipped"} to the file that REEL_TEST_COUNTS names."""

    parallel_test_suite = _Suite

    def run_suite(self, suite: unittest.TestSuite, **kwargs: Any) -> Any:
        """Run them, here or in processes of their own, which leave alone what was loaded by now."""
        keep_loaded()
        return super().run_suite(suite, **kwargs)

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        """Count, then answer as Django does."""
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped) + len(result.expectedFailures)
        passed = max(0, result.testsRun - failed - skipped)
        if target := os.environ.get(TEST_COUNTS):
            Path(target).write_text(json.dumps({"passed": passed, "failed": failed, "skipped": skipped}))
        return super().suite_result(suite, result, **kwargs)
