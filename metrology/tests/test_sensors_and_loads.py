"""Matching coefficients, hung loads, the plan of a round, and the signatures of temperature sensors."""

from dataclasses import replace
from unittest import TestCase

from metrology.calculators import CALCULATORS, SHEETS, calculate, plot_points
from metrology.faults import Fault
from metrology.judgement.temperature_signature import SensorPoint, find_sensor_signatures
from metrology.methods.batch_plan import Member, Stop, plan_batch, require_apart
from metrology.methods.parameters import ACTS, TRIMS, require_possible
from metrology.quantities.buoyancy import hung_loads
from metrology.quantities.temperature import Platinum, fit_platinum, pt_resistance, sensor_signal, sensor_temperature
from tools.sensor_trials import run_trials, shares


class Coefficients(TestCase):
    def test_the_curve_of_the_standard_comes_back(self):
        fitted = fit_platinum([(t, pt_resistance(t)) for t in (-50, 0, 100, 250, 400)])
        self.assertAlmostEqual(fitted.r0, 100.0, places=6)
        self.assertAlmostEqual(fitted.a, 3.9083e-3, places=9)
        self.assertAlmostEqual(fitted.b, -5.775e-7, places=12)

    def test_an_element_of_its_own_is_found_and_inverted(self):
        own = Platinum(100.35, 3.915e-3, -5.9e-7)
        fitted = fit_platinum([(t, own.resistance(t)) for t in (0, 75, 150)])
        self.assertAlmostEqual(fitted.r0, 100.35, places=5)
        for t in (-20.0, 0.0, 60.0, 149.0):
            self.assertAlmostEqual(fitted.temperature(own.resistance(t)), t, places=3)

    def test_two_points_keep_b_of_the_standard_and_one_is_too_few(self):
        self.assertEqual(fit_platinum([(0, 100.0), (100, 138.51)]).b, -5.775e-7)
        with self.assertRaises(Fault):
            fit_platinum([(20, 107.79), (20.02, 107.8)])

    def test_signals_both_ways(self):
        self.assertAlmostEqual(sensor_signal("tc-k", 600, cold_junction_c=23), 24.905 - 0.919, places=3)
        self.assertAlmostEqual(sensor_temperature("tc-k", 24.905 - 0.919, cold_junction_c=23), 600, delta=0.05)
        self.assertAlmostEqual(sensor_temperature("pt", 138.5055), 100.0, places=3)


class Loads(TestCase):
    def test_the_nearest_sum_counts_at_its_true_level(self):
        # W 2 kg, V 1000 cm3, rho 0.001: the load falls by 1 kg from 0 to 100 %.
        rows = hung_loads(2.0, 1000.0, density=0.001, percents=(0, 25, 50, 100), on_hand=(1, 0.5, 0.2, 0.2, 0.1))
        self.assertEqual([round(r.load, 3) for r in rows], [2.0, 1.7, 1.5, 1.0])
        self.assertEqual([round(r.exact, 3) for r in rows], [2.0, 1.75, 1.5, 1.0])
        self.assertAlmostEqual(rows[1].true_percent, 30.0)
        self.assertEqual(rows[3].weights, (1,))

    def test_an_interface_and_a_set_that_makes_everything(self):
        rows = hung_loads(3.0, 1000.0, density=0.001, upper_density=0.0008, percents=(0, 50, 100), on_hand=())
        self.assertEqual([round(r.exact, 6) for r in rows], [2.2, 2.1, 2.0])
        self.assertEqual([round(r.true_percent, 6) for r in rows], [0, 50, 100])

    def test_pounds_and_inches_give_the_same_levels(self):
        kg = hung_loads(2.0, 1500.0, density=0.00095, percents=(25,), on_hand=(1, 0.5, 0.1))
        lb = hung_loads(
            2 / 0.45359237,
            1500 / 2.54**3,
            density=0.00095 * 2.54**3 / 0.45359237,
            percents=(25,),
            on_hand=[w / 0.45359237 for w in (1, 0.5, 0.1)],
        )
        self.assertAlmostEqual(kg[0].true_percent, lb[0].true_percent, places=6)

    def test_a_set_that_cannot_make_a_point_is_said_with_its_true_level(self):
        told = calculate("displacer-weights", {"weight": 2, "volume": 1000, "density": 0.001, "weights_on_hand": "1 1"})
        self.assertFalse(told["usable"])
        self.assertIn("bring smaller weights", told["says"])
        worst = max(told["rows"], key=lambda r: abs(r["off_percent"]))
        self.assertAlmostEqual(abs(worst["off_percent"]), 50.0)
        with self.assertRaises(Fault):
            hung_loads(1.0, 2000.0, density=0.001, percents=(100,), on_hand=())


