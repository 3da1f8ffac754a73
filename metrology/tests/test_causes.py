"""Causes weighed against each other: the arithmetic of the evidence, each name, what is left open and what would tell."""

import math
import random
from dataclasses import replace
from unittest import TestCase

from metrology.calculators import calculate
from metrology.faults import Fault
from metrology.judgement.causes.evidence import Design, log_size, mix
from metrology.judgement.causes.explain import NONE, explain
from metrology.judgement.causes.naming import find_signatures, side_of, with_sides, would_tell
from metrology.judgement.causes.rows import Curve
from metrology.judgement.errors import measure_point
from metrology.quantities.transfer import Transfer
from tools import cause_trials

FIVE = (0.0, 25.0, 50.0, 75.0, 100.0)
ROOT, REVERSE = Transfer("sqrt"), Transfer("reverse")


def ways(points=FIVE, both=True):
    return [(p, "up") for p in points] + ([(p, "down") for p in reversed(points)] if both else [])


def curve(error, *, tolerance=0.5, transfer=None, points=FIVE, both=True, unit="kPa", urv=100.0, noise=0.004, **more):
    """Readings whose output is off by error(n, percent, way) in % of span, with a little noise as on a meter."""
    rng, t = random.Random(5), transfer or Transfer()
    made = []
    for n, (p, way) in enumerate(ways(points, both)):
        ideal = measure_point(p / 100 * urv, 0.0, lrv=0, urv=urv, transfer=t, output_lo=4, output_hi=20).ideal
        out = ideal + 0.16 * error(n, p, 1 if way == "down" else -1) + rng.gauss(0, 0.16 * noise)
        made.append(measure_point(p / 100 * urv, out, lrv=0, urv=urv, transfer=t, output_lo=4, output_hi=20, direction=way))
    return Curve(tuple(made), tolerance, t, 0, urv, unit, **more)


def hump(p):
    return p / 100 * (1 - p / 100) * 4


class Evidence(TestCase):
    def test_it_is_that_of_the_whole_covariance(self):
        """Two readings, one shape: the normal density with the covariance written out."""
        design = Design([0.3, -0.1], [(1.0,), (2.0,)], [0.5])
        a, b, c = 0.04 + 0.25, 0.5, 0.04 + 1.0  # noise 0.2: its square, and 0.5^2 times the products of the shape
        det = a * c - b * b
        square = (c * 0.09 - 2 * b * 0.3 * -0.1 + a * 0.01) / det
        self.assertAlmostEqual(design.at(0.2).healthy, -0.5 * (square + math.log(det)) - math.log(2 * math.pi), places=10)

    def test_free_faults_are_fitted_as_by_generalised_least_squares(self):
        design = Design([0.3, -0.1, 0.2], [(1.0, 0.0), (1.0, 1.0), (1.0, 2.0)], [1e-6, 1e-6])
        at = design.at(0.1).weigh([[1, 0], [0, 1]])
        size, gain, width = at.one(0)
        self.assertAlmostEqual(size, 0.4 / 3, places=6)
        self.assertAlmostEqual(gain, 0.5 * 0.4**2 / 3 / 0.01, places=4)
        self.assertAlmostEqual(width, 0.5 * math.log(2 * math.pi * 0.01 / 3), places=6)
        a, b, gain, _ = at.two(0, 1)
        self.assertAlmostEqual(a, 0.4 / 3 + 0.05, places=6)  # the line through them: slope -0.05
        self.assertAlmostEqual(b, -0.05, places=6)
        self.assertAlmostEqual(at.misfit - gain, 0.5 * (0.11667**2 + 0.23333**2 + 0.11667**2) / 0.01, places=2)

    def test_one_reading_is_held_by_the_others(self):
        at = Design([0.0, 0.0, 1.0, 0.0], [(1.0,)] * 4, [0.1]).at(0.1).weigh([[1]])
        self.assertEqual(at.doubtful(1), [2])
        odd = at.reading(2)
        self.assertAlmostEqual(odd.size, 1.0, places=6)
        a, b, _, _ = at.beside(odd, 0)
        self.assertAlmostEqual(a, 1.0, places=6)
        self.assertAlmostEqual(b, 0.0, places=6)

    def test_what_can_not_be_told_apart_has_no_size(self):
        at = Design([0.3, -0.1], [(1.0, 2.0), (2.0, 4.0)], [0.1, 0.1]).at(0.1).weigh([[1, 0], [0, 1]])
        self.assertEqual(at.two(0, 1), (0.0, 0.0, 0.0, 0.0))

    def test_a_size_is_as_likely_either_way_and_its_density_is_one_in_all(self):
        self.assertEqual(log_size(0.7, about=2, spread=0.9), log_size(-0.7, about=2, spread=0.9))
        step = 0.001
        whole = sum(2 * step * math.exp(log_size(step * k, about=2, spread=0.5)) for k in range(1, 40_000))
        self.assertAlmostEqual(whole, 1.0, places=3)
        self.assertAlmostEqual(mix([math.log(0.2), math.log(0.3)]), math.log(0.5))
        self.assertEqual(mix([]), -math.inf)


