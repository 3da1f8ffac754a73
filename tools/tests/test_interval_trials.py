"""The drift rule over courses it was not written on, a smaller number than in the bench: found outside before it is due, and how long it lets it go."""

import unittest

from tools.interval_trials import MOVING, outside_of_moving, run_trials

MOST = 0.07


class IntervalTrials(unittest.TestCase):
    def test_few_are_found_outside_before_they_are_due_and_still_ones_are_left_alone(self):
        told = run_trials(150, 3101)
        self.assertLessEqual(outside_of_moving(told), MOST)
        self.assertEqual(told["still"].outside, 0.0)
        self.assertGreaterEqual(told["still"].median, 1.5)
        for kind in MOVING:
            self.assertGreaterEqual(told[kind].median, 0.7, kind)

    def test_the_other_rules_reach_what_is_stated_of_them(self):
        for rule, results, stated in (("fixed", 4, 0.12), ("staircase", 4, 0.11), ("staircase", 8, 0.10)):  # docs/methods.md
            told = run_trials(250, 3101, results, rule)
            self.assertAlmostEqual(outside_of_moving(told), stated, delta=0.03, msg=rule)
            self.assertEqual(told["still"].outside, 0.0)


if __name__ == "__main__":
    unittest.main()