class Together(TestCase):
    """What can stand in blocks together."""

    def refused(self, code, *members):
        with self.assertRaises(Fault) as caught:
            require_apart(members)
        self.assertEqual(caught.exception.code, code)
        return caught.exception.message

    def test_a_block_goes_as_far_as_its_weakest_sensor_bears_and_no_further(self):
        hot = Member("TE-1", "Block A", "°C", 150.0, 400.0)
        for bears, fits in ((150.0, True), (150.1, True), (149.9, False)):
            with self.subTest(bears):
                weak = Member("TE-2", "Block A", "°C", 100.0, bears)
                if fits:
                    require_apart([hot, weak])
                else:
                    self.assertIn(
                        "Block A would go to 150 °C for TE-1; TE-2 in it bears 149.9 °C", self.refused("weakest_sensor", hot, weak)
                    )
        require_apart([hot, Member("TE-2", "Block B", "°C", 100.0, 110.0)])  # in another block it is safe

    def test_units_are_minded(self):
        hot = Member("TE-1", "Block A", "°C", 150.0, 400.0)  # 302 F
        require_apart([hot, Member("TE-2", "Block A", "F", 212.0, 302.0)])
        self.refused("weakest_sensor", hot, Member("TE-2", "Block A", "F", 212.0, 301.0))

    def test_the_probe_of_another_is_minded_as_well(self):
        hot = Member("TE-1", "Block A", "°C", 420.0, 600.0, "T-1", "°C", 660.0)
        require_apart([hot, Member("TE-2", "Block A", "°C", 100.0, 600.0, "T-2", "°C", 420.0)])
        told = self.refused("weakest_sensor", hot, Member("TE-2", "Block A", "°C", 100.0, 600.0, "T-2", "°C", 419.9))
        self.assertIn("the probe T-2 in it bears 419.9 °C", told)

    def test_a_probe_is_in_one_block_at_a_time(self):
        one = Member("TE-1", "Block A", "°C", 100.0, 200.0, "T-1", "°C", 660.0)
        require_apart([one, replace(one, tag="TE-2")])
        self.assertIn(
            "T-1 would have to be in Block A and in Block B", self.refused("probe_twice", one, replace(one, tag="TE-2", block="Block B"))
        )


class Acts(TestCase):
    """What can't be is not sent to a device."""

    def test_each_value_at_its_limits(self):
        device = {"lrl": -100.0, "url": 1000.0}
        for key, low, high in (
            ("trim_output_low", 3.0, 5.0), ("trim_output_high", 18.0, 22.0), ("fix_output", 3.5, 23.0), ("lower_trim", -100.0, 1000.0),
            ("upper_trim", -100.0, 1000.0),
        ):  # fmt: skip
            with self.subTest(key):
                for value in (low, low + 0.01, high - 0.01, high):
                    require_possible(ACTS[key], value, "mA", device)
                for value in (low - 0.01, high + 0.01):
                    with self.assertRaises(Fault):
                        require_possible(ACTS[key], value, "mA", device)

    def test_a_device_that_does_not_tell_its_limits_is_not_judged_by_them(self):
        require_possible(ACTS["lower_trim"], 99_999.0, "kPa", {})

    def test_every_act_that_changes_what_is_read_asks_before(self):
        self.assertEqual(TRIMS, {"zero_trim", "lower_trim", "upper_trim", "trim_output_low", "trim_output_high"})
        self.assertTrue(all(ACTS[key].warns for key in TRIMS))