class Names(TestCase):
    def first(self, c):
        return explain(c).candidates[0].code

    def test_each_fault_by_its_own_name(self):
        faults = {
            "zero-shift": lambda n, p, way: 0.7,
            "span-error": lambda n, p, way: -1.1 * p / 100,
            "linearity": lambda n, p, way: 0.9 * hump(p),
            "hysteresis": lambda n, p, way: 0.5 * way * hump(p),
            "friction": lambda n, p, way: 0.4 * way,
            "time-drift": lambda n, p, way: -0.12 * n,
            "outlier": lambda n, p, way: 1.2 if n == 6 else 0.0,
            "saturation": lambda n, p, way: -max(0.0, p - 88.0),
            "range-mismatch": lambda n, p, way: 25.0 * p / 100,
            "reversed": lambda n, p, way: 100 - 2 * p,
            "scatter": lambda n, p, way: (0.4, -0.9, 0.7, -0.2, 1.1, -0.8, 0.5, -0.9, 0.9, -0.6)[n],
        }
        for code, error in faults.items():
            with self.subTest(code=code):
                self.assertEqual(self.first(curve(error)), code)

    def test_faults_of_the_sensor_under_a_square_root_and_on_reverse_action(self):
        def at_output(of_input):
            return lambda n, p, way: 100 * (math.sqrt(max(0.0, p / 100 + of_input(n, p, way) / 100)) - math.sqrt(p / 100))

        for code, of_input in (
            ("zero-shift", lambda n, p, way: 0.9),
            ("span-error", lambda n, p, way: 1.6 * p / 100),
            ("time-drift", lambda n, p, way: 0.15 * n),
            ("friction", lambda n, p, way: 0.6 * way),
        ):
            with self.subTest(code=code):
                self.assertEqual(self.first(curve(at_output(of_input), transfer=ROOT)), code)
                self.assertEqual(self.first(curve(lambda n, p, way, f=of_input: -f(n, p, way), transfer=REVERSE)), code)

    def test_roots_missing_doubled_and_where_none_belongs(self):
        for transfer, error in (
            (ROOT, lambda n, p, way: p - 100 * math.sqrt(p / 100)),
            (ROOT, lambda n, p, way: 100 * ((p / 100) ** 0.25 - (p / 100) ** 0.5)),
            (Transfer(), lambda n, p, way: 100 * math.sqrt(p / 100) - p),
            (Transfer(), lambda n, p, way: 100 * (p / 100) ** 2 - p),
            (REVERSE, lambda n, p, way: p - 100 * math.sqrt(p / 100)),
        ):
            self.assertEqual(self.first(curve(error, transfer=transfer)), "transfer-mismatch")

    def test_another_unit_is_named_with_both(self):
        found = find_signatures(curve(lambda n, p, way: 1.97162 * p / 100, tolerance=0.2, unit="bar", urv=10.0))
        self.assertEqual(found[0].code, "unit-mismatch")
        self.assertIn("kg/cm2 instead of bar", found[0].says)

    def test_another_range_with_its_ends(self):
        for a, b in ((0, 160), (0, 50), (20, 100), (-20, 100), (0, 200)):
            with self.subTest(low=a, high=b):
                found = find_signatures(curve(lambda n, p, way, a=a, b=b: min(103.1, 100 * (p - a) / (b - a)) - p))
                self.assertEqual(found[0].code, "range-mismatch")
                self.assertIn(f"a {a} to {b} kPa range", found[0].says)

    def test_two_at_once_are_both_named(self):
        c = curve(lambda n, p, way: 1.0 + 0.6 * way * hump(p))
        self.assertEqual({k.code for k in explain(c).candidates[:2]}, {"zero-shift", "hysteresis"})
        one_sided = find_signatures(curve(lambda n, p, way: 0.9 + (1.0 * hump(p) if way > 0 else 0.0)))
        self.assertEqual({s.code for s in one_sided[:2]}, {"zero-shift", "hysteresis"})
        self.assertRegex(
            next(s.says for s in one_sided if s.code == "zero-shift"), r"about \+0\.(8[5-9]|9[0-5]) %"
        )  # not half of the hysteresis with it
        clipped = curve(lambda n, p, way: max(-2.0, -0.6 - p))  # shifted down, and held at its lower end
        self.assertEqual({k.code for k in explain(clipped).candidates[:2]}, {"zero-shift", "saturation"})

    def test_an_output_that_does_not_move_is_stuck(self):
        for at in (0.0, 50.0, -20.0):
            found = find_signatures(curve(lambda n, p, way, at=at: at - p))
            self.assertEqual(found[0].code, "saturation")
            self.assertIn("whatever is applied", found[0].says)

    def test_an_end_of_its_own_is_held_and_a_kink_is_linearity(self):
        self.assertEqual(self.first(curve(lambda n, p, way: -1.25 if p == 0 else 0.0)), "saturation")
        self.assertEqual(self.first(curve(lambda n, p, way: {25: 1.4, 75: 1.2, 50: -0.9}.get(p, 0.0))), "linearity")

    def test_nothing_is_named_up_to_six_tenths_of_the_tolerance(self):
        for error, is_named in ((0.299, False), (0.3, False), (0.36, True)):
            self.assertEqual(bool(find_signatures(curve(lambda n, p, way, e=error: e, noise=0.0))), is_named, error)
        for gap, is_named in ((0.39, False), (0.44, True)):
            self.assertEqual(bool(find_signatures(curve(lambda n, p, way, g=gap: 0.5 * g * way, noise=0.0))), is_named, gap)

    def test_fewer_than_three_readings_or_two_levels_give_none(self):
        c = curve(lambda n, p, way: 3.0)
        for points in (c.points[:2], (c.points[0], c.points[0], c.points[-1])):
            self.assertEqual(explain(replace(c, points=points)).candidates[0].code, NONE)
        self.assertEqual(explain(replace(c, points=c.points[:3])).candidates[0].code, "zero-shift")

    def test_the_reading_that_is_off_is_named_by_its_own_place(self):
        """A square root leaves out what reads nothing at nothing; the others keep their numbers."""
        for transfer in (Transfer(), ROOT, REVERSE):
            for n, (percent, _) in enumerate(ways()):
                if 0 < percent < 100:
                    (found, *_) = find_signatures(curve(lambda k, p, way, at=n: 2.0 if k == at else 0.0, transfer=transfer))
                    self.assertEqual(found.code, "outlier", (transfer, n))
                    self.assertIn(f"typing mistake at {percent:.0f} %", found.says)
                    self.assertRegex(found.evidence[0], rf"^Reading {n + 1} is \+(1\.9\d|2\.0\d) %")

    def test_what_was_applied_far_outside_the_range_is_not_explained(self):
        c = curve(lambda n, p, way: 3.0)
        for fraction, is_named in ((1.49, True), (1.5, True), (1.51, False), (-0.51, False)):
            odd = replace(c.points[-1], fraction=fraction, ideal_percent=100 * fraction)
            self.assertEqual(explain(replace(c, points=(*c.points[:-1], odd))).candidates[0].code != NONE, is_named, fraction)

    def test_numbers_beyond_all_measure_give_an_answer(self):
        for size in (1e3, 1e6, 1e9, 1e12):
            for tolerance in (1e-6, 0.5, 1e4):
                for transfer in (Transfer(), ROOT, REVERSE, Transfer("table", table=((0.0, 0.0), (50.0, 30.0), (100.0, 100.0)))):
                    c = curve(lambda n, p, way, s=size: s * (-1) ** n * (p + 1), tolerance=tolerance, transfer=transfer)
                    self.assertAlmostEqual(sum(k.share for k in explain(c).candidates), 1.0)
                    find_signatures(c)
                    would_tell(c)

    def test_shares_are_of_one_whole(self):
        for error in (lambda n, p, way: 0.7, lambda n, p, way: 1.0 + 0.6 * way * hump(p), lambda n, p, way: (-1) ** n * 0.9):
            self.assertAlmostEqual(sum(c.share for c in explain(curve(error)).candidates), 1.0)


