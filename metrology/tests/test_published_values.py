"""The calculations against published tables; each row names its origin by the table's comment."""

import math
import random
from contextlib import nullcontext
from itertools import pairwise
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from metrology.calculators import calculate
from metrology.faults import Fault
from metrology.judgement.errors import measure_point, statistics
from metrology.judgement.student import coverage_factor
from metrology.quantities import acidity, gas, temperature, weighing
from metrology.quantities.transfer import Transfer, input_fraction, output_fraction

# NIST Monograph 175 / ITS-90 thermocouple tables, reference junction at 0 °C: type, C, mV (rounded to 1 uV).
THERMOCOUPLES = (
    ("B", 600, 1.792),
    ("B", 1000, 4.834),
    ("B", 1820, 13.820),
    ("E", -270, -9.835),
    ("E", -200, -8.825),
    ("E", 100, 6.319),
    ("E", 500, 37.005),
    ("E", 1000, 76.373),
    ("J", -210, -8.095),
    ("J", -100, -4.633),
    ("J", 100, 5.269),
    ("J", 760, 42.919),
    ("J", 1000, 57.953),
    ("J", 1200, 69.553),
    ("K", -270, -6.458),
    ("K", -200, -5.891),
    ("K", 100, 4.096),
    ("K", 500, 20.644),
    ("K", 1000, 41.276),
    ("K", 1372, 54.886),
    ("N", -270, -4.345),
    ("N", -200, -3.990),
    ("N", 100, 2.774),
    ("N", 500, 16.748),
    ("N", 1000, 36.256),
    ("N", 1300, 47.513),
    ("R", -50, -0.226),
    ("R", 100, 0.647),
    ("R", 1000, 10.506),
    ("R", 1100, 11.850),
    ("R", 1600, 18.849),
    ("R", 1768, 21.101),
    ("S", -50, -0.236),
    ("S", 100, 0.646),
    ("S", 1000, 9.587),
    ("S", 1100, 10.757),
    ("S", 1600, 16.777),
    ("S", 1768, 18.693),
    ("T", -270, -6.258),
    ("T", -200, -5.603),
    ("T", -100, -3.379),
    ("T", 100, 4.279),
    ("T", 200, 9.288),
    ("T", 400, 20.872),
)
# IEC 60751:2022, table 1: C, ohm (rounded to 0.01 ohm).
PLATINUM = (
    (-200, 18.52),
    (-100, 60.26),
    (-50, 80.31),
    (0, 100.00),
    (25, 109.73),
    (50, 119.40),
    (100, 138.51),
    (200, 175.86),
    (300, 212.05),
    (400, 247.09),
    (500, 280.98),
    (600, 313.71),
    (850, 390.48),
)
# JCGM 100:2008 (GUM), table G.2: degrees of freedom, coverage, t.
STUDENT = (
    (1, 0.6827, 1.84),
    (1, 0.95, 12.71),
    (2, 0.9545, 4.53),
    (3, 0.95, 3.18),
    (5, 0.99, 4.03),
    (10, 0.9545, 2.28),
    (10, 0.95, 2.23),
    (16, 0.99, 2.92),
    (20, 0.9973, 3.42),
    (50, 0.9545, 2.05),
    (100, 0.95, 1.984),
    (math.inf, 0.9545, 2.000),
    (math.inf, 0.95, 1.960),
)
# DIN 19266 / NIST certified primary buffers: nominal, C, pH.
BUFFERS = (
    (4.005, 5, 3.998),
    (4.005, 40, 4.027),
    (4.005, 50, 4.050),
    (6.865, 5, 6.951),
    (6.865, 20, 6.881),
    (6.865, 50, 6.833),
    (9.180, 5, 9.395),
    (9.180, 30, 9.139),
    (9.180, 50, 9.011),
)
# ISO/IEC 80079-20-1:2017 and NFPA 497:2017: gas, LEL % vol on each basis.
LIMITS = (
    ("methane", 4.4, 5.0),
    ("propane", 1.7, 2.1),
    ("hydrogen", 4.0, 4.0),
    ("acetylene", 2.3, 2.5),
    ("ethylene", 2.3, 2.7),
    ("ammonia", 15.0, 15.0),
    ("n-hexane", 1.0, 1.1),
    ("carbon monoxide", 10.9, 12.5),
    ("n-pentane", 1.1, 1.5),
)
# OIML R 76-1:2006 table 6 and 3.5.2; NIST Handbook 44, 2.20 table 6: scheme, load, initial, in service.
SCALES = (
    ("r76-iii", 0, 0.5, 1),
    ("r76-iii", 500, 0.5, 1),
    ("r76-iii", 501, 1, 2),
    ("r76-iii", 2000, 1, 2),
    ("r76-iii", 10000, 1.5, 3),
    ("r76-ii", 5001, 1, 2),
    ("r76-iiii", 51, 1, 2),
    ("r76-i", 200001, 1.5, 3),
    ("hb44-iii", 500, 0.5, 1),
    ("hb44-iii", 501, 1, 2),
    ("hb44-iii", 4000, 1.5, 3),
    ("hb44-iii", 4001, 2.5, 5),
    ("hb44-iiil", 500, 0.5, 1),
    ("hb44-iiil", 501, 1, 2),
    ("hb44-iiil", 1501, 2, 4),
)
# IEC 60751:2022 table 3 and IEC 60584-1:2013 table 12: class, C, tolerance in C.
CLASSES = (
    ("pt-aa", 100, 0.27),
    ("pt-a", 0, 0.15),
    ("pt-a", -100, 0.35),
    ("pt-b", 100, 0.8),
    ("pt-b", 200, 1.3),
    ("pt-c", 100, 1.6),
    ("pt-aa-film", 150, 0.355),
    ("pt-a-film", 300, 0.75),
    ("pt-b-film", 500, 2.8),
    ("pt-c-film", 600, 6.6),
    ("tc-k-1", 100, 1.5),
    ("tc-k-1", 1000, 4.0),
    ("tc-k-2", 1000, 7.5),
    ("tc-t-1", 350, 1.4),
    ("tc-t-3", -200, 3.0),
    ("tc-s-1", 1000, 1.0),
    ("tc-s-1", 1600, 2.5),
    ("tc-r-2", 1600, 4.0),
    ("tc-b-2", 1700, 4.25),
    ("tc-j-2", 400, 3.0),
)