class Batches(TestCase):
    def test_while_one_block_heads_the_other_is_read(self):
        a = [Stop("A", 0, 60, 30, ("1", "2")), Stop("A", 100, 60, 30, ("1", "2"))]
        b = [Stop("B", 0, 100, 30, ("3",))]
        plan = plan_batch([a, b], read_s=10)
        self.assertEqual([(t.stop.block, t.stop.point, t.read_s) for t in plan.turns], [("A", 0, 90), ("B", 0, 130), ("A", 100, 200)])
        self.assertEqual(plan.finish_s, 220)
        # one sensor after another: A twice two points of 90 + 10, B 130 + 10
        self.assertEqual(plan.one_after_another_s, 4 * 100 + 140)
        self.assertEqual(plan.saved_s, 320)

    def test_the_reader_is_one_so_a_block_that_is_ready_waits(self):
        plan = plan_batch([[Stop("A", 0, 10, 0, ("1", "2"))], [Stop("B", 0, 12, 0, ("3",))]], read_s=5)
        self.assertEqual([(t.stop.block, t.ready_s, t.read_s) for t in plan.turns], [("A", 10, 10), ("B", 12, 20)])


class Signatures(TestCase):
    def points(self, errors, sensor="pt"):
        ts = (0.0, 75.0, 150.0)
        return [SensorPoint(t, e, sensor_signal(sensor, t + 0.5) - sensor_signal(sensor, t - 0.5)) for t, e in zip(ts, errors, strict=True)]

    def test_a_constant_resistance_is_a_lead_and_a_proportional_one_is_r0(self):
        lead = self.points([0.35 / s.slope for s in self.points((0, 0, 0))])
        found = find_sensor_signatures(lead, tolerance=0.15, sensor="pt", wires=2)
        self.assertEqual(found[0].code, "lead-resistance")
        self.assertIn("+0.350 ohm", found[0].says)
        self.assertIn("2-wire", found[0].says)
        drift = self.points([0.003 * pt_resistance(s.t90_c) / s.slope for s in self.points((0, 0, 0))])
        self.assertEqual(find_sensor_signatures(drift, tolerance=0.15, sensor="pt")[0].code, "r0-drift")

    def test_thermocouples(self):
        constant = find_sensor_signatures(self.points((4.0, 3.9, 3.95), "tc-k"), tolerance=2.5, sensor="tc-k")
        self.assertEqual(constant[0].code, "cold-junction")
        gradient = find_sensor_signatures(self.points((3.0, 0.1, -3.0), "tc-k"), tolerance=2.5, sensor="tc-k")
        self.assertEqual(gradient[0].code, "inhomogeneity")

    def test_nothing_is_named_inside_six_tenths_of_the_tolerance_or_on_two_points(self):
        for error, is_named in ((0.089, False), (0.09, False), (0.1, True)):
            found = find_sensor_signatures(self.points((error, error, error)), tolerance=0.15, sensor="pt")
            self.assertEqual(bool(found), is_named, (error, found))
        self.assertEqual(find_sensor_signatures(self.points((1, 1, 1))[:2], tolerance=0.15, sensor="pt"), ())

    def test_random_faults_are_named_right_and_healthy_ones_left_alone(self):
        for size, least in ((1.0, 0.93), (2.0, 0.95)):
            right, known, false = shares(run_trials(200, size, seed=77))
            self.assertGreaterEqual(right, least)
            self.assertGreaterEqual(known, 0.95)
            self.assertLessEqual(false, 0.05)

    def test_of_three_comparisons_it_is_named_or_said_to_be_open(self):
        right, known, false = shares(run_trials(200, 2.0, seed=78, count=3))
        self.assertGreaterEqual(known, 0.93, right)
        self.assertLessEqual(false, 0.05)

    def test_a_pull_towards_the_air_is_immersion_and_asks_for_depth(self):
        for sensor, tolerance in (("pt", 0.15), ("tc-k", 1.1)):
            cold = self.points([0.02 * (22.0 - t) for t in (0.0, 75.0, 150.0)], sensor)
            found = find_sensor_signatures(cold, tolerance=tolerance, sensor=sensor)
            self.assertEqual(found[0].code, "immersion", found)
            self.assertIn("deeper", found[0].first_action)
        warm = find_sensor_signatures(self.points([0.02 * (t - 22.0) for t in (0.0, 75.0, 150.0)]), tolerance=0.15, sensor="pt")
        self.assertNotIn("immersion", [s.code for s in warm])  # nothing pulls away from the air

    def test_a_comparison_a_little_beyond_the_curve_is_judged_all_the_same(self):
        beyond = [SensorPoint(t, 0.35 / 0.3, 0.3) for t in (-201.0, 400.0, 851.0)]
        self.assertTrue(find_sensor_signatures(beyond, tolerance=0.5, sensor="pt"))

    def test_the_air_it_was_read_in_counts(self):
        pulled = self.points([0.02 * (45.0 - t) for t in (0.0, 75.0, 150.0)])
        for air, codes in ((45.0, ["immersion"]), (0.0, ["lead-resistance", "immersion"])):
            found = find_sensor_signatures(pulled, tolerance=0.15, sensor="pt", air_c=air)
            self.assertLessEqual(set(codes), {s.code for s in found})
            self.assertEqual(len(codes) == 1, len(found) == 1)

    def test_what_is_read_without_a_sensor_type_has_a_zero_and_a_span(self):
        for errors, code in (((0.5, 0.5, 0.5), "zero-shift"), ((0.0, 0.4, 0.8), "span-error"), ((0.0, 0.8, 0.0), "linearity")):
            self.assertEqual(find_sensor_signatures(self.points(errors), tolerance=0.15, sensor="")[0].code, code)


