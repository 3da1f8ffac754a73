"""Scales: what acts on a mass, test loads and their uncertainty, causes, and the run of a simple indicator; limits inside, at and outside."""

from unittest import TestCase

from metrology.calculators import calculate
from metrology.faults import Fault
from metrology.judgement.scale_signature import Loaded, ScaleSeen, find_scale_signatures
from metrology.methods.setup import Past
from metrology.quantities.loading import (
    Cells,
    corner_spread,
    judge_creep,
    least_weights,
    substitution_plan,
    substitution_steps,
    substitution_u,
)
from metrology.quantities.masses import air_density, buoyancy_factor, gravity, weight_tolerance
from metrology.tests.scales import ScalePlay


class Masses(TestCase):
    def test_gravity_by_the_formula_of_welmec_2(self):
        # By hand: 9.780318 (1 + 0.0053024 sin2 - 0.0000058 sin2(2 phi)) - 0.000003085 h
        self.assertAlmostEqual(gravity(0), 9.780318, 6)
        self.assertAlmostEqual(gravity(90), 9.780318 * 1.0053024, 6)
        self.assertAlmostEqual(gravity(45), 9.780318 * (1 + 0.0026512 - 0.0000058), 6)
        self.assertAlmostEqual(gravity(-45, 1000) - gravity(45), -0.003085, 9)
        with self.assertRaises(Fault):
            gravity(90.01)

    def test_air_by_the_approximate_formula_of_r_111(self):
        # OIML R 111-1:2004, E.3: at 20 °C, 1013.25 hPa and 50 % close to 1.2 kg/m3
        self.assertAlmostEqual(air_density(20, 101.325, 50), 1.1993, 4)
        self.assertAlmostEqual(air_density(20, 101.325, 0), 0.34848 * 1013.25 / 293.15, 6)

    def test_water_on_a_scale_set_with_steel(self):
        # OIML D 28: conventional mass of 1000 kg of water is 998.95 kg
        self.assertAlmostEqual(1000 / buoyancy_factor(1000), 998.950, 3)
        self.assertEqual(buoyancy_factor(8000), 1.0)
        self.assertRaises(Fault, buoyancy_factor, 11.9)

    def test_weights_by_table_1_of_r_111(self):
        for kg, name, mg in (
            (20, "M1", 1000),
            (20, "F1", 100),
            (1, "F2", 16),
            (500, "M1", 25_000),
            (0.001, "M1", 1.0),
            (5000, "M3", 2_500_000),
            (50, "M1-2", 5000),
        ):
            self.assertAlmostEqual(1e6 * weight_tolerance(kg, name), mg, 6, (kg, name))
        for kg, name in ((20, "M1-2"), (25, "M1"), (5000, "E2"), (20, "M9")):
            self.assertRaises(Fault, weight_tolerance, kg, name)


class TestLoads(TestCase):
    def test_the_same_weights_are_wrong_by_the_same_each_time(self):
        self.assertEqual(substitution_u(1, 0.5, 1.0), 0.5)
        # cg-18: (4 x 0.5)2 + 2 x 3 x 1.02 = 10
        self.assertAlmostEqual(substitution_u(4, 0.5, 1.0) ** 2, 10.0, 9)

    def test_how_often_the_weights_are_hung(self):
        self.assertEqual(substitution_steps(500, 2000), 4)
        self.assertEqual(substitution_steps(500, 2000.1), 5)
        self.assertEqual(substitution_steps(50, 2000), 40)
        self.assertRaises(Fault, substitution_steps, 49.9, 2000)

    def test_the_last_exchange_does_not_go_beyond_the_target(self):
        plan = substitution_plan(800, 2000, u_weights=0.1, u_reading=0.3)
        self.assertEqual([p.load_kg for p in plan], [800, 800, 1600, 1600, 2000])
        self.assertIn("400 kg of the weights", plan[-1].do)

    def test_corner_spread(self):
        shares, spread, worst = corner_spread([1.0, 1.0, 0.7])
        self.assertAlmostEqual(sum(shares), 300.0)
        self.assertAlmostEqual(spread, 100 * 0.3 / 0.9)
        self.assertEqual(worst, 2)
        self.assertRaises(Fault, corner_spread, [0.0, 0.0])

    def test_creep_at_its_limits(self):
        # OIML R 76-1:2006 3.9.4.1: 0.5 e in all, 0.2 e from 15 to 30 min
        for at_15, at_30, good in (
            (0.3, 0.5, True),
            (0.3, 0.51, False),
            (0.3, 0.49, True),
            (0.0, 0.21, False),
            (0.0, 0.2, True),
            (0.6, 0.45, False),
            (-0.5, -0.5, True),
        ):
            self.assertEqual(judge_creep(0, at_15, at_30, division=1).is_inside, good, (at_15, at_30))

    def test_least_weights_of_a_verification_by_substitution(self):
        # OIML R 76-1:2006 3.7.3
        self.assertEqual(least_weights(800), 800)
        self.assertEqual(least_weights(40_000), 20_000)
        self.assertEqual(
            [least_weights(40_000, repeat_divisions=r) for r in (0.19, 0.2, 0.21, 0.3, 0.31)], [8000, 8000, 14_000, 14_000, 20_000]
        )
        self.assertEqual(least_weights(1500), 1000)

    def test_signal_of_a_vessel_by_hand(self):
        # three cells of 2 mV/V and 10 t at 10 V: 20 mV over 30 t, 0.667 uV a kg
        cells = Cells((2.0, 2.0, 2.0), 10_000, 10, 5000)
        self.assertAlmostEqual(cells.uv(1), 20_000 / 30_000, 9)
        self.assertAlmostEqual(cells.mv_v(0), 2 * 5000 / 30_000, 9)
        self.assertAlmostEqual(Cells((2.0,) * 3, 10_000, 10, 5000, gravity=9.81).uv(1) / cells.uv(1), 9.81 / 9.80665, 9)
        for bad in ({"sensitivities": (2.0, 0.05)}, {"dead_kg": 30_000}, {"excitation_v": 0}, {"gravity": 9.0}):
            given = {"sensitivities": (2.0,) * 3, "capacity_kg": 10_000, "excitation_v": 10, "dead_kg": 5000, **bad}
            self.assertRaises(Fault, Cells, **given)


