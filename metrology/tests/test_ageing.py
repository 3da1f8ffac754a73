"""Courses of ageing: fits against closed forms and least squares, and what is weighed at its limits."""

from dataclasses import replace
from unittest import TestCase

from metrology.judgement.ageing import (
    CONCEIVABLE,
    EXPONENTIAL,
    INSIDE,
    LEVELLING_OFF,
    SCATTERS,
    SHAPES,
    SPEEDING_UP,
    STEADY_OR_FASTER,
    STRAIGHT,
    bands_on,
    courses_through,
    earliest_down,
    share_of,
)
from metrology.judgement.drift import fit_line
from metrology.judgement.sensor_life import TOLD_APART, _told

DAYS = (0.0, 40.0, 90.0, 150.0, 200.0)
VALUES = (100.0, 97.0, 95.5, 90.0, 89.0)


def course(kind, days=DAYS, values=VALUES, clock=1.0, power=None):
    found = [c for c in courses_through(days, values) if c.shape.kind == kind and c.shape.clock == clock]
    return next(c for c in found if power is None or c.shape.power == power)


class Fits(TestCase):
    def test_the_straight_course_is_the_line_of_least_squares_and_its_prediction(self):
        line, c = fit_line(DAYS, VALUES), course(STRAIGHT)
        for day in (0.0, 77.0, 200.0, 500.0):
            self.assertAlmostEqual(c.at(day), line.predict(day), places=9)
            self.assertAlmostEqual(c.spread(day), line.s_next(day) / line.s_residual, places=9)

    def test_each_shape_finds_the_course_it_is(self):
        for shape in SHAPES:
            ends = shape.even(100.0), shape.even(70.0)
            values = [shape.value(ends[0] + (ends[1] - ends[0]) * (d / 200) ** shape.clock) for d in DAYS]
            found = courses_through(DAYS, values)
            mine = next(c for c in found if c.shape == shape)
            for day in (0.0, 120.0, 260.0):
                truth = shape.value(ends[0] + (ends[1] - ends[0]) * (day / 200) ** shape.clock)
                self.assertAlmostEqual(mine.at(day), truth, places=5, msg=shape)
            self.assertEqual(max(found, key=lambda c: c.share / c.shape.chance).shape, shape)

    def test_an_exponential_halves_in_equal_times(self):
        c = course(EXPONENTIAL, (0.0, 50.0, 100.0), (80.0, 40.0, 20.0), power=0.0)
        self.assertAlmostEqual(c.at(150.0), 10.0, places=6)
        self.assertEqual(c.low_day(10.0001, scatter=0.0, within=50), 150.0)
        self.assertIsNone(c.low_day(10.0001, scatter=0.0, within=49))

    def test_shares_add_to_one_and_what_rises_does_not_level_off(self):
        for values in (VALUES, VALUES[::-1]):
            found = courses_through(DAYS, values)
            self.assertAlmostEqual(sum(share_of(found, k) for k in (STRAIGHT, EXPONENTIAL, SPEEDING_UP, LEVELLING_OFF)), 1.0, places=12)
        self.assertEqual(share_of(found, LEVELLING_OFF), 0.0)
        self.assertEqual({c.shape.kind for c in courses_through(DAYS, VALUES, STEADY_OR_FASTER)}, {STRAIGHT, SPEEDING_UP})


class Weighing(TestCase):
    def test_a_band_holds_its_share_of_the_scatter(self):
        c = replace(course(STRAIGHT), share=1.0, scatters=((2.0, 1.0),), covariance=(0.0, 0.0, 0.0))
        [(low, high)] = bands_on([c], [90.0], confidence=0.95)
        self.assertAlmostEqual(high - c.at(90.0), 2 * 1.959964, places=4)
        self.assertAlmostEqual(c.at(90.0) - low, 2 * 1.959964, places=4)
        self.assertAlmostEqual(c.scatter_at(0.05), 2 * 1.644854, places=4)

    def test_the_grid_is_stretched_from_a_scatter_on_that_lies_high_in_it(self):
        up_and_down = [1, -1, 1, -1, 1, -1, 1, -1]  # about a level: squares of size^2 each, but for what a line takes
        for share, is_stretched in ((0.98, False), (1.0, False), (1.02, True)):
            days = [30.0 * n for n in range(8)]
            unit = min(fit_line(days, [90.0 + s for s in up_and_down]).s_residual, 9.0)
            found = courses_through(
                days, [90.0 + share * INSIDE / unit * s for s in up_and_down], [s for s in SHAPES if s.kind == STRAIGHT]
            )
            self.assertEqual(found[0].scatters[0][0] > SCATTERS[0] * 1.000001, is_stretched, share)

    def test_a_course_is_conceivable_from_a_twentieth_on(self):
        line = replace(course(STRAIGHT), share=0.5)
        sooner = replace(course(SPEEDING_UP, clock=3.0), last=60.0)
        days = {}
        for times in (0.999, 1.0, 1.001):
            share = 0.5 / line.shape.chance * CONCEIVABLE * times * sooner.shape.chance
            days[times] = earliest_down([line, replace(sooner, share=share * (1 + 1e-12))], 50.0, confidence=0.95, within=3650)
        self.assertGreater(days[0.999], days[1.0])
        self.assertEqual(days[1.0], days[1.001])

    def test_a_kind_is_told_from_four_fifths_on(self):
        for share, kept in ((0.799, "earlier end counts"), (0.8, "likeliest is kept"), (0.801, "likeliest is kept")):
            found = [replace(c, share=0.0) for c in courses_through(DAYS, VALUES)]
            first = {c.shape.kind: n for n, c in reversed(list(enumerate(found)))}
            found[first[EXPONENTIAL]] = replace(found[first[EXPONENTIAL]], share=share)
            found[first[STRAIGHT]] = replace(found[first[STRAIGHT]], share=1 - share)
            ends = {c.shape: c.low_day(50.0, scatter=0.0, within=3650) for c in found}
            told, why = _told(found, ends)
            self.assertIn(kept, why, share)
            self.assertEqual(told.shape.kind, EXPONENTIAL if share >= TOLD_APART else STRAIGHT)