class Open(TestCase):
    """What the readings can't tell is said, with what would."""

    def test_one_way_a_bow_may_be_hysteresis(self):
        c = curve(lambda n, p, way: 1.2 * hump(p), points=(0.0, 50.0, 100.0), both=False)
        self.assertTrue(explain(c).is_undecided)
        self.assertEqual(would_tell(c), "Take the points down again.")
        found = find_signatures(c)
        self.assertEqual(found[0].code, "undecided")
        self.assertIn("linearity", found[0].says)
        self.assertIn("hysteresis", found[0].says)

    def test_what_can_not_move_has_no_friction(self):
        c = curve(lambda n, p, way: 1.2, both=False)
        self.assertIn("friction", [k.code for k in explain(c).candidates])
        self.assertNotIn("friction", [k.code for k in explain(replace(c, has_movement=False)).candidates])
        self.assertFalse(explain(replace(c, has_movement=False)).is_undecided)

    def test_what_is_decided_asks_for_nothing(self):
        self.assertEqual(would_tell(curve(lambda n, p, way: 0.9)), "")

    def test_every_pair_that_is_left_open_has_something_that_would_tell(self):
        seen = 0
        for t in range(40):
            rng = random.Random(t)
            made = cause_trials.draw(rng, (rng.choice(cause_trials.SIZED),), 1.0, points=(0.0, 50.0, 100.0), is_up_only=True).curve()
            if explain(made).is_undecided:
                seen += 1
                self.assertTrue(would_tell(made).endswith("."))
        self.assertGreater(seen, 10)