class Tables(TestCase):
    def test_thermocouples(self):
        for kind, t, mv in THERMOCOUPLES:
            with self.subTest(kind=kind, t=t):
                self.assertAlmostEqual(temperature.thermocouple_emf(kind, t), mv, delta=0.00051)

    def test_thermocouple_pieces_meet(self):
        for kind, pieces in temperature.REFERENCE_FUNCTIONS.items():
            for (_, end, _), _next in pairwise(pieces):
                with self.subTest(kind=kind, at=end):
                    self.assertAlmostEqual(
                        temperature.thermocouple_emf(kind, end), temperature.thermocouple_emf(kind, end + 1e-9), delta=2e-7
                    )

    def test_platinum(self):
        for t, ohm in PLATINUM:
            with self.subTest(t=t):
                self.assertAlmostEqual(temperature.pt_resistance(t), ohm, delta=0.0051)

    def test_student(self):
        for dof, coverage, t in STUDENT:
            with self.subTest(dof=dof, coverage=coverage):
                self.assertAlmostEqual(coverage_factor(coverage, dof), t, delta=0.0051)

    def test_buffers(self):
        for nominal, t, ph in BUFFERS:
            with self.subTest(nominal=nominal, t=t):
                self.assertAlmostEqual(acidity.buffer_ph("nist", nominal, t), ph, places=6)

    def test_explosive_limits(self):
        for name, iec, nfpa in LIMITS:
            with self.subTest(gas=name):
                self.assertEqual((gas.find_gas(name).lel_iec, gas.find_gas(name).lel_nfpa), (iec, nfpa))
        self.assertGreaterEqual(sum(g.lel_iec is not None and g.lel_nfpa is not None for g in gas.GASES.values()), 20)

    def test_scale_steps(self):
        for scheme, load, initial, in_service in SCALES:
            with self.subTest(scheme=scheme, load=load):
                self.assertEqual(weighing.scale_tolerance(scheme, load), initial)
                self.assertEqual(weighing.scale_tolerance(scheme, load, stage="in-service"), in_service)

    def test_sensor_classes(self):
        for sensor, t, tolerance in CLASSES:
            with self.subTest(sensor=sensor, t=t):
                self.assertAlmostEqual(temperature.sensor_tolerance(sensor, t), tolerance, places=9)


