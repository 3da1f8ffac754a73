"""Transfer, units, typed numbers, words: the small arithmetic everything else stands on."""

import math
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from metrology.calculators import calculate
from metrology.faults import Fault, Faults, require_positive, require_range
from metrology.judgement.errors import error_in_bases, measure_point
from metrology.judgement.tolerance import Term, Tolerance, describe, tolerance_percent
from metrology.quantities import acidity, belt, buoyancy, flow, gas, loop, weighing
from metrology.quantities.level import level_head
from metrology.quantities.transfer import Transfer, ideal_output, input_for_output, input_fraction, output_fraction
from metrology.quantities.typed import parse_typed, same_unit
from metrology.quantities.units import convert, convert_width, quantity_of
from metrology.quantities.words import decimals_for, minutes, number, percent, ratio, ratio_below, signed


class Transfers(TestCase):
    def test_each_law_at_known_places(self):
        table = Transfer("table", table=((0, 0), (50, 40), (100, 100)))
        for transfer, x, y in (
            (Transfer(), 0.3, 0.3),
            (Transfer("reverse"), 0.25, 0.75),
            (Transfer("sqrt"), 0.09, 0.3),
            (Transfer("sqrt"), -0.1, 0.0),
            (Transfer("sqrt", 10.0), 0.01, 0.1),
            (Transfer("sqrt", 10.0), 0.005, 0.05),
            (table, 0.25, 0.2),
            (table, 0.75, 0.7),
            (table, 1.1, 1.12),
        ):
            with self.subTest(transfer=transfer, x=x):
                self.assertAlmostEqual(output_fraction(transfer, x), y, places=12)

    def test_the_cut_off_joins_the_root_without_a_step(self):
        t = Transfer("sqrt", 8.0)
        edge = 0.08**2
        self.assertAlmostEqual(output_fraction(t, edge - 1e-12), output_fraction(t, edge + 1e-12), places=6)

    def test_a_falling_table_is_inverted_too(self):
        t = Transfer("table", table=((0, 100), (50, 40), (100, 0)))
        for x in (0.0, 0.2, 0.5, 0.8, 1.0):
            self.assertAlmostEqual(input_fraction(t, output_fraction(t, x)), x, places=9)

    def test_tables_that_make_no_sense_are_refused(self):
        for table in (((0, 0),), ((0, 0), (0, 100)), ((0, 0), (50, 60), (100, 40)), ((50, 0), (0, 100))):
            with self.subTest(table=table), self.assertRaises(Fault) as caught:
                Transfer("table", table=table)
            self.assertEqual(caught.exception.code, "bad_table")
        for bad in ({"kind": "cubic"}, {"kind": "sqrt", "cutoff_percent": 60.0}, {"kind": "sqrt", "cutoff_percent": math.nan}):
            with self.subTest(bad=bad), self.assertRaises(Fault):
                Transfer(**bad)

    def test_suppressed_elevated_and_falling_ranges(self):
        for lrv, urv, value, ideal in ((-20, 60, 20, 12.0), (-100, 0, -25, 16.0), (50, 10, 40, 8.0), (100, 500, 100, 4.0)):
            self.assertAlmostEqual(ideal_output(value, Transfer(), lrv=lrv, urv=urv), ideal)
            self.assertAlmostEqual(input_for_output(ideal, Transfer(), lrv=lrv, urv=urv), value)

    def test_other_outputs(self):
        self.assertEqual(ideal_output(5, Transfer(), lrv=0, urv=10, output_lo=1, output_hi=5), 3.0)
        self.assertEqual(ideal_output(5, Transfer(), lrv=0, urv=10, output_lo=0, output_hi=1000), 500.0)
        with self.assertRaises(Fault):
            ideal_output(5, Transfer(), lrv=0, urv=10, output_lo=20, output_hi=4)


