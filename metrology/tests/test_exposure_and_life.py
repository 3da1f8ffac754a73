"""Exposures classed by their trace, and a sensor's life foretold."""

import math
import random
import unittest

from metrology.calculators import calculate
from metrology.faults import Fault
from metrology.judgement.exposure import Stimulus, alarms_seen, exposure_rule, inhibit_dropped, judge_exposure, purge_seconds
from metrology.judgement.sensor_life import SignalPoint, forecast, remaining_life
from metrology.judgement.settling import SettleRule

RULE = SettleRule(40.0, 0.5, 240.0)
SPAN = Stimulus(0.0, 50.0, 100.0, "%LEL", 10.0)


def trace(shape, seconds=90, noise=0.02, start=1000.0):
    rng = random.Random(3)
    return [(start + n / 2, shape(n / 2) + rng.gauss(0, noise)) for n in range(2 * seconds)]


def rise(to, t90=10.0):
    return lambda t: to * (1 - math.exp(-t * math.log(10) / t90))


class Exposures(unittest.TestCase):
    def judge(self, shape, stimulus=SPAN, seconds=90, noise=0.02, **more):
        return judge_exposure(trace(shape, seconds, noise), RULE, stimulus, since=1000.0, **more)

    def test_the_window_follows_the_clock_or_the_sensor(self):
        slow, quick = (exposure_rule(t, window_s=40, times_t90=2, give_up_s=240, limit=1) for t in (60.0, 5.0))
        self.assertEqual((slow.window_s, slow.time_limit_s), (120, 360))
        self.assertEqual((quick.window_s, quick.time_limit_s), (40, 240))

    def test_the_four_classes(self):
        cases = (
            (rise(49.0), 90, 0.02, "ok"),
            (rise(0.5), 90, 0.02, "no response"),
            (rise(20.0), 90, 0.02, "out of acceptance"),
            (rise(49.0), 280, 3.0, "unstable"),
            (rise(49.0), 20, 0.02, "waiting"),
        )
        for shape, seconds, noise, kind in cases:
            self.assertEqual(self.judge(shape, seconds=seconds, noise=noise).kind, kind)

    def test_t90_is_timed_and_slowness_said(self):
        self.assertAlmostEqual(self.judge(rise(50.0)).t90_s, 10.0, delta=0.6)
        self.assertTrue(self.judge(rise(50.0, t90=25.0)).has("slow"))

    def test_t90_is_told_once_it_stands_and_not_while_it_rises(self):
        rule, stimulus = exposure_rule(10.0, window_s=40, times_t90=2, give_up_s=240, limit=0.5), Stimulus(0.0, 50.0, 100.0, "%LEL", 10.0)
        samples = [(t / 2, 50.0 * (1 - math.exp(-t / 2 / 4.34))) for t in range(1, 240)]
        self.assertIsNone(judge_exposure(samples[:50], rule, stimulus, since=0.0).t90_s)
        self.assertAlmostEqual(judge_exposure(samples, rule, stimulus, since=0.0).t90_s, 10.0, delta=0.6)

    def test_a_forced_peak_is_not_the_reading(self):
        seen = self.judge(lambda t: rise(50.0)(t) + 12 * math.exp(-(((t - 12) / 6) ** 2)))
        self.assertEqual(seen.kind, "ok")
        self.assertTrue(seen.has("overshoot"))
        self.assertAlmostEqual(seen.plateau, 50.0, delta=0.3)

    def test_gas_lost_half_way_is_recognised(self):
        seen = self.judge(lambda t: rise(50.0)(t) if t < 30 else 50 * math.exp(-(t - 30) / 8), seconds=50)
        self.assertTrue(seen.has("gas-lost"))

    def test_gas_at_zero_and_a_negative_zero(self):
        zero = Stimulus(0.0, 0.0, 100.0, "%LEL", 10.0, is_zero=True)
        self.assertTrue(self.judge(lambda t: 7.0, zero).has("background"))
        self.assertTrue(self.judge(lambda t: -6.0, zero).has("negative-zero"))
        self.assertEqual(self.judge(lambda t: 0.3, zero).remarks, ())

    def test_frozen_warming_up_over_range_and_wrong_gas(self):
        self.assertTrue(self.judge(lambda t: 3.0, noise=0.0).has("frozen"))
        self.assertTrue(self.judge(rise(50.0), status=[(1000.0, 1)]).has("warming-up"))
        self.assertTrue(self.judge(rise(120.0)).has("over-range"))
        self.assertTrue(self.judge(rise(20.0)).has("wrong-gas"))
        self.assertTrue(self.judge(lambda t: 0.1).has("no-gas"))

    def test_the_inhibit_is_watched_and_alarms_are_dated(self):
        self.assertIsNone(inhibit_dropped([(0, 3.0), (1, 3.05)], inhibit_ma=3.0, band_ma=0.2))
        self.assertEqual(inhibit_dropped([(0, 3.0), (1, 12.0)], inhibit_ma=3.0, band_ma=0.2), 12.0)
        samples = [(float(t), 5.0 * t) for t in range(11)]
        status = [(float(t), 8 if 4 <= t < 8 else 24 if t >= 8 else 0) for t in range(11)]
        self.assertEqual(alarms_seen(samples, status, first_bit=3, set_points=[20.0, 40.0, 60.0]), {0: 20.0, 1: 40.0})

    def test_an_alarm_between_two_looks_is_not_late_by_the_looking(self):
        samples = [(float(t), 10.0 * t) for t in range(6)]
        status = [(0.0, 0.0), (2.0, 0.0), (4.0, 8.0)]  # it came somewhere between 20 and 40
        for set_point, came in ((30.0, 30.0), (20.0, 20.0), (19.0, 20.0), (41.0, 40.0)):
            self.assertEqual(alarms_seen(samples, status, first_bit=3, set_points=[set_point]), {0: came})

    def test_purging_counts_from_the_last_reading_above(self):
        self.assertIsNone(purge_seconds([(0, 9.0), (1, 8.0)], below=3.0))
        self.assertEqual(purge_seconds([(0, 9.0), (1, 2.0), (2, 1.0), (5, 0.5)], below=3.0), 5)