class WorkedExamples(TestCase):
    def test_gum_h1_end_gauge(self):
        # GUM H.1, table H.1: standard uncertainties 25, 5.8/9.7.., 2.9 and 16.6 nm give u_c = 32 nm, nu_eff = 16, U99 = 93 nm.
        r = calculate(
            "uncertainty",
            {
                "coverage": 0.99,
                "components": [
                    {"name": "standard", "value": 25, "dof": 18},
                    {"name": "difference", "value": 9.7, "dof": 25.6},
                    {"name": "expansion", "value": 2.9, "dof": 50},
                    {"name": "temperature", "value": 16.6, "dof": 2},
                ],
            },
        )
        self.assertAlmostEqual(r["combined"], 32, delta=0.5)
        self.assertEqual(int(r["effective_dof"]), 16)
        self.assertAlmostEqual(r["expanded"], 93, delta=1.5)

    def test_gum_h3_thermometer_line(self):
        # GUM H.3, table H.6 and H.3.3: corrections of a thermometer against t - 20 °C.
        t = [21.521, 22.012, 22.512, 23.003, 23.507, 23.999, 24.513, 25.002, 25.503, 26.010, 26.511]
        b = [-0.171, -0.169, -0.166, -0.159, -0.164, -0.165, -0.156, -0.157, -0.159, -0.161, -0.160]
        r = calculate("drift", {"x": [v - 20 for v in t], "y": b, "at": 10})
        for name, value, delta in (
            ("intercept", -0.1712, 5e-5),
            ("s_intercept", 0.0029, 5e-5),
            ("slope", 0.00218, 5e-6),
            ("s_slope", 0.00067, 5e-6),
            ("r", -0.930, 5e-4),
            ("s_residual", 0.0035, 5e-5),
            ("predicted", -0.1494, 5e-5),
            ("s_predicted", 0.0041, 5e-5),
        ):
            self.assertAlmostEqual(r[name], value, delta=delta, msg=name)

    def test_decision_rules(self):
        # ILAC-G8:09/2019 and ANSI/NCSL Z540.3 handbook method 6; tolerance 1, U 0.25 (k = 2), so TUR 4.
        guards = {"simple": 0.0, "guard-u": 0.25, "guard-1.65u": 0.20625, "tur-guard": 0.25 * (1.04 - math.exp(0.38 * math.log(4) - 0.54))}
        for rule, guard in guards.items():
            r = calculate("decision", {"error": 0.9, "tolerance": 1, "expanded": 0.25, "rule": rule})
            self.assertAlmostEqual(r["guard_band"], guard, places=9, msg=rule)
            self.assertEqual(r["verdict"], "pass" if 1 - guard >= 0.9 else "marginal")
        self.assertEqual(calculate("decision", {"error": -1.01, "tolerance": 1, "expanded": 0.25})["verdict"], "fail")
        # JCGM 106:2012: at the limit itself half of the probability lies outside.
        self.assertAlmostEqual(calculate("decision", {"error": 1, "tolerance": 1, "expanded": 0.25})["p_conform"], 0.5, places=6)
        p = calculate("decision", {"error": 0.5, "tolerance": 1, "expanded": 0.25, "rule": "probability", "max_risk": 0.05})
        self.assertAlmostEqual(p["acceptance_limit"], 1 - 1.6449 * 0.125, places=4)

    def test_few_readings_behind_u_leave_a_smaller_chance(self):
        # Student's t of two degrees of freedom in closed form: F(x) = 1/2 + x / (2 sqrt(2 + x^2)); here x is 4 and -12.
        given = {"error": 0.5, "tolerance": 1, "expanded": 0.25, "k": 2}
        chance = 4 / (2 * math.sqrt(18)) + 12 / (2 * math.sqrt(146))
        self.assertAlmostEqual(calculate("decision", {**given, "dof": 2})["p_conform"], chance, places=9)
        self.assertGreater(calculate("decision", {**given, "dof": 0})["p_conform"], 0.9999)
        for dof, is_taken in ((0.99, False), (1, True)):
            with self.subTest(dof), nullcontext() if is_taken else self.assertRaises(Fault):
                calculate("decision", {**given, "dof": dof})

    def test_a_large_uncertainty_accepts_nothing(self):
        for rule in ("guard-u", "probability"):
            self.assertEqual(calculate("decision", {"error": 0, "tolerance": 1, "expanded": 3, "rule": rule})["verdict"], "marginal")

    def test_transmitter_statistics_by_hand(self):
        # Five points up and down; means +0.1 0.3 0.5 0.3 0.1 around, gap 0.2 at mid range: terminal line 0.1 level.
        rows = [
            (0, 0.1, "up"),
            (25, 0.25, "up"),
            (50, 0.4, "up"),
            (75, 0.25, "up"),
            (100, 0.1, "up"),
            (100, 0.1, "down"),
            (75, 0.35, "down"),
            (50, 0.6, "down"),
            (25, 0.35, "down"),
            (0, 0.1, "down"),
        ]
        r = calculate(
            "points",
            {
                "lrv": 0,
                "urv": 100,
                "tolerance_percent": 0.5,
                "readings": [{"applied": a, "indicated": 4 + 0.16 * (a + e), "direction": d} for a, e, d in rows],
            },
        )
        for name, value in (
            ("max_error", 0.6),
            ("zero_error", 0.1),
            ("span_error", 0.0),
            ("hysteresis", 0.2),
            ("linearity_terminal", 0.4),
            ("linearity_independent", 0.2),
            ("linearity_zero_based", 4 / 15),
        ):
            self.assertAlmostEqual(r[name], value, places=6, msg=name)
        self.assertEqual(r["verdict"], "fail")

    def test_pocket_tools(self):
        for name, data, want in (
            ("signal", {"lrv": 0, "urv": 100, "value": 25, "transfer": "sqrt"}, {"output": 12, "percent": 25}),
            ("signal", {"lrv": 0, "urv": 100, "value": 0.16, "transfer": "sqrt", "cutoff_percent": 8}, {"output": 4.32}),
            ("signal", {"lrv": -50, "urv": 150, "value": 0, "transfer": "reverse"}, {"output": 16}),
            ("signal-inverse", {"lrv": 0, "urv": 10, "output": 12}, {"value": 5}),
            ("loop", {"ma": 20}, {"volts": 5}),
            ("loop", {"supply_v": 24, "lift_off_v": 12, "ohms": 250}, {"available_v": 19, "margin_v": 7, "communicates": True}),
            ("loop", {"supply_v": 24, "lift_off_v": 12, "ohms": 100}, {"communicates": False}),
            ("loop", {"supply_v": 24, "lift_off_v": 12, "ohms": 250, "fault_current": True}, {"available_v": 18.25}),
            ("ph-slope", {"e1_mv": 0, "ph1": 7, "e2_mv": 177.48, "ph2": 4, "temp_c": 25}, {"slope_mv_per_ph": -59.16, "verdict": "good"}),
            ("ph-slope", {"e1_mv": 177, "ph1": 7, "e2_mv": 0, "ph2": 4, "temp_c": 25}, {"verdict": "swapped"}),
            ("ph-slope", {"e1_mv": 1, "ph1": 7, "e2_mv": 3, "ph2": 4, "temp_c": 25}, {"verdict": "same-buffer"}),
            ("ph-slope", {"e1_mv": 0, "ph1": 7, "e2_mv": 190, "ph2": 4, "temp_c": 25}, {"verdict": "contaminated"}),
            ("ph-slope", {"e1_mv": 0, "ph1": 7, "e2_mv": 140, "ph2": 4, "temp_c": 25}, {"verdict": "replace"}),
            ("ph-slope", {"e1_mv": 0, "ph1": 7, "e2_mv": 155, "ph2": 4, "temp_c": 25}, {"verdict": "watch"}),
            ("gas-convert", {"gas": "CH4", "value": 50, "from": "lel", "to": "ppm", "basis": "nfpa"}, {"value": 25000}),
            ("gas-reference-voltage", {"concentration": 25, "range": 100, "full_scale_v": 2}, {"volts": 0.5}),
            ("gas-volume", {"flow_l_min": 0.5, "minutes": 3, "exposures": 4}, {"litres": 6}),
            ("purge-cycles", {"gauge_kpa": 300, "start_ppm": 209000, "target_ppm": 1}, {"cycles": 9}),
            ("displacer", {"weight": 2, "diameter": 4, "length": 50, "density": 0.001, "percent": 50}, {"buoyancy": 0.31415927}),
            ("belt-revolutions", {"belt_length_m": 61, "speed_m_s": 1.5, "minutes": 10}, {"revolutions": 15, "duration_s": 610}),
            ("belt-load", {"test_weight_kg": 60, "idler_pitch_m": 1.2, "speed_m_s": 2}, {"kg_per_m": 50, "t_per_h": 360}),
            (
                "vessel-signal",
                {
                    "supports": 3,
                    "cell_capacity_kg": 5000,
                    "sensitivity_mv_v": 2,
                    "excitation_v": 10,
                    "dead_load_kg": 3000,
                    "division_kg": 5,
                },
                {"live_capacity_kg": 12000, "uv_per_kg": 4 / 3, "divisions": 2400},
            ),
            ("duplicate", {"a": 100, "b": 104, "limit_percent": 4}, {"difference_percent": 400 / 102, "agrees": True}),
            (
                "coriolis-zero",
                {"stored": 0, "observed": 0.02, "stability": 0.03, "normal_flow": 100, "minimum_flow": 10},
                {"error_percent_normal": 0.02, "error_percent_minimum": 0.2, "verdict": "pass"},
            ),
        ):
            with self.subTest(name=name, data=data):
                result = calculate(name, data)
                for key, value in want.items():
                    if isinstance(value, str | bool):
                        self.assertEqual(result[key], value)
                    else:
                        self.assertAlmostEqual(result[key], value, places=5)


