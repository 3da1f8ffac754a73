"""Error signatures and typing slips, told apart on simulated transmitters."""

import random
from unittest import TestCase

from metrology.judgement.causes.naming import find_signatures
from metrology.judgement.causes.rows import Curve
from metrology.judgement.errors import measure_point
from metrology.quantities.transfer import Transfer
from metrology.quantities.typed import suggest_slip
from metrology.simulation.transmitter import Faults, SimulatedTransmitter

POINTS = (0.0, 25.0, 50.0, 75.0, 100.0)
TOLERANCE = 0.5


def check(outputs, transfer=None, pv=None):
    ways = [(p, "up") for p in POINTS] + [(p, "down") for p in reversed(POINTS)]
    points = tuple(
        measure_point(p, out, lrv=0, urv=100, transfer=transfer or Transfer(), output_lo=4, output_hi=20, direction=d)
        for (p, d), out in zip(ways, outputs, strict=True)
    )
    return find_signatures(Curve(points, TOLERANCE, transfer or Transfer(), 0, 100, "kPa", pv))


def simulated(faults, seed=1, transfer=None):
    device = SimulatedTransmitter(0, 100, faults=faults, seed=seed, noise=0.01, transfer=transfer or Transfer())
    ups = [device.settle_at(p) for p in POINTS]
    return ups + [device.settle_at(p, overshoot=2.0 if p == 100 else 0.0) for p in reversed(POINTS)]


class Named(TestCase):
    def assert_first(self, code, found):
        self.assertTrue(found, f"nothing named, {code} expected")
        self.assertEqual(found[0].code, code, found)
        self.assertTrue(found[0].evidence and 0.5 <= found[0].confidence <= 0.99)

    def test_simulated_faults_of_one_tolerance_and_more(self):
        for code, faults in (
            ("zero-shift", Faults(zero=0.7)),
            ("zero-shift", Faults(zero=-1.5)),
            ("span-error", Faults(span=1.0)),
            ("span-error", Faults(span=-0.8)),
            ("linearity", Faults(bow=0.8)),
            ("hysteresis", Faults(hysteresis=1.2)),
            ("saturation", Faults(clip_high_percent=70.0)),
            ("saturation", Faults(clip_high_percent=92.0)),
            ("range-mismatch", Faults(span=50.0)),
            ("range-mismatch", Faults(zero=10, span=20)),
        ):
            for seed in range(5):
                with self.subTest(code=code, faults=faults, seed=seed):
                    self.assert_first(code, check(simulated(faults, seed)))

    def test_zero_and_span_are_told_from_the_range_where_the_output_falls(self):
        """Reverse action: LRV is at the top of the output, so an error that is nothing there and grows with the input is a span error."""
        reverse = Transfer("reverse")
        for code, faults in (("zero-shift", Faults(zero=0.9)), ("span-error", Faults(span=1.2)), ("span-error", Faults(span=-0.9))):
            for seed in range(5):
                with self.subTest(code=code, faults=faults, seed=seed):
                    self.assert_first(code, check(simulated(faults, seed, reverse), reverse))

    def test_a_square_root_is_seen_from_its_input_where_its_sensor_is_off(self):
        """A shifted sensor bends the output most where flow is least; that is still a zero shift, which can be adjusted."""
        for cutoff in (0.0, 8.0):
            root = Transfer("sqrt", cutoff)
            for code, faults in (
                ("zero-shift", Faults(zero=0.8)),
                ("zero-shift", Faults(zero=-0.8)),
                ("span-error", Faults(span=1.8)),
                ("hysteresis", Faults(hysteresis=1.8)),
                ("linearity", Faults(bow=1.8)),
                ("zero-shift", Faults(output_offset=1.2)),
            ):
                for seed in range(4):
                    with self.subTest(cutoff=cutoff, code=code, faults=faults, seed=seed):
                        self.assert_first(code, check(simulated(faults, seed, root), root))

    def test_told_apart_over_many_random_faults(self):
        """At least 95 % of random faults of one to four tolerances on imperfect devices are named first."""
        rng = random.Random(2101)
        fields = {"zero-shift": "zero", "span-error": "span", "linearity": "bow", "hysteresis": "hysteresis"}
        wrong = []
        for seed in range(160):
            code = rng.choice([*fields, "saturation", "range-mismatch"])
            size = rng.uniform(1, 4) * TOLERANCE * rng.choice([-1, 1])
            faults = {
                "zero": rng.gauss(0, 0.05),
                "span": rng.gauss(0, 0.05),
                "bow": rng.gauss(0, 0.03),
                "hysteresis": abs(rng.gauss(0, 0.04)),
            }
            if code == "saturation":
                faults["clip_high_percent"] = rng.uniform(55, 95)
            elif code == "range-mismatch":
                faults["span"] = rng.choice([-1, 1]) * rng.uniform(8, 40)
            else:
                faults[fields[code]] = abs(size) if code == "hysteresis" else size
            found = check(simulated(Faults(**faults), seed))
            if not found or found[0].code != code:
                wrong.append((code, found[0].code if found else "none"))
        self.assertLessEqual(len(wrong), 8, wrong)

    def test_a_healthy_transmitter_gets_no_name(self):
        for seed in range(50):
            self.assertEqual(check(simulated(Faults(zero=0.05, span=0.05), seed)), ())

    def test_a_missing_or_doubled_square_root(self):
        squared = [4 + 16 * (p / 100) for p in (*POINTS, *reversed(POINTS))]
        self.assert_first("transfer-mismatch", check(squared, Transfer("sqrt")))
        rooted = [4 + 16 * (p / 100) ** 0.5 for p in (*POINTS, *reversed(POINTS))]
        self.assert_first("transfer-mismatch", check(rooted))

    def test_a_reversed_output(self):
        self.assert_first("reversed", check([20 - 0.16 * p for p in (*POINTS, *reversed(POINTS))]))

    def test_one_slip_among_good_readings(self):
        outputs = [4 + 0.16 * p for p in (*POINTS, *reversed(POINTS))]
        outputs[3] = 13.6
        self.assert_first("outlier", check(outputs))

    def test_a_leak_shows_where_most_time_has_passed(self):
        outputs = [4 + 0.16 * p - 0.016 * n for n, p in enumerate((*POINTS, *reversed(POINTS)))]
        self.assert_first("time-drift", check(outputs))

    def test_sensor_and_output_are_told_apart_where_the_digital_value_was_read(self):
        outputs = [4 + 0.16 * (p + 0.8) for p in (*POINTS, *reversed(POINTS))]
        self.assertIn("output-side", [s.code for s in check(outputs, pv=(0.0,) * 10)])
        self.assertIn("sensor-side", [s.code for s in check(outputs, pv=(0.8,) * 10)])


class Slips(TestCase):
    def test_likely_numbers(self):
        for text, expected, want in (
            ("1204", 12.0, "12.04"),
            ("120.4", 12.0, "12.04"),
            ("1.204", 12.0, "12.04"),
            ("21.04", 12.0, "12.04"),
            ("99", 12.0, None),
            ("-12.04", 12.0, None),
        ):
            with self.subTest(text=text):
                self.assertEqual(suggest_slip(text, low=3.6, high=22, expected=expected, close=0.5), want)