class Life(unittest.TestCase):
    def test_a_straight_decline_reaches_its_end_when_the_line_does(self):
        points = [SignalPoint(90.0 * n, 1.0 - 0.1 * n + 0.002 * (-1) ** n) for n in range(5)]
        told = forecast(points, end_percent=40.0)
        self.assertAlmostEqual(told.ends_day, 540.0, delta=12)
        self.assertLess(told.earliest_day, told.ends_day)
        self.assertIn("As of the last calibration 60 %", told.says)

    def test_a_course_is_kept_once_it_is_told_from_the_others(self):
        days = [90.0 * n for n in range(8)]
        for kind, course in (
            ("exponential", lambda d: math.exp(-d / 360)),
            ("straight line", lambda d: 1 - d / 750),
            ("speeding up", lambda d: 1 - (d / 750) ** 2),
            ("levelling off", lambda d: 0.3 + 0.7 * math.exp(-d / 120)),
        ):
            told = forecast([SignalPoint(d, course(d)) for d in days], end_percent=10.0)
            self.assertEqual(told.model, kind)
            self.assertIn("the likeliest is kept", told.criterion)

    def test_while_the_shape_is_open_the_earlier_end_counts(self):
        open_shape = [SignalPoint(90.0 * n, 1 - 0.03 * n + 0.004 * (-1) ** n) for n in range(4)]
        told = forecast(open_shape, end_percent=40.0)
        self.assertIn("can't be told apart", told.criterion)
        self.assertEqual(told.model, "straight line")  # an exponential flattens out and ends later
        self.assertLess(told.earliest_day, told.ends_day)

    def test_three_results_on_a_line_do_not_tell_the_day(self):
        told = forecast([SignalPoint(90.0 * n, 1 - 0.05 * n) for n in range(3)], end_percent=50.0)
        self.assertEqual(told.ends_day, 900.0)
        self.assertLess(told.earliest_day, 500.0)  # on a course that speeds up it ends long before
        self.assertGreater(told.at_end[1] - told.at_end[0], 10.0)

    def test_scatter_beyond_what_is_usual_is_counted_with(self):
        widths = []
        for size in (1, 5, 20):  # in steps that the grid of scatters holds, and beyond it
            told = forecast([SignalPoint(60.0 * n, 100 - n + size * (-1) ** n) for n in range(8)], end_percent=40.0, first=100.0)
            _, low, _, high = told.band[10]
            widths.append(high - low)
        self.assertGreater(widths[0], 4)
        self.assertGreater(widths[1], 20)
        self.assertGreater(widths[2], 70)

    def test_a_fall_that_gets_faster_is_seen(self):
        told = forecast([SignalPoint(90.0 * n, v) for n, v in enumerate((100, 99, 96.1, 90.8, 83.9, 75))], end_percent=40.0)
        self.assertEqual(told.model, "speeding up")
        self.assertAlmostEqual(told.ends_day, 450 * math.sqrt(60 / 25), delta=20)
        self.assertLess(told.earliest_day, told.ends_day)

    def test_a_result_at_the_end_is_the_end_whatever_the_courses_say(self):
        for last, ended in ((50.1, False), (50.0, True), (0.0, True)):
            told = forecast([SignalPoint(90.0 * n, v) for n, v in enumerate((100, 99, 98, last))], end_percent=50.0)
            self.assertEqual((told.ends_day == 270.0 == told.earliest_day, "replace it" in told.says), (ended, ended), last)
        two = forecast([SignalPoint(0, 100), SignalPoint(90, 45)], end_percent=50.0)
        self.assertEqual((two.ends_day, two.earliest_day), (90, 90))
        self.assertIn("replace it", two.says)

    def test_whatever_the_results_no_day_is_before_the_last_and_none_is_certain_after_it_is_expected(self):
        rng = random.Random(11)
        for n in range(400):
            days = sorted(rng.choice((rng.uniform(0, 2000), rng.randrange(6))) for _ in range(rng.choice((3, 4, 7))))
            lasting = rng.choice((lambda d: 100 - d * 0.05, lambda d: 100 + d * 0.6, lambda d: 10 ** rng.uniform(-6, 6), lambda d: 100.0))
            values = [lasting(d) * math.exp(rng.gauss(0, 0.02)) for d in days]
            with self.subTest(n=n, days=days, values=values):
                told = forecast([SignalPoint(d, v) for d, v in zip(days, values, strict=True)], end_percent=40.0, first=100.0)
                if told.ends_day is not None:
                    self.assertTrue(days[-1] <= told.earliest_day <= told.ends_day)
                self.assertTrue(all(math.isfinite(x) for row in told.band for x in row))
                self.assertTrue(all(0 <= low <= high for _, low, _, high in told.band))

    def test_results_of_two_days_alone_tell_their_line(self):
        told = forecast([SignalPoint(0, 100), SignalPoint(0, 101), SignalPoint(100, 90)], end_percent=50.0)
        self.assertLess(told.earliest_day, told.ends_day)
        one_day = forecast([SignalPoint(5, 100), SignalPoint(5, 101), SignalPoint(5, 99)], end_percent=50.0)
        self.assertEqual((one_day.ends_day, one_day.band), (None, ()))
        self.assertIn("there are 3 on 1", one_day.says)

    def test_the_door_for_checking(self):
        rows = [{"day": 90.0 * n, "percent": 100 - 10 * n + 0.2 * (-1) ** n} for n in range(5)]
        told = calculate("sensor-life", {"results": rows, "end_percent": 40})
        self.assertAlmostEqual(told["expected_day"], 540.0, delta=12)
        self.assertLess(told["not_before_day"], told["expected_day"])
        self.assertTrue(told["band_low"] < 40 < told["band_high"], told)
        few = calculate("sensor-life", {"results": rows[:2], "end_percent": 40})
        self.assertEqual((few["expected_day"], few["not_before_day"], few["model"]), (None, None, "too few results"))
        for bad in (
            {"results": rows, "end_percent": 4.9},
            {"results": rows, "end_percent": 95.1},
            {"results": [{"day": 0, "percent": 0}], "end_percent": 40},
        ):
            with self.assertRaises(Fault):
                calculate("sensor-life", bad)

    def test_no_date_on_few_results_or_without_decline(self):
        few = forecast([SignalPoint(0, 1.0), SignalPoint(90, 0.9)], end_percent=40)
        self.assertIsNone(few.ends_day)
        self.assertIn("needs 3 results", few.says)
        steady = forecast([SignalPoint(90.0 * n, 1.0 + 0.001 * n) for n in range(5)], end_percent=40)
        self.assertIsNone(steady.ends_day)

    def test_remaining_life_and_a_sensor_past_its_end(self):
        self.assertEqual(remaining_life(100.0, end_percent=40.0), 100.0)
        self.assertEqual(remaining_life(70.0, end_percent=40.0), 50.0)
        spent = forecast([SignalPoint(90.0 * n, 1.0 - 0.2 * n) for n in range(4)], end_percent=45.0)
        self.assertIn("replace it", spent.says)
        with self.assertRaises(Fault):
            forecast([], end_percent=40.0)
