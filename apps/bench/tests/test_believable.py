"""What a source refuses to believe."""

from unittest import TestCase

from apps.bench.sources.base import SourceFault, require_believable
from apps.bench.tests.bench_world import signal

HINT = "The word order in its map may be wrong."


class Believable(TestCase):
    def assertRefused(self, code, value, hint="", **limits):
        with self.assertRaises(SourceFault) as caught:
            require_believable(value, signal("x", "Loop", "mA", "?", **limits), hint=hint)
        self.assertEqual(caught.exception.code, code)
        return caught.exception.message

    def test_numbers_of_exchanged_words_are_absurd(self):
        for value in (-3.9e-25, 4.1e-31, 6.2e18, -8e12):
            with self.subTest(value=value):
                self.assertIn("word order", self.assertRefused("absurd", value, HINT, low=0, high=25))

    def test_what_is_outside_its_limits_is_told_with_them(self):
        self.assertIn("it can be 0 to 25 mA", self.assertRefused("absurd", 31.0, low=0, high=25))

    def test_an_open_circuit_is_no_number(self):
        for value in (9.9e37, float("nan"), float("inf")):
            self.assertIn("open circuit", self.assertRefused("open_circuit", value))
            self.assertIn("word order", self.assertRefused("open_circuit", value, HINT))  # exchanged words make no number, too

    def test_zero_and_small_values_are_believed(self):
        for value in (0.0, 1e-6, -0.0002, 24.9):
            self.assertEqual(require_believable(value, signal("x", "Loop", "mA", "?", low=-1, high=25), hint=HINT), value)
