"""Chromatograms and cross-effects: peaks against an independent library on simulated runs, bad input, order of setting."""

import math
import random
from itertools import permutations
from unittest import TestCase

from metrology.calculators import calculate
from metrology.faults import Fault
from metrology.quantities import chromatography as c
from metrology.quantities.crosseffects import least_disturbing

PEAKS = (
    (60.0, 1.5, 200.0, 1.0),
    (90.0, 1.8, 120.0, 1.4),
    (150.0, 3.0, 400.0, 1.6),
    (230.0, 4.0, 30.0, 1.0),
)  # apex, sigma, height, tailing


def run(peaks=PEAKS, *, noise=0.5, drift=20.0, n=20_000, seconds=300.0, seed=1):
    """A chromatogram: peaks with their tails on a drifting baseline."""
    r = random.Random(seed)
    t = [seconds * k / n for k in range(n)]

    def at(v):
        return sum(h * math.exp(-0.5 * ((v - m) / (s if v < m else s * a)) ** 2) for m, s, h, a in peaks)

    return t, [100 + drift * v / seconds + at(v) + r.gauss(0, noise) for v in t]


class Peaks(TestCase):
    def test_areas_widths_and_tails_are_those_that_were_put_in(self):
        found = c.find_peaks(*run(noise=0.2)).peaks
        for p, (m, s, h, a) in zip(found, PEAKS, strict=True):
            with self.subTest(apex=m):
                self.assertAlmostEqual(p.apex, m, delta=0.2)
                self.assertAlmostEqual(p.area / (h * s * math.sqrt(2 * math.pi) * (1 + a) / 2), 1.0, delta=0.05)
                self.assertAlmostEqual(p.width / (2.3548 * s * (1 + a) / 2), 1.0, delta=0.04)
                self.assertAlmostEqual(p.asymmetry, a, delta=0.15)

    def test_neighbours_that_run_into_one_another_are_parted_at_their_valley(self):
        for gap, parted in ((9.0, True), (6.0, True), (3.0, False)):
            with self.subTest(gap=gap):
                found = c.find_peaks(*run(((100.0, 1.5, 200.0, 1.0), (100.0 + gap, 1.5, 150.0, 1.0)), noise=0.3)).peaks
                self.assertEqual(len(found), 2 if parted else 1)
                if gap == 6.0:
                    self.assertTrue(found[0].is_split)
                    self.assertAlmostEqual(
                        c.resolution(found[0].apex, found[1].apex, w1=found[0].width, w2=found[1].width), 1.18 * 6 / (2 * 3.532), delta=0.06
                    )

    def test_noise_alone_and_drift_alone_are_no_peaks(self):
        for seed in range(5):
            with self.subTest(seed=seed):
                self.assertEqual(c.find_peaks(*run((), noise=1.0, drift=100.0, seed=seed)).peaks, ())

    def test_a_peak_of_ten_times_the_noise_is_found(self):
        found = c.find_peaks(*run(((150.0, 3.0, 10.0, 1.0),), noise=1.0)).peaks
        self.assertEqual([round(p.apex) for p in found], [150])

    def test_the_baseline_lies_under_the_peaks(self):
        found = c.find_peaks(*run(noise=0.2))
        for at in (30.0, 150.0, 280.0):
            with self.subTest(at=at):
                self.assertAlmostEqual(c.baseline_at(found, at), 100 + 20 * at / 300, delta=4)

    def test_files_that_are_none_say_why(self):
        t, y = run((), n=100)
        for code, times, values in (
            ("too_few", t[:49], y[:49]),
            ("too_few", t, y[:-1]),
            ("not_rising", [*t[:50], t[49], *t[51:]], y),
            ("swapped", y[:50] + y[:50], [float(n) for n in range(100)]),
            ("gap", [*t[:50], *(v + 10 for v in t[50:])], y),
            ("not_a_number", t, [*y[:-1], math.nan]),
        ):
            with self.subTest(code=code), self.assertRaises(Fault) as refused:
                c.find_peaks(times, values)
            self.assertEqual(refused.exception.code, code)
        self.assertEqual(len(c.find_peaks(t[:50], y[:50]).times), 50)

    def test_a_million_rows_are_only_more_rows(self):
        t, y = run(n=1_000_000, noise=0.0)
        self.assertEqual(len(c.find_peaks(t, y).peaks), 4)


