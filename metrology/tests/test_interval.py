"""Intervals: staircase and drift by hand-worked numbers; never longer on too few results."""

import unittest
from dataclasses import replace
from datetime import date, timedelta

from metrology.faults import Fault
from metrology.judgement.interval import Result, next_due
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

    def test_found_outside_the_drift_rule_looks_again_sooner_whatever_else_it_makes_of_it(self):
        for found, most in ((100.0, 100), (100.1, 50), (-300.0, 50)):
            rows = [Result(START, 0.0, 0.0), Result(START + timedelta(days=100), found, 10.0)]
            due = self.days("drift", rows)
            self.assertLessEqual(due.interval_days, most, found)
            self.assertEqual("looked at again after 50 days at the latest" in due.why, abs(found) > 100, found)
        first = self.days("drift", [Result(START, 300.0, 0.0)])
        self.assertEqual((first.interval_days, first.why.split(":")[0]), (50, "found at +300 % of its tolerance"))
        late = self.days("drift", [Result(START, 0.0, 0.0), Result(START + timedelta(days=100), None, 0.0, is_failed=True)])
        self.assertEqual((late.interval_days, late.why.split(":")[0]), (50, "failed as found"))
        self.assertLess(self.days("drift", rows, policy=Policy(shorten_factor=0.2)).interval_days, 21)

    def test_a_fail_that_has_no_share_shortens_the_staircase_too(self):
        rows = [Result(START, 0.0, 0.0), Result(START + timedelta(days=100), None, 0.0, is_failed=True)]
        due = self.days("staircase", rows)
        self.assertEqual(due.interval_days, 50)
        self.assertIn("failed as found; shortened to 50 days", due.why)
        unread = self.days("staircase", [rows[0], Result(START + timedelta(days=100), None, 0.0)])
        self.assertEqual(unread.interval_days, 100)

    def test_a_pass_near_the_limit_does_not_make_it_longer(self):
        for found, expected in (
            ((79, 79, 79), 125),
            ((79.9, 79.9, 79.9), 125),
            ((80, 10, 10), 100),
            ((80.1, 10, 10), 100),
            ((10, 10, 81, 10, 10), 100),
            ((10, 10, 81, 10, 10, 10), 125),
        ):
            self.assertEqual(self.days("staircase", results(*found)).interval_days, expected, found)

    def test_left_outside_it_is_due_at_once_under_every_rule(self):
        for rule in ("fixed", "staircase", "drift", "signal"):
            for left, days in ((100.0, None), (100.1, 0), (-101.0, 0)):
                due = self.days(rule, results(0, 10, 10, 10, left=left))
                self.assertEqual(due.interval_days == 0, days == 0, (rule, left))
        self.assertIn("left outside its tolerance (-101 % of it)", self.days("drift", results(0, left=-101.0)).why)

    def test_a_steady_drift_is_due_before_it_reaches_the_tolerance(self):
        # Left at 0, found at +40 % of tolerance after 100 days, each time: at 0.4 % a day it would be at 100 % after 250 days.
        days = self.days("drift", results(0, 40, 40, 40, 40, 40), base=100).interval_days
        self.assertTrue(100 < days < 250, days)
        self.assertIn("% of tolerance in 30 days", self.days("drift", results(0, 40, 40, 40)).why)

    def test_a_fast_drift_shortens_it_and_where_it_was_left_counts(self):
        fast = self.days("drift", results(0, 90, 90, 90)).interval_days
        self.assertTrue(40 < fast < 100, fast)
        rows = [*results(0, 40, 40, 40)[:-1], Result(START + timedelta(days=300), 40.0, 50.0)]
        nearer = self.days("drift", rows).interval_days
        self.assertTrue(20 < nearer < self.days("drift", results(0, 40, 40, 40)).interval_days, nearer)

    def test_a_drift_that_gets_faster_is_seen(self):
        left = 0.0
        rows = [Result(START + timedelta(days=100 * n), f, left) for n, f in enumerate((0.0, 10.0, 20.0, 35.0, 55.0, 80.0))]
        steady = results(0, 40, 40, 40, 40, 40)
        self.assertLess(self.days("drift", rows).interval_days, self.days("drift", steady).interval_days)

    def test_a_still_instrument_keeps_its_interval_whatever_its_rechecks_hysteresis_and_scatter(self):
        signed = results(0, 30, -28, 31, -30, 29)
        rechecked = []
        for r in results(0, 20, -15, 25, -20):
            rechecked += [r, Result(r.on + timedelta(days=2), (r.found_percent or 0) - 18.0, 0.0)]
        unadjusted = [Result(r.on, r.found_percent, r.found_percent) for r in results(25, 5, 30, 8, 27, 6)]
        for rows in (signed, rechecked, unadjusted):
            self.assertGreaterEqual(self.days("drift", rows).interval_days, 100)

    def test_scatter_that_no_interval_cures_is_said_and_does_not_shorten_it(self):
        due = self.days("drift", results(0, 95, -90, 98, -97, 94, -99, 96))
        self.assertEqual(due.interval_days, 100)
        self.assertIn("a shorter interval does not cure", due.why)

    def test_never_longer_on_too_few_results_nor_beyond_the_longest(self):
        self.assertEqual(self.days("drift", results(0)).interval_days, 100)
        self.assertEqual(self.days("drift", results(0, 1, 1)).interval_days, 100)
        self.assertIn("needs 3 intervals to be made longer", self.days("drift", results(0, 1, 1)).why)
        grown = self.days("drift", results(0, 1, 1, 1)).interval_days
        self.assertTrue(100 < grown <= 200, grown)
        self.assertEqual(self.days("drift", results(*[0] * 9)).interval_days, 200)
        self.assertEqual(self.days("drift", results(*[0] * 9), policy=replace(Policy(), longest_factor=1.5)).interval_days, 150)

    def test_what_was_read_on_one_day_and_far_outside_gives_a_day(self):
        rows = [Result(START, 0.0, 0.0), Result(START, 5000.0, 0.0), Result(START + timedelta(days=1), -5000.0, 0.0)]
        self.assertTrue(7 <= self.days("drift", rows).interval_days <= 100)

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