SILO = {
    "supports": 3, "cell_capacity_kg": 22_000, "sensitivities": [2.0012, 1.9996, 2.0003], "excitation_v": 10, "dead_load_kg": 12_000, "max_kg": 40_000,
    "division_kg": 20,
}  # fmt: skip


class Sheet(TestCase):
    def test_what_is_left_and_what_suffices(self):
        found = calculate("vessel-plan", {**SILO, "weights_kg": 8000})
        self.assertEqual((found["live_capacity_kg"], found["spare_kg"], found["least_test_load_kg"]), (54_000, 14_000, 6600))
        self.assertEqual(found["suffices"], ["weights", "substitution", "computed"])
        self.assertEqual(len(found["plan"]), 9)

    def test_least_test_load_inside_at_and_outside(self):
        for kg, is_there in ((6600.1, True), (6600, True), (6599, False)):
            self.assertEqual("weights" in calculate("vessel-plan", {**SILO, "weights_kg": kg})["suffices"], is_there, kg)

    def test_signal_of_a_division_at_the_limit_of_the_indicator(self):
        uv = calculate("vessel-plan", SILO)["uv_per_division"]
        for least, enough in ((uv * 0.999, True), (uv, True), (uv * 1.001, False)):
            self.assertEqual(calculate("vessel-plan", {**SILO, "least_uv": least})["is_signal_enough"], enough)

    def test_a_load_beyond_the_cells_and_a_cell_that_is_missing(self):
        self.assertEqual(calculate("vessel-plan", {**SILO, "max_kg": 54_000})["spare_kg"], 0)
        for bad, field in (({"max_kg": 54_001}, "max_kg"), ({"sensitivities": [2, 2]}, "sensitivities"), ({"supports": 2.5}, "supports")):
            with self.assertRaises(Fault) as told:
                calculate("vessel-plan", {**SILO, **bad})
            self.assertEqual(told.exception.field, field)


def seen(*errors, back=0.0, loads=(0.0, 20.0, 40.0), down=(), **more):
    rows = [Loaded(load, e) for load, e in zip(loads, errors, strict=True)] + [Loaded(load, e, is_down=True) for load, e in down]
    return ScaleSeen(tuple(rows), division=0.02, limit=0.06, zero_limit=0.06, back=back, **more)


def first(s):
    found = find_scale_signatures(s)
    return found[0].code if found else "none"


class Causes(TestCase):
    def test_each_pattern_has_its_name(self):
        for code, s in (
            ("none", seen(0.0, 0.03, 0.06)),
            ("span-error", seen(0.0, 0.05, 0.1)),
            ("zero-shift", seen(-0.1, -0.1, -0.1)),
            ("build-up", seen(0.1, 0.1, 0.1)),
            ("binding", seen(0.0, -0.1, -0.2, shares=(110.0, 110.0, 80.0))),
            ("dead-cell", seen(0.0, -6.0, -13.0, shares=(150.0, 148.0, 2.0))),
            ("overloaded-cell", seen(0.1, 0.1, 0.1, shares=(101.0, 99.0, 100.0), empty=(0.3, 0.31, 0.6))),
            ("wrong-capacity", seen(0.0, -10.0, -20.0)),
            ("wrong-capacity", seen(0.0, 24.09, 48.18)),
            ("wrong-gravity", seen(0.0, 0.04, 0.08, gravity_off=0.2)),
            ("rope-or-hose", seen(0.0, 0.0, 0.0, down=((20.0, 0.1),))),
            ("wind", seen(0.0, 0.0, 0.0, moving=0.05)),
        ):  # fmt: skip
            self.assertEqual(first(s), code)

    def test_a_low_reading_alone_is_span_with_binding_beside_it(self):
        found = [m.code for m in find_scale_signatures(seen(0.0, -0.05, -0.1))]
        self.assertEqual(found, ["span-error", "binding"])
        self.assertEqual([m.code for m in find_scale_signatures(seen(0.0, -0.05, -0.1, back=0.05))], ["span-error"])

    def test_limits_inside_at_and_outside(self):
        for error, code in ((0.0599, "none"), (0.06, "none"), (0.0601, "span-error")):
            self.assertEqual(first(seen(0.0, 0.0, error)), code)
        for share, code in ((86.0, "none"), (85.0, "none"), (84.9, "binding"), (25.0, "binding"), (24.9, "dead-cell")):
            self.assertEqual(first(seen(0.0, 0.0, 0.0, shares=(100.0, 100.0, share))), code, share)
        for gap, code in ((0.059, "none"), (0.06, "none"), (0.061, "rope-or-hose")):
            self.assertEqual(first(seen(0.0, 0.0, 0.0, down=((20.0, gap),))), code, gap)
        for sd, code in ((0.009, "none"), (0.01, "none"), (0.0101, "wind")):
            self.assertEqual(first(seen(0.0, 0.0, 0.0, moving=sd)), code, sd)