class Numbers(TestCase):
    def test_resolution_by_hand(self):
        self.assertAlmostEqual(c.resolution(60, 66, w1=2.0, w2=2.4), 1.18 * 6 / 4.4)
        for bad in ((66, 60, 2, 2), (60, 60, 2, 2), (60, 66, 0, 2), (60, 66, 2, -1)):
            with self.subTest(bad=bad), self.assertRaises(Fault):
                c.resolution(bad[0], bad[1], w1=bad[2], w2=bad[3])

    def test_baseline_resolution_begins_at_one_and_a_half(self):
        for w, is_baseline in ((2.36, True), (2.359, True), (2.361, False)):
            with self.subTest(w=w):
                self.assertEqual(calculate("peak-resolution", {"t1": 60, "t2": 66, "w1": w, "w2": w})["is_baseline"], is_baseline)

    def test_agreement_and_carry_over(self):
        self.assertAlmostEqual(c.apart_percent(99.0, 101.0), 2.0)
        self.assertAlmostEqual(c.carry_over(1000.0, 5.0), 0.5)
        for blank, inside in ((9.99, True), (10.0, True), (10.01, False)):
            with self.subTest(blank=blank):
                self.assertEqual(calculate("carry-over", {"standard": 1000, "blank": blank})["is_inside"], inside)
        for bad in (
            lambda: c.carry_over(0, 1),
            lambda: c.carry_over(1, -1),
            lambda: c.apart_percent(-1, 1),
            lambda: c.response_factor(0, 1),
        ):
            with self.assertRaises(Fault):
                bad()

    def test_the_calculators_tell_what_their_parts_do(self):
        self.assertAlmostEqual(calculate("conductivity", {"value": 1278, "temp_c": 20})["at_25_c"], 1420)
        self.assertAlmostEqual(calculate("conductivity", {"solution": "kcl-0.01", "temp_c": 18})["solution_us_cm"], 1225)
        made = calculate("cell-constant", {"solution": "other", "true_us_cm": 84, "temp_c": 25, "read_us_cm": 80, "constant_now": 0.1})
        self.assertAlmostEqual(made["constant"], 0.105)
        self.assertAlmostEqual(calculate("response-factor", {"signal": 100, "concentration": 50, "sample_signal": 30})["sample"], 15)
        rows = [{"minutes": k / 2, "value": 0.8 + 600 * math.exp(-k / 3) + 60 * math.exp(-k / 24)} for k in range(80)]
        self.assertAlmostEqual(calculate("come-down", {"readings": rows, "target": 2})["minutes"], 12 * math.log(50) - 39.5, delta=1)
        for name, data in (("conductivity", {"temp_c": 20}), ("cell-constant", {"solution": "beer", "temp_c": 20, "read_us_cm": 1})):
            with self.subTest(name=name), self.assertRaises(Fault):
                calculate(name, data)