class Tolerances(TestCase):
    def percent(self, tolerance, applied, transfer=None, lrv=0.0, urv=200.0):
        return tolerance_percent(tolerance, applied, lrv=lrv, urv=urv, transfer=transfer or Transfer())

    def test_each_basis_in_percent_of_span(self):
        for term, division, applied, expected in (
            (Term(0.5, "span"), 0, 100, 0.5),
            (Term(1.0, "reading"), 0, 50, 0.25),
            (Term(2.0, "unit"), 0, 50, 1.0),
            (Term(3.0, "division"), 0.5, 50, 0.75),
        ):
            with self.subTest(term=term):
                self.assertAlmostEqual(self.percent(Tolerance((term,), division=division), applied), expected)

    def test_the_greater_of_and_the_sum(self):
        terms = (Term(0.5, "span"), Term(1.0, "reading"))
        self.assertAlmostEqual(self.percent(Tolerance(terms, "greater"), 50), 0.5)
        self.assertAlmostEqual(self.percent(Tolerance(terms, "greater"), 200), 1.0)
        self.assertAlmostEqual(self.percent(Tolerance(terms, "sum"), 200), 1.5)

    def test_a_width_at_the_input_is_carried_through_a_square_root(self):
        # At 25 % of input the root has slope 1, at 1 % slope 5.
        tolerance = Tolerance((Term(0.2, "unit"),))
        self.assertAlmostEqual(self.percent(tolerance, 50.0, Transfer("sqrt")), 0.1, places=5)
        self.assertAlmostEqual(self.percent(tolerance, 2.0, Transfer("sqrt")), 0.5, places=2)

    def test_tolerances_that_are_none(self):
        for build in (
            lambda: Tolerance((Term(0.0, "span"),)),
            lambda: Tolerance((Term(-0.5, "span"),)),
            lambda: Tolerance((Term(math.inf, "span"),)),
            lambda: Tolerance((Term(0.5, "feet"),)),
            lambda: Tolerance((Term(0.5, "span"),), "sum"),
            lambda: Tolerance((Term(0.5, "span"), Term(1, "unit"))),
            lambda: Tolerance((Term(0.5, "span"),), "either"),
            lambda: Tolerance((Term(1, "division"),)),
        ):
            with self.assertRaises(Fault):
                build()

    def test_in_words(self):
        self.assertEqual(describe(Tolerance((Term(0.5, "span"),)), "kPa"), "±0.5 % of span")
        self.assertEqual(
            describe(Tolerance((Term(0.5, "span"), Term(2, "unit")), "greater"), "kPa"), "±the greater of 0.5 % of span and 2 kPa"
        )
        self.assertEqual(describe(Tolerance((Term(0.5, "reading"), Term(2, "unit")), "sum"), "kPa"), "±(0.5 % of reading + 2 kPa)")


class ErrorsOnFourBases(TestCase):
    RANGE = {"lrv": 0.0, "urv": 200.0, "transfer": Transfer(), "output_lo": 4.0, "output_hi": 20.0}

    def test_one_error_told_four_ways(self):
        p = measure_point(50.0, 8.08, **self.RANGE)
        e = error_in_bases(p, **self.RANGE, division=0.5)
        self.assertAlmostEqual(e.percent_span, 0.5)
        self.assertAlmostEqual(e.unit, 1.0)
        self.assertAlmostEqual(e.percent_reading, 2.0)
        self.assertAlmostEqual(e.divisions, 2.0)

    def test_where_a_basis_does_not_apply_it_is_none(self):
        e = error_in_bases(measure_point(0.0, 4.08, **self.RANGE), **self.RANGE)
        self.assertIsNone(e.percent_reading)
        self.assertIsNone(e.divisions)

    def test_through_a_square_root_the_engineering_error_is_that_of_the_input(self):
        r = {**self.RANGE, "transfer": Transfer("sqrt")}
        p = measure_point(50.0, 12.16, **r)
        self.assertAlmostEqual(p.error_percent, 1.0)
        self.assertAlmostEqual(error_in_bases(p, **r).unit, 200 * 0.51**2 - 50)