class Properties(TestCase):
    @given(st.sampled_from("BEJKNRST"), st.floats(0, 1))
    def test_thermocouple_inverse_closes_over_the_whole_range(self, kind, share):
        low, high = temperature.thermocouple_range(kind)
        low = 22.0 if kind == "B" else low
        t = low + share * (high - low)
        self.assertAlmostEqual(temperature.thermocouple_temperature(kind, temperature.thermocouple_emf(kind, t)), t, delta=1e-4)

    @given(st.floats(-200, 850), st.floats(10, 1000))
    def test_platinum_inverse_closes(self, t, r0):
        self.assertAlmostEqual(temperature.pt_temperature(temperature.pt_resistance(t, r0=r0), r0=r0), t, delta=1e-6)

    @given(st.sampled_from(["linear", "reverse", "sqrt"]), st.floats(0.0, 20.0), st.floats(0.0, 1.2))
    def test_transfer_inverse_closes(self, kind, cutoff, x):
        t = Transfer(kind, cutoff)
        self.assertAlmostEqual(input_fraction(t, output_fraction(t, x)), x, delta=1e-9)

    @given(st.lists(st.floats(-1, 1), min_size=5, max_size=5))
    def test_independent_linearity_is_never_worse_than_the_others(self, errors):
        points = [
            measure_point(25.0 * n, 4 + 0.16 * (25.0 * n + e), lrv=0, urv=100, transfer=Transfer(), output_lo=4, output_hi=20)
            for n, e in enumerate(errors)
        ]
        s = statistics(points)
        self.assertLessEqual(s.linearity_independent, s.linearity_zero_based + 1e-9)
        self.assertLessEqual(s.linearity_independent, s.linearity_terminal + 1e-9)

    def test_independent_linearity_agrees_with_a_fine_search(self):
        rng = random.Random(7)
        ys = [rng.uniform(-1, 1) for _ in range(5)]
        points = [
            measure_point(25.0 * n, 4 + 0.16 * (25.0 * n + e), lrv=0, urv=100, transfer=Transfer(), output_lo=4, output_hi=20)
            for n, e in enumerate(ys)
        ]
        best = min(0.5 * (max(r) - min(r)) for s in range(-4000, 4001) for r in [[y - s / 50000 * 25 * n for n, y in enumerate(ys)]])
        self.assertAlmostEqual(statistics(points).linearity_independent, best, delta=2e-3)