class CrossEffects(TestCase):
    def test_the_one_that_disturbs_the_others_is_set_first(self):
        found = least_disturbing({"CO": 10.0, "CO2": 0.2}, [("CO2", "CO", 40.0)])
        self.assertEqual((found.names, found.left, found.circular), (("CO2", "CO"), (), ()))
        self.assertIn("nothing that was set is moved", found.says)

    def test_no_other_order_disturbs_less(self):
        r = random.Random(4)
        names = ("a", "b", "c", "d", "e")
        for _ in range(20):
            tolerances = {n: r.uniform(0.5, 2) for n in names}
            effects = [(a, b, r.uniform(0, 1)) for a in names for b in names if a != b and r.random() < 0.5]
            moved = {(a, b): v * tolerances[a] / tolerances[b] for a, b, v in effects}

            def cost(order, moved=moved):
                return sum(moved.get((later, earlier), 0.0) for n, later in enumerate(order) for earlier in order[:n])

            self.assertAlmostEqual(cost(least_disturbing(tolerances, effects).names), min(map(cost, permutations(names))))

    def test_a_pair_that_disturbs_itself_is_named(self):
        for back, circular in ((0.25, ()), (0.251, (("a", "b"),))):
            with self.subTest(back=back):
                found = least_disturbing({"a": 1.0, "b": 1.0}, [("a", "b", 0.8), ("b", "a", back)])
                self.assertEqual(found.circular, circular)
                self.assertEqual(found.names, ("a", "b"))
        self.assertIn("a and b disturb one another", found.says)

    def test_what_is_no_matrix_is_refused(self):
        for tolerances, effects in (
            ({}, []),
            ({str(n): 1.0 for n in range(13)}, []),
            ({"a": 0.0}, []),
            ({"a": 1.0}, [("a", "b", 1.0)]),
            ({"a": 1.0}, [("a", "a", 1.0)]),
            ({"a": 1.0, "b": 1.0}, [("a", "b", math.inf)]),
        ):
            with self.subTest(tolerances=tolerances), self.assertRaises(Fault):
                least_disturbing(tolerances, effects)
        self.assertEqual(len(least_disturbing({str(n): 1.0 for n in range(12)}, []).names), 12)


class WholePeaks(TestCase):
    """A hole in a peak makes its area a guess."""

    def test_a_hole_just_inside_at_and_just_outside_half_its_width(self):
        peak = c.Peak(start=2.0, apex=3.0, end=4.0, height=100.0, area=20.0, width=0.4, asymmetry=1.0, is_split=False)
        for hole, is_whole in ((0.19, True), (0.2, True), (0.21, False)):
            for at in (1.9, 2.9, 3.95):
                with self.subTest(hole=hole, at=at):
                    times = [0.05 * n for n in range(200)]
                    times = [t for t in times if not at < t < at + hole] + [at, at + hole]
                    if is_whole:
                        c.require_whole_peaks(sorted(times), [peak])
                    else:
                        with self.assertRaisesRegex(Fault, "silent for 0.21 s in the peak at 3.0 s"):
                            c.require_whole_peaks(sorted(times), [peak])

    def test_a_hole_beside_a_peak_is_no_matter(self):
        peak = c.Peak(start=2.0, apex=3.0, end=4.0, height=100.0, area=20.0, width=0.4, asymmetry=1.0, is_split=False)
        c.require_whole_peaks([0.0, *[2.0 + 0.1 * n for n in range(21)], 9.0], [peak])


class Evenly(TestCase):
    def test_samples_that_came_unevenly_lie_on_straight_lines_between_them(self):
        times, values = c.evenly([0.0, 0.1, 0.4], [0.0, 1.0, 4.0], step=0.05, most_gap=0.3)
        self.assertEqual(len(times), 9)
        for t, v in zip(times, values, strict=True):
            self.assertAlmostEqual(v, 10 * t)

    def test_a_gap_just_inside_at_and_just_outside(self):
        for gap, is_whole in ((0.29, True), (0.30, True), (0.31, False)):
            with self.subTest(gap=gap):
                if is_whole:
                    c.evenly([0.0, gap], [0.0, 1.0], step=0.05, most_gap=0.30)
                else:
                    with self.assertRaises(Fault):
                        c.evenly([0.0, gap], [0.0, 1.0], step=0.05, most_gap=0.30)
        with self.assertRaises(Fault):
            c.evenly([0.0], [1.0], step=0.05, most_gap=1)