class Units(TestCase):
    def test_known_conversions(self):
        # NIST SP 811, appendix B.
        for value, a, b, expected in (
            (1, "bar", "kPa", 100),
            (1, "psi", "kPa", 6.894757293),
            (1, "inH2O", "Pa", 249.08891),
            (1, "kg/cm2", "kPa", 98.0665),
            (1, "MPa", "mPa", 1e9),
            (1, "mmHg", "Pa", 133.322387415),
            (760, "Torr", "kPa", 101.325),
            (1, "inHg", "kPa", 3.38638864),
            (1, "m3/h", "l/min", 1000 / 60),
            (1, "gal/min", "l/min", 3.785411784),
            (1, "ft3/min", "m3/h", 1.699010796),
            (1, "t/h", "kg/s", 1 / 3.6),
            (0, "°C", "F", 32),
            (100, "°C", "F", 212),
            (0, "K", "°C", -273.15),
            (20, "mA", "A", 0.02),
            (1, "lb", "kg", 0.45359237),
            (1, "in", "mm", 25.4),
            (5, "m3/h", "m3/h", 5),
        ):
            with self.subTest(a=a, b=b):
                self.assertAlmostEqual(convert(value, a, to_unit=b), expected, places=7)

    def test_water_columns_by_their_temperature(self):
        # NIST SP 811: 249.082 Pa at 4 °C; at 20 °C by the density of water, 998.2 kg/m3
        self.assertAlmostEqual(convert(1, "inH2O (4 C)", to_unit="Pa"), 249.082, 3)
        self.assertAlmostEqual(convert(1, "inH2O (20 C)", to_unit="Pa"), 0.0254 * 998.2071 * 9.80665, 1)

    def test_milli_and_mega_are_told_apart_where_both_are_used(self):
        self.assertFalse(same_unit("mPa", "MPa"))
        self.assertFalse(same_unit("Mohm", "mohm"))
        for a, b in (("kpa", "kPa"), ("MA", "mA"), ("Bar", "bar"), ("MPA", "MPa"), ("mpa", "mPa")):
            self.assertTrue(same_unit(a, b), a)

    def test_a_width_of_temperature_has_no_offset(self):
        self.assertAlmostEqual(convert_width(1.0, "°C", to_unit="F"), 1.8)

    def test_quantities_do_not_mix(self):
        self.assertEqual(quantity_of("mbar"), "pressure")
        self.assertIsNone(quantity_of("furlong"))
        for a, b in (("kPa", "mA"), ("kPa", "furlong")):
            with self.assertRaises(Fault):
                convert(1.0, a, to_unit=b)


class LevelByHead(TestCase):
    def test_a_dry_leg_by_hand(self):
        # 3 m of water: 29.41995 kPa; mounted 0.5 m below: 4.903325 kPa more at both ends
        h = level_head(0, 3, density=1000, mount_m=0.5)
        self.assertAlmostEqual(h.lrv_kpa, 4.903325, 6)
        self.assertAlmostEqual(h.urv_kpa, 34.323275, 6)
        self.assertIn("suppressed", h.says)

    def test_a_wet_leg_turns_the_range_below_zero(self):
        # a leg of 3.5 m takes 34.323 kPa off; what stands below the lower tap on both sides is the same
        h = level_head(0, 3, density=1000, leg="wet", leg_height_m=3.5, mount_m=0.5)
        self.assertAlmostEqual(h.lrv_kpa, -34.323275, 6)
        self.assertAlmostEqual(h.urv_kpa, -4.903325, 6)
        self.assertIn("elevated", h.says)
        heavier = level_head(0, 3, density=1000, leg="wet", leg_density=1200, leg_height_m=3.5, mount_m=0.5)
        self.assertAlmostEqual(heavier.lrv_kpa, (500 - 1200 * 4.0) * 9.80665 / 1000, 6)

    def test_levels_in_order_and_in_range(self):
        for bad in ({"high_m": 0}, {"low_m": 3}, {"high_m": 100.1}, {"density": 9.9}, {"leg": "oily"}, {"gravity": 9.69}):
            self.assertRaises(Fault, level_head, **{"low_m": 0, "high_m": 3, "density": 1000, **bad})
        level_head(0, 100, density=10, gravity=9.7)


class Short(TestCase):
    def test_a_ratio_that_falls_short_is_told_so_that_it_shows(self):
        for value, told in ((3.2, "3.2:1"), (3.949, "3.9:1"), (3.96, "3.96:1"), (3.996, "3.996:1"), (3.99999, "just below 4.0:1")):
            self.assertEqual(ratio_below(value, 4.0), told)