class Indicator(TestCase):
    def play(self, **details):
        return ScalePlay(details={"division": "0.02", **details}).forward()

    def test_left_as_found_and_signed(self):
        p = self.play().take("0.00", "30.02", "0.00").forward()
        self.assertEqual(p.proposal(), "leave")
        p.decide("leave").forward().do("signed", note="")
        self.assertEqual(p.view["status"], "signed")

    def test_set_with_the_known_load_and_locked_again(self):
        p = self.play().take("0.00", "30.10", "0.00").forward()
        self.assertEqual(p.proposal(), "adjust")
        p.decide("adjust").forward("lock")
        with self.assertRaises(Fault) as told:
            p.do("step_confirmed", step="lock")
        self.assertIn("Access to its calibration", told.exception.message)
        p.forward().take("0.00", "30.00", "0.00").forward().decide("leave")
        table = next(t for e in p.view["evidence"] for t in e["tables"] if t["title"] == "Factor")
        self.assertEqual(table["rows"], [["1.0000", "1.0021", "+0.210 %"]])

    def test_its_own_tolerance_inside_at_and_outside(self):
        for shown, verdict in (("30.05", "pass"), ("30.06", "pass"), ("30.07", "fail")):
            p = self.play().take("0.00", shown, "0.00")
            self.assertEqual(p.view["evidence"][0]["rows"][1]["verdict"], verdict, shown)

    def test_steps_of_r_76(self):
        # 30 kg are 1500 divisions of 0.02 kg: 1 e on verification, 2 e in service
        for stage, shown, verdict in (
            ("in-service", "30.04", "pass"),
            ("in-service", "30.05", "fail"),
            ("initial", "30.02", "pass"),
            ("initial", "30.03", "fail"),
        ):
            p = self.play(scheme="r76-iii", stage=stage).take("0.00", shown, "0.00")
            self.assertEqual(p.view["evidence"][0]["rows"][1]["verdict"], verdict, (stage, shown))

    def test_zero_after_the_load_inside_at_and_outside(self):
        for shown, choice in (("0.01", "leave"), ("0.010", "leave"), ("0.02", "repair")):
            p = self.play().take("0.00", "30.00", shown).forward()
            self.assertEqual(p.proposal(), choice, shown)

    def test_what_binds_is_not_adjusted_away(self):
        history = tuple(Past("zero_kg", f"2026-0{n}-01", 0.02 * n, "kg", "as found") for n in range(1, 4))
        p = ScalePlay(details={"division": "0.02"}, history=history).forward().take("0.10", "30.10", "0.10").forward()
        self.assertEqual(p.proposal(), "repair")
        with self.assertRaises(Fault):
            p.decide("adjust")

    def test_a_claim_is_held_against_the_history(self):
        history = tuple(Past("span_percent", f"202{n}-01-01", v, "%", "as found") for n, v in ((3, 0.02), (4, 0.05), (5, 0.25)))
        p = ScalePlay(details={"division": "0.02"}, history=history).forward().take("0.00", "30.02", "0.00").forward()
        told = (
            dict(p.view["evidence"][0]["findings"])
            if isinstance(p.view["evidence"][0]["findings"], dict)
            else str(p.view["evidence"][0]["findings"])
        )
        self.assertIn("1 times outside", str(told))

    def test_found_open_is_told(self):
        p = ScalePlay(details={"division": "0.02"}).forward(lock_found="open").take("0.00", "30.02", "0.00").forward()
        self.assertIn("found open", p.view["step"]["judge"]["reason"])

    def test_a_load_beyond_the_scale_is_refused_before_it_is_on(self):
        for load, refused in (("59.9", False), ("60", False), ("60.01", True)):
            p = self.play(known_load="50").take("0.00")
            put = {"step": "as_found", "slot": 1, "applied": load, "indicated": "50.00", "confirmed": ["indicated"]}
            if not refused:
                p.do("reading_taken", **put)
                continue
            with self.assertRaises(Fault) as told:
                p.do("reading_taken", **put)
            self.assertEqual(told.exception.code, "beyond_capacity")
