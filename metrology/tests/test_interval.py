"""Intervals: staircase and drift by hand-worked numbers; never longer on too few results."""

import unittest
from dataclasses import replace
from datetime import date, timedelta

from metrology.faults import Fault
from metrology.judgement.interval import Result, drift_rates, next_due
from metrology.judgement.policy import Policy

START = date(2025, 1, 1)


def results(*found, days=100, left=0.0):
    return [Result(START + timedelta(days=n * days), f, left) for n, f in enumerate(found)]


class Intervals(unittest.TestCase):
    def days(self, rule, rows, base=100, policy=None, **more):
        due = next_due(rule, rows, base_days=base, policy=policy or Policy(), **more)
        self.assertEqual(due.on, rows[-1].on + timedelta(days=due.interval_days))
        return due

    def test_fixed(self):
        self.assertEqual(self.days("fixed", results(10)).interval_days, 100)

    def test_staircase_grows_after_three_passes_and_halves_after_a_fail(self):
        for found, expected in (
            ((10, 20), 100),
            ((10, 20, 30), 125),
            ((10, 20, 30, 10, 10), 125),
            ((10, 20, 30, 10, 10, 10), 156),
            ((10,) * 30, 200),
            ((10, 20, 130), 50),
            ((10, 20, 30, -101), 62),
            ((150,) * 10, 7),
            ((None, 10, 10), 100),
        ):
            self.assertEqual(self.days("staircase", results(*found)).interval_days, expected, found)
        self.assertIn("3 passes in a row; extended to 125 days", " ".join(self.days("staircase", results(10, 20, 30)).data))

    def test_a_steady_drift_reaches_the_tolerance_when_it_does(self):
        # Left at 0, found at +40 % of tolerance after 100 days, each time: 0.4 % a day without scatter, 250 days to 100 %.
        due = self.days("drift", results(0, 40, 40, 40), base=365)
        self.assertEqual(due.interval_days, 250)
        self.assertIn("+12.0 % of tolerance in 30 days over 3 intervals", due.why)

    def test_scatter_shortens_it_by_students_t(self):
        # Rates 0.3, 0.4, 0.5: mean 0.4, s 0.1, one-sided t(95 %, 2) = 2.920, x sqrt(4/3): 0.4 + 0.3372 = 0.7372; 100/0.7372 = 135.6.
        due = self.days("drift", results(0, 30, 40, 50), base=365)
        self.assertEqual(due.interval_days, 135)

    def test_where_it_was_left_counts_and_the_nearer_side_wins(self):
        rows = [*results(0, -40, -40, -40)[:-1], Result(START + timedelta(days=300), -40.0, -50.0)]
        self.assertEqual(drift_rates(rows), [-0.4, -0.4, -0.4])
        self.assertEqual(self.days("drift", rows, base=365).interval_days, 125)

    def test_never_longer_on_too_few_results_nor_beyond_the_longest(self):
        few = self.days("drift", results(0, 1, 1))
        self.assertEqual(few.interval_days, 100)
        self.assertIn("needs 3 intervals with as found and as left, there are 2", few.why)
        self.assertEqual(self.days("drift", results(0, 1, 1, 1)).interval_days, 200)
        self.assertEqual(self.days("drift", results(0, 0, 0, 0)).interval_days, 200)
        self.assertEqual(self.days("drift", results(0, 1, 1, 1), policy=replace(Policy(), longest_factor=1.5)).interval_days, 150)

    def test_a_sensor_s_end_comes_before_the_interval_does(self):
        self.assertEqual(self.days("signal", results(0), replace_by=START + timedelta(days=40)).interval_days, 40)
        self.assertEqual(self.days("signal", results(0), replace_by=START + timedelta(days=140)).interval_days, 100)
        self.assertIn("no forecast yet", self.days("signal", results(0)).why)
        self.assertEqual(self.days("signal", results(0), replace_by=START - timedelta(days=5)).interval_days, 7)

    def test_bad_asks(self):
        for rule, rows, code in (("moon", results(0), "unknown_rule"), ("fixed", [], "no_results")):
            with self.assertRaises(Fault) as caught:
                next_due(rule, rows, base_days=10, policy=Policy())
            self.assertEqual(caught.exception.code, code)