class TypedNumbers(TestCase):
    def test_figures_of_any_script_and_signs_of_a_text_processor_are_plain_digits(self):
        for text, plain in (
            ("\u22125", "-5"),
            ("\u20135.2", "-5.2"),
            ("\uff11\uff12.\uff10\uff14", "12.04"),
            ("\u0661\u0662", "12"),
            ("12\u00a0mA", "12"),
        ):
            self.assertEqual(parse_typed(text, name="x", unit="mA").text, plain)

    def test_a_comma_that_may_part_thousands_is_open_only_where_both_can_be(self):
        open_one = parse_typed("1,234", name="x")
        self.assertEqual((open_one.value, open_one.thousands), (1.234, 1234.0))
        for low, high, is_open in (
            (0, 10, False),
            (0, 1233.9, False),
            (0, 1234, True),
            (1.234, 1234, True),
            (1.235, 2000, False),
            (None, None, True),
        ):
            self.assertEqual(open_one.is_open(low, high), is_open, (low, high))
        for plain in ("1,23", "0,125", "12,3456", "1.234", "1234", "-0,500"):
            self.assertFalse(parse_typed(plain, name="x").is_open(None, None), plain)
        for asked in ("1,234", "12,034", "-120,500"):
            with self.assertRaisesRegex(Fault, "Type it with a point"):
                calculate("convert", {"value": asked, "from": "kPa", "to": "bar"})

    def test_what_people_type(self):
        for text, value in (
            ("12.04", 12.04),
            ("12,04", 12.04),
            (" 12.04 ", 12.04),
            ("+3", 3),
            ("-0.5", -0.5),
            ("−0.5", -0.5),
            (".5", 0.5),
            ("5.", 5),
            ("1e-3", 0.001),
            ("12.04 mA", 12.04),
            ("12.04mA", 12.04),
            ("12.04 MA", 12.04),
        ):
            with self.subTest(text=text):
                self.assertAlmostEqual(parse_typed(text, name="The reading", unit="mA").value, value)

    def test_what_is_no_number(self):
        for text, code in (
            ("", "empty"),
            ("   ", "empty"),
            ("abc", "not_a_number"),
            ("1.2.3", "not_a_number"),
            ("1,2,3", "not_a_number"),
            ("1 2", "not_a_number"),
            ("nan", "not_a_number"),
            ("inf", "not_a_number"),
            ("1e999", "not_finite"),
            ("-1e999", "not_finite"),
            ("4 V", "wrong_unit"),
            ("4 mAh", "wrong_unit"),
            ("0x10", "wrong_unit"),
            ("9" * 70, "too_long"),
            ("--4", "not_a_number"),
            ("4e", "wrong_unit"),
        ):
            with self.subTest(text=text), self.assertRaises(Fault) as caught:
                parse_typed(text, name="The reading", unit="mA", field="indicated")
            self.assertEqual(caught.exception.code, code)
            self.assertEqual(caught.exception.field, "indicated")
            self.assertIn("The reading", caught.exception.message)

    def test_the_step_of_the_last_digit(self):
        for text, step in (("12", 1.0), ("12.0", 0.1), ("12.040", 0.001), ("1.2e-3", 1e-4)):
            self.assertAlmostEqual(parse_typed(text, name="x").resolution, step)

    def test_units_have_other_spellings(self):
        for a, b, same in (("°C", "°C", True), ("mA", "ma", True), ("ohm", "Ω", True), ("kPa", "Pa", False), ("%", "percent", True)):
            self.assertEqual(same_unit(a, b), same)

    @given(st.floats(-1e9, 1e9, allow_nan=False))
    def test_every_printed_number_is_read_back(self, value):
        self.assertEqual(parse_typed(f"{value:.6f}".replace(".", ","), name="x").value, float(f"{value:.6f}"))


class Words(TestCase):
    def test_numbers_carry_fitting_digits_and_signs(self):
        self.assertEqual([decimals_for(s) for s in (16, 4, 100, 600, 1000, 0.5, 80000)], [3, 4, 2, 2, 1, 5, 0])
        self.assertEqual(number(-0.0001, 2), "0.00")
        self.assertEqual((signed(0.256), signed(-0.256), signed(0.001)), ("+0.26", "-0.26", "0.00"))
        self.assertEqual((percent(0.5), percent(0.05)), ("+0.50 %", "+0.050 %"))
        self.assertEqual((ratio(4.23), ratio(250.4), ratio(math.inf)), ("4.2:1", "250:1", "no limit"))
        self.assertEqual((minutes(45), minutes(61), minutes(7500), minutes(-3)), ("45 s", "2 min", "2 h 05 min", "0 s"))