class BadInput(TestCase):
    def test_every_calculation_names_the_field_that_is_missing(self):
        from metrology.calculators import CALCULATORS

        for name in CALCULATORS:
            with self.subTest(name=name), self.assertRaises(Fault) as caught:
                calculate(name, {})
            self.assertIn(caught.exception.field, caught.exception.message)
            self.assertTrue(caught.exception.field)

    def test_out_of_range_names_value_and_limits(self):
        for name, data, words in (
            ("thermocouple-emf", {"type": "K", "t90_c": 1400}, ("t90_c", "1400", "-270", "1372")),
            ("pt-resistance", {"t90_c": -201}, ("t90_c", "-201", "-200", "850")),
            ("pt-temperature", {"ohm": 10}, ("ohm", "10", "18.5", "390")),
            ("signal", {"lrv": 5, "urv": 5, "value": 5}, ("LRV", "5")),
            ("decision", {"error": 0, "tolerance": 0, "expanded": 1}, ("tolerance", "0")),
            ("gas-convert", {"gas": "chlorine", "value": 5, "from": "ppm", "to": "lel"}, ("chlorine", "ppm")),
            ("gas-convert", {"gas": "methane", "value": 101, "from": "vol", "to": "lel"}, ("101", "100")),
            ("signal", {"lrv": 0, "urv": 10, "value": "1e999"}, ("value", "1e999")),
            ("signal", {"lrv": 0, "urv": 10, "value": True}, ("value", "true")),
            ("signal", {"lrv": 0, "urv": 10, "valeu": 3}, ("value",)),
            ("signal", {"lrv": 0, "urv": 10, "value": 3, "extra": 1}, ("extra",)),
            ("drift", {"x": [1, 1, 1], "y": [1, 2, 3], "at": 1}, ("x", "1")),
            ("belt-load", {"test_weight_kg": 1e308, "idler_pitch_m": 1e-308, "speed_m_s": 1e300}, ("",)),
        ):
            with self.subTest(name=name, data=data):
                try:
                    result = calculate(name, data)
                except Fault as fault:
                    for word in words:
                        self.assertIn(word, fault.message)
                else:
                    self.assertEqual(name, "belt-load")
                    self.assertIsNone(result["t_per_h"])


