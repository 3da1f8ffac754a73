"""Safety functions in numbers, against published values."""

import math
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.demand import (
    HIGH,
    HOURS_A_YEAR,
    LOW,
    Assumed,
    chi_square_quantile,
    count_bounds,
    failure_on_demand,
    incomplete_gamma,
    level_of,
    upper_rate,
)


class ChiSquare(TestCase):
    def test_quantiles_of_printed_tables(self):
        for p, dof, value in (
            (0.95, 1, 3.841), (0.95, 10, 18.307), (0.05, 10, 3.940), (0.99, 30, 50.892), (0.70, 2, 2.408), (0.95, 2, 5.991),
            (0.005, 4, 0.207), (0.95, 100, 124.342),
        ):  # fmt: skip
            with self.subTest(p=p, dof=dof):
                self.assertAlmostEqual(chi_square_quantile(p, dof), value, delta=6e-4)

    def test_with_two_degrees_it_is_the_exponential(self):
        for p in (0.001, 0.3, 0.7, 0.999):
            self.assertAlmostEqual(chi_square_quantile(p, 2), -2 * math.log(1 - p), places=9)
        self.assertEqual(incomplete_gamma(3, 0), 0)
        self.assertAlmostEqual(incomplete_gamma(1, 2.0), 1 - math.exp(-2))
        self.assertAlmostEqual(incomplete_gamma(1, 1.99999), 1 - math.exp(-1.99999))

    def test_bounds_of_a_count(self):
        none = count_bounds(0, 100, confidence=0.9)
        self.assertEqual((none.estimate, none.low), (0, 0))
        self.assertAlmostEqual(none.high, -math.log(0.05) / 100)  # the rule of three
        two = count_bounds(2, 10, confidence=0.9)  # Poisson limits of 2 at 90 %: 0.355 and 6.296
        self.assertAlmostEqual(two.low, 0.0355, delta=1e-4)
        self.assertAlmostEqual(two.high, 0.6296, delta=1e-4)
        self.assertAlmostEqual(upper_rate(0, 1e6), -math.log(0.3) / 1e6)
        for count, exposure in ((-1, 10), (0, 0)):
            with self.assertRaises(Fault):
                count_bounds(count, exposure)


def assumed(voting="", mode=LOW, **more):
    return Assumed(voting, mode, HOURS_A_YEAR, **more)


class OnDemand(TestCase):
    RATE = 1e-6
    X = 1e-6 * HOURS_A_YEAR

    def test_each_vote_by_its_simplified_equation(self):
        x = self.X
        for voting, wanted in (
            ("", x / 2),
            ("1oo1", x / 2),
            ("1oo2", x**2 / 3),
            ("2oo2", x),
            ("2oo3", x**2),
            ("1oo3", x**3 / 4),
            ("2oo4", x**3),
        ):
            with self.subTest(voting):
                self.assertAlmostEqual(failure_on_demand(self.RATE, assumed(voting)) / wanted, 1, places=12)

    def test_common_cause_counts_where_one_alone_does_not_fail_it(self):
        x = self.X
        self.assertAlmostEqual(failure_on_demand(self.RATE, assumed("1oo2", beta=0.1)), (0.9 * x) ** 2 / 3 + 0.1 * x / 2, places=14)
        self.assertAlmostEqual(failure_on_demand(self.RATE, assumed("2oo2", beta=0.1)), x, places=14)

    def test_what_a_proof_test_does_not_find_stays_until_everything_is_renewed(self):
        got = failure_on_demand(self.RATE, assumed(coverage=0.9, life_hours=20 * HOURS_A_YEAR, other=2e-3))
        self.assertAlmostEqual(got, 0.9 * self.X / 2 + 0.1 * 20 * self.X / 2 + 2e-3, places=14)

    def test_in_high_demand_it_is_a_rate(self):
        self.assertAlmostEqual(failure_on_demand(self.RATE, assumed(mode=HIGH)), 1e-6, places=18)
        got = failure_on_demand(self.RATE, assumed("1oo2", mode=HIGH, beta=0.05))
        self.assertAlmostEqual(got / ((0.95e-6) ** 2 * HOURS_A_YEAR + 0.05e-6), 1, places=12)

    def test_levels_by_their_bands_at_the_limit(self):
        for value, mode, level in (
            (0.1, LOW, 0), (0.0999, LOW, 1), (1e-2, LOW, 1), (9.99e-3, LOW, 2), (1e-3, LOW, 2), (9.9e-4, LOW, 3), (9.9e-5, LOW, 4), (1e-7, LOW, 4),
            (1e-5, HIGH, 0), (9.9e-6, HIGH, 1), (1e-6, HIGH, 1), (9.9e-7, HIGH, 2), (9.9e-9, HIGH, 4),
        ):  # fmt: skip
            with self.subTest(value=value, mode=mode):
                self.assertEqual(level_of(value, mode), level)

    def test_what_can_t_be_assumed_is_refused(self):
        for more in ({"coverage": 0}, {"beta": 1.01}, {"voting": "3oo2"}, {"voting": "two"}, {"mode": "some"}):
            with self.subTest(**more), self.assertRaises(Fault):
                assumed(**more)
        with self.assertRaises(Fault):
            failure_on_demand(-1e-9, assumed())