class Formulas(TestCase):
    def test_each_refuses_what_cannot_be(self):
        for build in (
            lambda: loop.sense_voltage(-1.0),
            lambda: loop.loop_budget(24, 12, ohms=-1),
            lambda: gas.reference_voltage(120, 100, full_scale_v=2),
            lambda: gas.gas_volume(0, 1),
            lambda: gas.purge_cycles(0, 100, target_ppm=1),
            lambda: gas.find_gas("phlogiston"),
            lambda: gas.lel_percent_vol(gas.find_gas("methane"), "din"),
            lambda: buoyancy.displacer_load(1, 2000, density=0.001, percent=100),
            lambda: buoyancy.displacer_load(2, 1000, density=0.001, upper_density=0.001, percent=50),
            lambda: belt.belt_revolutions(0, 1, minutes=1),
            lambda: belt.belt_load(1, 0, speed_m_s=1),
            lambda: weighing.vessel_signal(3.5, 5000, sensitivity_mv_v=2, excitation_v=10, dead_load_kg=0, division_kg=1),
            lambda: weighing.vessel_signal(3, 5000, sensitivity_mv_v=2, excitation_v=10, dead_load_kg=15000, division_kg=1),
            lambda: weighing.scale_tolerance("r76-iii", 10001),
            lambda: weighing.scale_tolerance("r76-v", 100),
            lambda: weighing.scale_tolerance("r76-iii", 100, stage="later"),
            lambda: flow.coriolis_zero(0, 0, stability=0, normal_flow=1, minimum_flow=1),
            lambda: acidity.buffer_ph("nist", 5.0, 25),
            lambda: acidity.buffer_ph("nist", 4.005, 60),
            lambda: acidity.buffer_ph("home", 4.005, 25),
            lambda: acidity.electrode_slope(0, 7, e2_mv=100, ph2=7.05, temp_c=25),
        ):
            with self.assertRaises(Fault):
                build()

    def test_interface_level_and_belt_classes(self):
        lift, apparent = buoyancy.displacer_load(2.0, 1000.0, density=0.001, upper_density=0.0008, percent=25)
        self.assertAlmostEqual(lift, 0.85)
        self.assertAlmostEqual(apparent, 1.15)
        # OIML R 50-1:2014 table 1; NIST Handbook 44, 2.21.
        self.assertAlmostEqual(weighing.scale_tolerance("r50-0.5", 800), 2.0)
        self.assertAlmostEqual(weighing.scale_tolerance("r50-0.5", 800, stage="in-service"), 4.0)
        self.assertAlmostEqual(weighing.scale_tolerance("hb44-belt", 800), 2.0)
        self.assertAlmostEqual(weighing.scale_tolerance("hb44-belt-0.1", 800), 0.8)

    def test_gases_have_other_names(self):
        for name, found in (
            ("H2S", "hydrogen sulphide"),
            ("hydrogen sulfide", "hydrogen sulphide"),
            ("Butane", "n-butane"),
            ("carbon_monoxide", "carbon monoxide"),
        ):
            self.assertEqual(gas.find_gas(name).name, found)

    @given(st.sampled_from(sorted(gas.GASES)), st.sampled_from(["iec", "nfpa"]), st.floats(0, 100))
    def test_concentrations_convert_there_and_back(self, name, basis, vol):
        found = gas.find_gas(name)
        units = ["ppm"] if gas.lel_percent_vol(found, basis) is None else ["ppm", "lel"]
        for unit in units:
            there = gas.gas_convert(vol, found, from_unit="vol", to_unit=unit, basis=basis)
            back = gas.gas_convert(there, found, from_unit=unit, to_unit="vol", basis=basis)
            self.assertAlmostEqual(back, vol, places=9)

    @given(st.floats(10, 2000), st.floats(10, 1e6), st.floats(0.01, 1e4))
    def test_a_purge_is_enough_and_not_one_cycle_more(self, gauge, start, target):
        cycles, residual = gas.purge_cycles(gauge, start, target_ppm=target)
        self.assertLessEqual(residual, max(target, start if cycles == 0 else 0) * (1 + 1e-6))
        if cycles:
            ratio_ = 101.325 / (101.325 + gauge)
            self.assertGreater(residual / ratio_, target * (1 - 1e-6))

    def test_an_electrode_with_a_large_offset_is_to_be_watched(self):
        self.assertEqual(acidity.electrode_slope(45, 7, e2_mv=222, ph2=4, temp_c=25).verdict, "watch")


class TheFault(TestCase):
    def test_limits_are_told(self):
        for act, words in (
            (lambda: require_range(5.0, 0.0, 4.0, field="x", unit="kPa"), "x is 5 kPa; accepted is 0 to 4 kPa."),
            (lambda: require_positive(0.0, "x"), "x is 0; it must be above 0."),
        ):
            with self.assertRaises(Fault) as caught:
                act()
            self.assertEqual(caught.exception.message, words)

    def test_several_are_one_with_all_inside(self):
        both = Faults([Fault("a", "First.", field="x"), Fault("b", "Second.", field="y")])
        told = both.as_dict()
        self.assertEqual((told["code"], told["message"]), ("several_faults", "First. Second."))
        self.assertEqual([f["field"] for f in told["details"]["faults"]], ["x", "y"])
        self.assertEqual(Faults([Fault("a", "First.")]).as_dict()["code"], "a")