class Extremes(TestCase):
    """Numbers beyond what can be computed are a sentence; what a message repeats is short and no programmer's word."""

    def test_as_good_as_nothing_is_no_division_by_it(self):
        start = {"start_ppm": 209000, "atmosphere_kpa": 101.325}
        for name, data in (
            ("purge-cycles", {**start, "gauge_kpa": 1e-30, "target_ppm": 1}),
            ("purge-cycles", {**start, "gauge_kpa": 500, "target_ppm": 1e-320}),
            ("cell-constant", {"solution": "kcl-0.01-d", "temp_c": 20, "read_us_cm": 1240, "constant_now": -0.0, "true_us_cm": 84}),
            ("drift", {"x": [0, 180, 360, 540], "y": [0.05, 1e308, 0.2, 0.24], "at": 720}),
            ("response-factor", {"signal": 5e-324, "concentration": 50, "again": 15310, "sample_signal": 9140}),
        ):
            with self.subTest(name=name, data=data), self.assertRaises(Fault) as caught:
                calculate(name, data)
            self.assertEqual(caught.exception.code, "out_of_range")

    def test_what_was_given_is_told_as_it_is_typed(self):
        for typed, told in ((True, "true"), ({"a": 1}, '{"a": 1}'), ([None], "[null]"), ("x" * 5000, "…")):
            with self.subTest(given=str(typed)[:20]), self.assertRaises(Fault) as caught:
                calculate("signal", {"lrv": 0, "urv": 1, "value": typed})
            self.assertIn(told, caught.exception.message)
            self.assertLess(len(caught.exception.message), 200)
