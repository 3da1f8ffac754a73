"""The drift rule over courses it was not written on, a smaller number than in the bench: found outside before it is due, and how long it lets it go."""

import unittest

from tools.interval_trials import run_trials

MOST = 0.07


class IntervalTrials(unittest.TestCase):
    def test_few_are_found_outside_before_they_are_due_and_still_ones_are_left_alone(self):
        told = run_trials(150, 3101)
        together = sum(t.outside for k, t in told.items() if k != "still") / 4
        self.assertLessEqual(together, MOST)
        self.assertEqual(told["still"].outside, 0.0)
        self.assertGreaterEqual(told["still"].median, 1.5)
        for kind in ("straight", "walk", "steps", "accelerating"):
            self.assertGreaterEqual(told[kind].median, 0.7, kind)


if __name__ == "__main__":
    unittest.main()
