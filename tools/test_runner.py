"""Django's test runner with a closing line of counts, for people and for the check script."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Prints 'N passed, N failed, N skipped' and writes it where TEST_COUNTS points."""

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        passed = result.testsRun - failed - skipped
        if counts := os.environ.get("TEST_COUNTS"):
            Path(counts).write_text(f"{passed} {failed} {skipped}")
        print(f"Python: {passed} passed, {failed} failed, {skipped} skipped")
        return super().suite_result(suite, result, **kwargs)