class Sides(TestCase):
    def test_at_six_tenths_of_the_tolerance_and_half_of_the_other(self):
        for sensor, output, codes in (
            (0.0, 0.29, []), (0.0, 0.31, ["output-side"]), (0.31, 0.0, ["sensor-side"]),
            (0.5, 1.01, ["output-side"]), (0.51, 1.0, ["output-side", "sensor-side"]),
        ):  # fmt: skip
            c = curve(lambda n, p, way, e=sensor + output: e, noise=0.0, pv_errors=(sensor,) * 10)
            self.assertEqual([s.code for s in side_of(c)], codes, (sensor, output))

    def test_a_shift_is_told_by_its_side_and_hysteresis_by_its_name(self):
        c = curve(lambda n, p, way: 0.8, pv_errors=(0.0,) * 10)
        self.assertEqual(with_sides(c, explain(c))[0][0], "output-side")
        found = find_signatures(c)
        self.assertEqual(found[0].first_action, "Trim the output, not the sensor.")  # both say the same
        gap = curve(lambda n, p, way: 0.6 * way * hump(p), pv_errors=tuple(0.6 * (1 if w == "down" else -1) * hump(p) for p, w in ways()))
        self.assertEqual(with_sides(gap, explain(gap))[0][0], "hysteresis")


class Door(TestCase):
    """The calculator."""

    def ask(self, rows, **more):
        return calculate("points", {"lrv": 0, "urv": 100, "tolerance_percent": 0.5, "readings": rows, **more})

    def rows(self, off, **more):
        return [
            {"applied": p, "indicated": 4 + 0.16 * (p + off(n)), "direction": w, **{k: v(n, p) for k, v in more.items()}}
            for n, (p, w) in enumerate(ways())
        ]

    def test_candidates_undecided_and_what_would_tell(self):
        told = self.ask(self.rows(lambda n: 0.8))
        self.assertEqual((told["signature"], told["undecided"], told["would_tell"]), ("zero-shift", False, ""))
        self.assertAlmostEqual(sum(c["share"] for c in told["candidates"]), 1.0)
        self.assertEqual(self.ask(self.rows(lambda n: 0.0))["candidates"], [{"code": "none", "share": 1.0}])

    def test_the_digital_value_tells_the_side(self):
        told = self.ask(self.rows(lambda n: 0.8, pv=lambda n, p: p + 0.8))
        self.assertEqual(told["signature"], "sensor-side")
        with self.assertRaises(Fault) as caught:
            self.ask([{**r, "pv": 1.0} if n else r for n, r in enumerate(self.rows(lambda n: 0.8))])
        self.assertEqual((caught.exception.code, caught.exception.field), ("missing", "readings"))

    def test_times_tell_a_drift_that_the_order_does_not(self):
        at = (0, 60, 120, 180, 240, 3600, 3660, 3720, 3780, 3840)
        drifts = self.rows(lambda n: at[n] / 2400, at_s=lambda n, p: at[n])
        self.assertEqual(self.ask(drifts)["signature"], "time-drift")
        self.assertEqual(self.ask(list(reversed(drifts)))["signature"], "time-drift")  # the order they are told in does not matter
        self.assertEqual(self.ask([{k: v for k, v in r.items() if k != "at_s"} for r in drifts])["signature"], "friction")


class Trials(TestCase):
    """Smaller runs of what `make bench` prints, by a generator that is not the simulation."""

    def test_one_tolerance_two_and_healthy(self):
        one, two, sound = cause_trials.run(260, 1.0, seed=41), cause_trials.run(260, 2.0, seed=42), cause_trials.healthy(60, seed=43)
        self.assertGreaterEqual(cause_trials.share(one), 0.95)
        self.assertGreaterEqual(cause_trials.share(two), 0.96)
        self.assertGreaterEqual(cause_trials.share(sound), 0.95)
        self.assertLess(cause_trials.brier(one + two + sound), 0.05)

    def test_two_faults_and_three_points(self):
        two = cause_trials.pairs(100, 1.5, seed=44)
        self.assertGreaterEqual(sum(set(t.truth) <= set(t.codes[:2]) for t in two), 90)
        few = cause_trials.run(130, 2.0, seed=45, points=cause_trials.THREE)
        self.assertGreaterEqual(sum(cause_trials.right(t) or t.is_undecided for t in few), 124)
