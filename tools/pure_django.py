"""Sets the framework up, without a database, for tests of the core that are run outside its own test runner.

What was worked out and kept before is forgotten at the start of each session: a process that is forked from one that ran the tests already would be
told the answers of the code as it was, and not notice a fault put into it.
"""

from __future__ import annotations

import functools
import gc
import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.test")
django.setup()


def forget() -> int:
    """Empty whatever functions keep of their results; how many did."""
    # By their own type: a lazy object that is asked for its class wakes up.
    kept = [f for f in gc.get_objects() if type(f) is functools._lru_cache_wrapper and f.cache_info().currsize]
    for function in kept:
        function.cache_clear()
    return len(kept)


def pytest_sessionstart() -> None:
    """Called by the runner before it looks for tests."""
    forget()
