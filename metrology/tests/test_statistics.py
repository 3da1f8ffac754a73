"""Zero and span error, linearity and the rest of IEC 61298-2, worked out by hand, for rising and falling outputs."""

from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.errors import DOWN, UP, is_falling, measure_point, statistics
from metrology.quantities.transfer import Transfer


def points(errors, *, kind="linear", applied=(0.0, 25.0, 50.0, 75.0, 100.0), direction=UP, cycle=1):
    """Readings with these errors in percent of span, on a 0 to 100 range and 4 to 20 mA."""
    transfer, out = Transfer(kind), []
    for a, e in zip(applied, errors, strict=True):
        ideal = 4 + 0.16 * (100 - a if kind == "reverse" else a)
        out.append(
            measure_point(
                a, ideal + 0.16 * e, lrv=0, urv=100, transfer=transfer, output_lo=4, output_hi=20, direction=direction, cycle=cycle
            )
        )
    return out


class ZeroAndSpan(TestCase):
    def test_of_a_rising_output(self):
        s = statistics(points([0.2, 0.3, 0.4, 0.5, 0.6]))
        self.assertAlmostEqual(s.zero_error, 0.2)
        self.assertAlmostEqual(s.span_error, 0.4)
        self.assertAlmostEqual(s.linearity_terminal, 0.0)

    def test_of_a_falling_output_they_are_still_those_at_lrv_and_from_lrv_to_urv(self):
        made = points([0.2, 0.3, 0.4, 0.5, 0.6], kind="reverse")
        self.assertTrue(is_falling(made))
        s = statistics(made)
        self.assertAlmostEqual(s.zero_error, 0.2)
        self.assertAlmostEqual(s.span_error, 0.4)
        self.assertAlmostEqual(s.max_error, 0.6)

    def test_points_that_stop_short_of_the_ends_are_carried_on_along_the_terminal_line(self):
        s = statistics(points([0.1, 0.5, 0.9], applied=(10.0, 50.0, 90.0)))
        self.assertAlmostEqual(s.zero_error, 0.0)
        self.assertAlmostEqual(s.span_error, 1.0)

    def test_the_largest_error_keeps_its_sign(self):
        self.assertAlmostEqual(statistics(points([0.1, -0.7, 0.2, 0.3, 0.6])).max_error, -0.7)


class Linearity(TestCase):
    BOW = [0.0, 0.6, 0.8, 0.6, 0.0]

    def test_a_bow_by_hand(self):
        # Terminal: 0.8 from the line through the ends. Independent: half of the strip between 0 and 0.8.
        for kind in ("linear", "reverse"):
            with self.subTest(kind=kind):
                s = statistics(points(self.BOW, kind=kind))
                self.assertAlmostEqual(s.linearity_terminal, 0.8)
                self.assertAlmostEqual(s.linearity_independent, 0.4)

    def test_zero_based_is_held_at_lrv_whichever_way_the_output_runs(self):
        # A line from LRV: 0.6 at a quarter and 0 at URV, least largest distance d with 0.6 - s 0.25 = d, 0.8 - s 0.5 = d', s = d at URV.
        rising, falling = (statistics(points(self.BOW, kind=k)).linearity_zero_based for k in ("linear", "reverse"))
        self.assertAlmostEqual(rising, falling)
        self.assertTrue(0.4 <= rising <= 0.8)
        skewed = [0.0, 0.1, 0.2, 0.3, 0.9]
        a, b = (statistics(points(skewed, kind=k)).linearity_zero_based for k in ("linear", "reverse"))
        self.assertAlmostEqual(a, b)

    def test_the_kinds_are_ordered(self):
        for errors in ([0.0, 0.3, -0.2, 0.5, 0.1], [0.5, 0.1, 0.0, 0.2, 0.9], [-1.0, 0.0, 0.3, 0.4, 0.2]):
            s = statistics(points(errors))
            self.assertLessEqual(s.linearity_independent, s.linearity_zero_based + 1e-9)
            self.assertLessEqual(s.linearity_independent, s.linearity_terminal + 1e-9)


class UpAndDown(TestCase):
    def test_hysteresis_is_the_widest_gap_of_the_means(self):
        up = points([0.0, 0.1, 0.2, 0.1, 0.0])
        down = points([0.0, 0.4, 0.8, 0.4, 0.0], direction=DOWN)
        self.assertAlmostEqual(statistics(up + down).hysteresis, 0.6)
        self.assertIsNone(statistics(up).hysteresis)

    def test_repeatability_is_the_widest_spread_over_the_cycles_in_one_direction(self):
        one, two = points([0.0, 0.1, 0.2, 0.1, 0.0]), points([0.1, 0.1, 0.5, 0.1, 0.0], cycle=2)
        down = points([0.9, 0.9, 0.9, 0.9, 0.9], direction=DOWN)
        self.assertAlmostEqual(statistics(one + two + down).repeatability, 0.3)
        self.assertIsNone(statistics(one + down).repeatability)


class Degenerate(TestCase):
    def test_one_place_gives_no_line(self):
        with self.assertRaises(Fault) as caught:
            statistics(points([0.1, 0.2], applied=(50.0, 50.5)))
        self.assertEqual(caught.exception.code, "too_few_points")
