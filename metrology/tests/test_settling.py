"""Settling: slope and spread over a window against limits, the time limit, peak, T90, classes of response."""

import math
import random
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.settling import SettleRule, classify_response, judge_settling, line_through, settle_words

RULE = SettleRule(window_s=5.0, limit=0.01, time_limit_s=60.0)


def trace(value, until, *, step=0.1, noise=0.0, seed=1):
    rng = random.Random(seed)
    return [(n * step, value(n * step) + rng.gauss(0, noise)) for n in range(int(until / step) + 1)]


class Settling(TestCase):
    def test_a_lag_settles_when_its_tail_moves_less_than_the_limit_in_the_window(self):
        # 4 mA change, time constant 2 s: slope over the last 5 s falls under 0.01/5 s only after about 6 constants.
        rise = lambda t: 8.0 - 4.0 * math.exp(-t / 2.0)  # noqa: E731
        self.assertEqual(judge_settling(trace(rise, 8), RULE, since=0).status, "not yet")
        late = judge_settling(trace(rise, 25), RULE, since=0)
        self.assertEqual(late.status, "settled")
        self.assertAlmostEqual(late.mean, 8.0, places=3)
        self.assertAlmostEqual(late.t90_s, 2.0 * math.log(10), delta=0.1)
        self.assertIn(late.n, (50, 51))

    def test_a_window_that_is_not_full_is_never_settled(self):
        flat = judge_settling(trace(lambda t: 4.0, 4.0), RULE, since=0)
        self.assertEqual(flat.status, "not yet")
        self.assertEqual(judge_settling(trace(lambda t: 4.0, 5.2), RULE, since=0).status, "settled")
        # the same samples, but the stimulus changed a second ago
        self.assertEqual(judge_settling(trace(lambda t: 4.0, 5.2), RULE, since=4.2).status, "not yet")

    def test_noise_and_creep_each_keep_it_from_settling(self):
        self.assertEqual(judge_settling(trace(lambda t: 4.0, 20, noise=0.02), RULE, since=0).status, "not yet")
        self.assertEqual(judge_settling(trace(lambda t: 4.0, 20, noise=0.002), RULE, since=0).status, "settled")
        self.assertEqual(judge_settling(trace(lambda t: 4.0 + 0.004 * t, 20), RULE, since=0).status, "not yet")
        self.assertEqual(judge_settling(trace(lambda t: 4.0 + 0.001 * t, 20), RULE, since=0).status, "settled")

    def test_not_settled_by_the_time_limit_is_unstable(self):
        swinging = trace(lambda t: 4.0 + 0.1 * math.sin(t), 61)
        settle = judge_settling(swinging, RULE, since=0)
        self.assertEqual(settle.status, "unstable")
        self.assertIn("Not settled after 61 s", settle_words(settle, RULE, "mA"))

    def test_the_peak_is_told_apart_from_the_plateau(self):
        over = trace(lambda t: 10.0 + 3.0 * math.exp(-((t - 2) ** 2)) - 6.0 * math.exp(-t), 30)
        settle = judge_settling(over, RULE, since=0)
        self.assertGreater(settle.peak, 12.0)
        self.assertAlmostEqual(settle.mean, 10.0, places=3)

    def test_no_samples_is_said(self):
        settle = judge_settling([], RULE, since=0)
        self.assertEqual(settle.status, "no data")
        self.assertEqual(settle_words(settle, RULE, "mA"), "No samples yet.")

    def test_the_line_is_the_least_squares_one(self):
        mean, slope, sd = line_through([(0, 1.0), (1, 3.0), (2, 5.0), (3, 7.5)])
        self.assertAlmostEqual(mean, 4.125)
        self.assertAlmostEqual(slope, 2.15)
        # residuals 0.1, -0.05, -0.2, 0.15: sum of squares 0.075, two degrees of freedom
        self.assertAlmostEqual(sd, math.sqrt(0.075 / 2))

    def test_rules_that_make_no_sense_are_refused(self):
        for bad in ((0, 0.1, 10), (5, 0, 10), (5, 0.1, 5)):
            with self.subTest(bad=bad), self.assertRaises(Fault):
                SettleRule(*bad)


class Classes(TestCase):
    def test_each_class(self):
        for moved, expected, error, settled, want in (
            (3.9, 4.0, 0.1, True, "ok"),
            (0.39, 4.0, 3.6, True, "no response"),
            (0.41, 4.0, 3.6, False, "unstable"),
            (8.5, 4.0, 4.5, True, "out of acceptance"),
            (0.0, 0.0, 0.1, True, "ok"),
        ):
            with self.subTest(moved=moved):
                self.assertEqual(classify_response(moved, expected, error=error, acceptance=4.0, is_settled=settled), want)


class Words(TestCase):
    def test_numbers_are_told_in_plain_figures_fine_enough_for_the_limit(self):
        for limit, told in ((0.008, "limit 0.008 mA"), (0.25, "limit 0.25 mA"), (5.0, "limit 5 mA"), (40.0, "limit 40 mA")):
            with self.subTest(limit=limit):
                rule = SettleRule(window_s=5.0, limit=limit, time_limit_s=60.0)
                words = settle_words(judge_settling(trace(lambda t: 8.0 + 1e-6 * t, 10), rule, since=0), rule, "mA")
                self.assertIn(told, words)
                self.assertNotIn("e-", words)