class Units(TestCase):
    def test_a_number_may_carry_another_unit_of_its_quantity(self):
        self.assertAlmostEqual(calculate("pt-resistance", {"t90_c": "212 F"})["ohm"], calculate("pt-resistance", {"t90_c": 100})["ohm"])
        self.assertAlmostEqual(calculate("pt-resistance", {"t90_c": "373,15 K"})["ohm"], 138.5055, places=3)
        self.assertEqual(calculate("purge-cycles", {"gauge_kpa": "5 bar", "start_ppm": 209000, "target_ppm": 1})["cycles"], 7)
        self.assertEqual(calculate("loop", {"ma": 20, "ohms": 250})["volts"], 5.0)

    def test_another_quantity_and_an_unknown_unit_are_refused(self):
        for value, code in (("5 bar", "wrong_unit"), ("5 furlongs", "not_a_number"), ("abc", "not_a_number")):
            with self.subTest(value=value), self.assertRaises(Fault) as caught:
                calculate("pt-resistance", {"t90_c": value})
            self.assertEqual((caught.exception.code, caught.exception.field), (code, "t90_c"))


class Sheets(TestCase):
    def test_every_calculation_has_a_sheet_whose_start_values_compute(self):
        self.assertEqual({s.name for s in SHEETS}, set(CALCULATORS))
        for sheet in SHEETS:
            data = {}
            for f in sheet.fields:
                if f.kind == "rows":
                    rows = [line.split() for line in f.start.splitlines()]
                    data[f.name] = [dict(zip(f.columns, row, strict=False)) for row in rows]
                else:
                    data[f.name] = f.start
            with self.subTest(sheet=sheet.name):
                result = calculate(sheet.name, data)
                self.assertLessEqual({name for name, _, _ in sheet.outputs}, set(result))
                if sheet.plot:
                    self.assertGreater(len(plot_points(sheet.name, data)), 20)
                if sheet.inverse:
                    self.assertIn(sheet.inverse, CALCULATORS)

    def test_a_plot_follows_the_calculation_and_leaves_out_what_has_no_value(self):
        points = plot_points("thermocouple-emf", {"type": "R"})
        self.assertGreaterEqual(min(x for x, _ in points), -50)
        at = min(points, key=lambda p: abs(p[0] - 1000))
        self.assertAlmostEqual(at[1], calculate("thermocouple-emf", {"type": "R", "t90_c": at[0]})["emf_mv"])
        with self.assertRaises(Fault):
            plot_points("belt-load", {})
