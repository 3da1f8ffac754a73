"""What is kept of earlier results is forgotten before tests are run on changed code."""

from __future__ import annotations

from functools import lru_cache
from unittest import TestCase

from tools.pure_django import forget

BASE = 1


@lru_cache
def next_to(n: int) -> int:
    return n + BASE


class Forgetting(TestCase):
    def test_a_function_is_asked_again(self) -> None:
        global BASE
        self.assertEqual(next_to(1), 2)
        BASE = 5
        self.addCleanup(globals().__setitem__, "BASE", 1)
        self.addCleanup(next_to.cache_clear)
        self.assertEqual(next_to(1), 2, "kept")
        self.assertGreater(forget(), 0)
        self.assertEqual(next_to(1), 6)
