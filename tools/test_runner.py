"""Django's test runner with a closing line of counts, for people and for the check script."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from django.test.runner import DiscoverRunner
from django.test.testcases import SimpleTestCase

from apps.evidence.moving import OTHER


class Allowed(frozenset[str]):
    """The databases of a test, and the one that comes and goes, which is not among those to be emptied."""

    def __contains__(self, alias: object) -> bool:
        return alias == OTHER or super().__contains__(alias)


class CountingRunner(DiscoverRunner):
    """Prints 'N passed, N failed, N skipped' and writes it where TEST_COUNTS points."""

    def setup_test_environment(self, **kwargs: Any) -> None:
        """No test is kept from the database that is there only while a backup is written or a plant moves."""
        super().setup_test_environment(**kwargs)
        known = SimpleTestCase._validate_databases.__func__  # type: ignore[attr-defined]
        SimpleTestCase._validate_databases = classmethod(lambda cls: Allowed(known(cls)))  # type: ignore[attr-defined]

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        bad = [test for test, _ in (*result.failures, *result.errors)] + list(result.unexpectedSuccesses)
        failed = len({getattr(test, "test_case", test).id() for test in bad})  # a test with several bad parts is one test
        skipped = len(result.skipped)
        passed = max(0, result.testsRun - failed - skipped)
        if counts := os.environ.get("TEST_COUNTS"):
            Path(counts).write_text(f"{passed} {failed} {skipped}")
        print(f"Python: {passed} passed, {failed} failed, {skipped} skipped")
        return super().suite_result(suite, result, **kwargs)
