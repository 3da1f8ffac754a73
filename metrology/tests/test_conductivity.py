"""Conductivity: solutions against temperature, compensation, cell constants; a cell in air, at its cable and in the solution; every cause."""

from datetime import date
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.conductivity_signature import CellReading, find_conductivity_signatures
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.catalogue.an_conductivity import ConductivitySettings
from metrology.methods.settings import load_settings, read_settings
from metrology.methods.setup import Past
from metrology.methods.standards.kinds import OFFERED
from metrology.quantities import conductivity as c
from metrology.quantities.units import convert
from metrology.run.results import was_touched
from metrology.run.seal import make_seal
from metrology.simulation.cell import SimulatedCell
from metrology.tests.buffers import buffer
from metrology.tests.runs import Play, instrument
from tools.cell_trials import run_trials
from tools.electrode_trials import shares


def solution(code="S-1413", us_cm=1413.0, table="kcl-0.01", **changes):
    """A conductivity standard as the server freezes it."""
    return {**buffer(code), "us_cm": us_cm, "table": table, "u_percent": 0.5, **changes}


class CellPlay(Play):
    """A run at the as-found readings, the solution chosen at a temperature."""

    def __init__(self, details=None, item=None, t="20", set_now="1", unit="uS/cm", top=2000.0, **setup):
        details = read_settings(ConductivitySettings, {"checks_cable": False, **(details or {})})
        made = instrument(tag="CT-1", unit=unit, lrv=0.0, urv=top, tolerance=Tolerance((Term(2.0, "span"),)), details=details)
        super().__init__("an-conductivity", instrument=made, points_percent=(), **setup)
        self.do("step_confirmed", step="identity", values={"tag": "CT-1", "serial": "MB-48213"})
        self.do("standard_assigned", role="solution", item=item or solution())
        self.do("step_confirmed", step="solution", values={"solution_c": t})
        self.do("step_confirmed", step="shown", values={"cell_now": set_now})
        self.do("step_confirmed", step="operator", values={"operator": "Control room"})
        self.do("hold_placed", step="hold", kind="control in manual", reason="Standard", minutes="60")
        self.do("step_confirmed", step="cautions", checks=["reach", "safe", "untouched"])
        for pair in ("sample", "cell"):
            self.do("pair_moved", step="opened", pair=pair, to="out")
        self.do("step_confirmed", step="opened")

    def take(self, *readings, step="as_found"):
        for reading in readings:
            self.do("reading_taken", step=step, slot=len(self.state.active_readings(step)), confirmed_unlikely=True, **reading)
        return self

    @property
    def set(self):
        return self.view["evidence"][-1]

    def criterion(self, name):
        return next(k for k in self.set["criteria"] if k["name"] == name)


AIR = {"indicated": "0.2"}
GOOD = {"indicated": "1278.0", "referred": "1420.0"}


class Settings(TestCase):
    def test_a_run_begun_under_the_old_name_of_a_setting_keeps_what_it_said(self):
        for said, read in (({"air_percent": 0.8}, 0.8), ({"dry_air_percent": 0.7, "air_percent": 0.8}, 0.7), ({}, 0.5)):
            self.assertEqual(load_settings(ConductivitySettings, said).dry_air_percent, read)


class Quantities(TestCase):
    def test_potassium_chloride_against_the_values_of_the_primary_standard(self):
        # IUPAC Technical Report 2001: 0.01 D and 0.1 D at 25, 18 and 0 °C, uS/cm.
        for table, t, value in (
            ("kcl-0.01-d", 25, 1408.23), ("kcl-0.01-d", 18, 1219.93), ("kcl-0.01-d", 0, 772.92), ("kcl-0.1-d", 25, 12824.6),
            ("kcl-0.1-d", 18, 11140.6), ("kcl-0.1-d", 50, 19180.9), ("kcl-0.01", 20, 1278.0), ("kcl-0.1", 25, 12880.0),
        ):  # fmt: skip
            with self.subTest(table=table, t=t):
                self.assertAlmostEqual(c.solution_conductivity(table, t), value, places=6)

    def test_between_two_temperatures_of_a_table_a_straight_line(self):
        self.assertAlmostEqual(c.solution_conductivity("kcl-0.01", 22.0), 1278 + 2 / 5 * 135)
        for t in (-0.01, 30.01):
            with self.subTest(t=t), self.assertRaises(Fault):
                c.solution_conductivity("kcl-0.01", t)

    def test_natural_water_by_the_factors_of_the_standard(self):
        # ISO 7888:1985, table of f25.
        for t, factor in ((0, 1.918), (10, 1.428), (20, 1.116), (25, 1.000)):
            with self.subTest(t=t):
                self.assertAlmostEqual(c.natural_factor(t) / factor, 1.0, delta=0.003)
        for t in (-0.1, 36.1):
            with self.subTest(t=t), self.assertRaises(Fault):
                c.natural_factor(t)

    def test_linear_compensation_and_back(self):
        self.assertAlmostEqual(c.to_reference(20, "linear", percent_per_c=2.0), 1 / 0.9)
        self.assertAlmostEqual(c.coefficient_of(90.0, 100.0, 20.0), 2.0)
        self.assertEqual(c.to_reference(3, "none"), 1.0)
        with self.assertRaises(Fault):
            c.coefficient_of(99.0, 100.0, 25.9)  # next to 25 °C
        self.assertAlmostEqual(c.coefficient_of(98.0, 100.0, 24.0), 2.0)
        with self.assertRaises(Fault):
            c.to_reference(-22.6, "linear", percent_per_c=2.0)  # the line is at its end
        self.assertGreater(c.to_reference(-22.4, "linear", percent_per_c=2.0), 19)

    def test_a_cell_constant_is_conductivity_over_conductance(self):
        self.assertAlmostEqual(c.cell_constant(1413.0, 14130.0), 0.1)
        for pair in ((0, 1), (1, 0), (-1, 1)):
            with self.subTest(pair=pair), self.assertRaises(Fault):
                c.cell_constant(*pair)

    def test_units(self):
        self.assertAlmostEqual(convert(1.413, "mS/cm", to_unit="uS/cm"), 1413)
        self.assertAlmostEqual(convert(0.1413, "S/m", to_unit="µS/cm"), 1413)
        self.assertAlmostEqual(convert(141.3, "mS/m", to_unit="uS/cm"), 1413)


class InTheSolution(TestCase):
    def test_the_constant_follows_from_the_reading_without_compensation(self):
        p = CellPlay(set_now="1.05").take(AIR, {"indicated": "1300.0", "referred": "1444.4", "analyzer_c": "20.2"})
        # 1.05 x 1278 / 1300 = 1.0322; on over off 1.1111 is 2 %/°C.
        told = p.criterion("cell_constant")
        self.assertEqual((told["value"], told["verdict"]), ("1.032 /cm", "pass"))
        self.assertIn("1.05 /cm is set", told["says"])
        self.assertEqual(p.criterion("compensation")["value"], "0.00 %")
        self.assertIn("2.00 %/°C at 20 °C", p.criterion("compensation")["says"])
        self.assertEqual([r["error"] for r in p.set["rows"]], ["+0.2", "+22.0"])

    def test_read_only_with_compensation_it_is_set_against_what_that_should_give(self):
        p = CellPlay({"tells_raw": False}).take(AIR, {"indicated": "1420.0"})
        self.assertEqual(p.set["rows"][1]["applied"], "1420")
        self.assertEqual(p.criterion("cell_constant")["value"], "1.000 /cm")

    def test_a_portion_of_another_temperature_has_its_own_value(self):
        p = CellPlay().take(AIR, {**GOOD, "solution_c": "25"})
        self.assertEqual(p.set["rows"][1]["applied"], "1413")

    def test_a_resistor_stands_for_its_conductance_times_the_constant(self):
        p = CellPlay({"checks_cable": True}, set_now="0.1", top=200.0, item=solution("S-84", 84.0, "own", points=[[15, 67.2], [25, 84.0]]))
        p.take({"ohm": "1000", "indicated": "99.8"})
        self.assertEqual(p.set["rows"][0]["applied"], "100")
        self.assertEqual(p.set["rows"][0]["error"], "-0.2")

    def test_in_air_the_smaller_of_both_limits_counts(self):
        for text, verdict in (("9.9", "pass"), ("10.0", "pass"), ("10.1", "fail")):  # 0.5 % of 2000; tolerance 2 %
            with self.subTest(text=text):
                p = CellPlay().take({"indicated": text}, GOOD)
                self.assertEqual("fail" if p.set["rows"][0]["verdict"] == "fail" else "pass", verdict)

    def test_constant_compensation_and_temperature_have_their_limits(self):
        def constant(share):
            reading = 1278.0 / share
            p = CellPlay().take(AIR, {"indicated": f"{reading:.4f}", "referred": f"{reading / 0.9:.4f}"})
            return p.criterion("cell_constant")["verdict"]

        for share, verdict in (
            (1.09, "pass"),
            (1.0999, "pass"),
            (1.1001, "marginal"),
            (1.1999, "marginal"),
            (1.2001, "fail"),
            (0.7999, "fail"),
        ):
            with self.subTest(share=share):
                self.assertEqual(constant(share), verdict)
        for off, verdict in ((0.99, "pass"), (1.01, "marginal"), (1.99, "marginal"), (2.01, "fail"), (-2.01, "fail")):
            with self.subTest(compensation=off):
                p = CellPlay().take(AIR, {"indicated": "1278.0", "referred": f"{1420 * (1 + off / 100):.3f}"})
                self.assertEqual(p.criterion("compensation")["verdict"], verdict)
        for t, verdict in (("20.5", "pass"), ("20.6", "marginal"), ("21.0", "marginal"), ("21.1", "fail"), ("18.9", "fail")):
            with self.subTest(temperature=t):
                p = CellPlay().take(AIR, {**GOOD, "analyzer_c": t})
                self.assertEqual(p.criterion("temperature")["verdict"], verdict)

    def test_a_table_that_does_not_reach_to_the_temperature_is_refused_where_it_is_entered(self):
        with self.assertRaises(Fault) as refused:
            CellPlay(t="31")
        self.assertEqual(refused.exception.field, "solution_c")
        self.assertIn("Nothing was stored", refused.exception.message)
        p = CellPlay(t="29")
        with self.assertRaises(Fault):
            p.do("standard_assigned", role="solution", item=solution("S-2", 1413.0, "own", points=[[20, 1278.0], [28, 1495.0]]))

    def test_next_to_25_c_the_record_says_that_compensation_hardly_shows(self):
        for t, said in (("22.9", False), ("23.1", True), ("26.9", True), ("27.1", False)):
            with self.subTest(t=t):
                true = c.solution_conductivity("kcl-0.01", float(t))
                on = true * c.to_reference(float(t), "linear", percent_per_c=2.0)
                p = CellPlay(t=t).take(AIR, {"indicated": f"{true:.3f}", "referred": f"{on:.3f}"})
                self.assertEqual("Compensation" in {f["name"] for f in p.set["findings"]}, said)

    def test_a_reading_that_is_not_a_number_or_nothing_is_no_accident(self):
        p = CellPlay().take(AIR)
        with self.assertRaises(Fault):
            p.take({"indicated": "wet", "referred": "1"})
        p.take({"indicated": "0", "referred": "0"})
        self.assertEqual(p.set["criteria"], [])
        self.assertEqual(p.set["rows"][1]["verdict"], "fail")


def reading(**changes):
    """A cell that is right in all, at 20 °C, with what is changed."""
    right = {
        "true": 1278.0,
        "temp_c": 20.0,
        "tolerance": 3.0,
        "air": 0.0,
        "air_limit": 2.0,
        "cell_now": 1.0,
        "mode": "linear",
        "coefficient": 2.0,
    }
    return CellReading(**{**right, "raw": 1278.0, "referred": 1420.0, "wanted": 1420.0, "analyzer_c": 20.0, **changes})


def codes(**changes):
    return [s.code for s in find_conductivity_signatures(reading(**changes))]


def low(share, **more):
    return {"raw": 1278.0 * share, "referred": 1420.0 * share, **more}


class Causes(TestCase):
    def test_nothing_is_named_while_all_is_good(self):
        self.assertEqual(codes(), [])
        self.assertEqual(codes(**low(0.97)), [])  # at the tolerance

    def test_each_cause_by_its_own_pattern(self):
        for code, changes in (
            ("dirty-cell", low(0.9)),
            ("reads-high", low(1.08)),
            ("wrong-unit", low(0.001)),
            ("wrong-unit", low(1000.0)),
            ("wrong-bottle", low(84 / 1413)),
            ("wrong-cell-constant", low(10.0)),
            ("damp", {"air": 2.1}),
            ("zero-set-wet", {"air": -2.1}),
            ("cable", low(0.9, cable=-10.0)),
            ("wrong-compensation", {"referred": 1278.0}),
            ("temperature-sensor", {"analyzer_c": 23.0, "referred": 1278.0 / 0.96}),
        ):
            with self.subTest(code=code, changes=changes):
                self.assertEqual(codes(**changes)[:1], [code])

    def test_a_damp_cell_is_named_beyond_its_limit_only(self):
        self.assertEqual((codes(air=2.0), codes(air=2.01)), ([], ["damp"]))

    def test_the_course_tells_dirt_that_creeps_from_a_bubble(self):
        creeping, sudden = (
            next(s for s in find_conductivity_signatures(reading(**low(0.9, constants=k))) if s.code == "dirty-cell")
            for k in ((1.0, 1.04, 1.08), (1.0, 1.001, 1.0))
        )
        self.assertIn("it creeps", " ".join(creeping.evidence))
        self.assertIn("Clean the cell", creeping.first_action)
        self.assertIn("it came at once", " ".join(sudden.evidence))
        self.assertIn("bubbles", sudden.first_action)

    def test_compensation_that_is_off_or_of_another_kind_is_told_by_what_it_fits(self):
        for referred, told in ((1278.0, "no compensation"), (1278.0 * c.natural_factor(20.0), "natural water")):
            with self.subTest(told=told):
                found = find_conductivity_signatures(reading(referred=referred, coefficient=4.0, wanted=1278.0 / 0.8))
                self.assertIn(told, " ".join(found[0].evidence))


class Decisions(TestCase):
    def propose(self, *readings, **details):
        return CellPlay(details).take(*readings).view["step"]["judge"]["proposal"]

    def test_dirt_is_cleaned_before_a_constant_is_set(self):
        self.assertEqual(self.propose(AIR, {"indicated": "1200", "referred": "1333.3"}), "clean")

    def test_a_reading_that_is_high_is_adjusted_and_a_good_one_left(self):
        self.assertEqual(self.propose(AIR, {"indicated": "1330", "referred": "1477.8"}), "adjust")
        self.assertEqual(self.propose(AIR, GOOD), "leave")

    def test_a_wrong_compensation_is_put_right_and_not_adjusted_to(self):
        p = CellPlay().take(AIR, {"indicated": "1278", "referred": "1278"})
        self.assertEqual(p.view["step"]["judge"]["proposal"], "repair")
        with self.assertRaises(Fault) as refused:
            p.do("decision_made", step="judge", choice="adjust", reason="quicker")
        self.assertIn("would hide it", refused.exception.message)

    def test_a_wrong_bottle_is_read_again(self):
        self.assertEqual(self.propose(AIR, {"indicated": "76", "referred": "84.4"}), "repeat")

    def test_a_cell_far_from_its_constant_is_cleaned_first_and_replaced_if_that_does_not_help(self):
        bad = {"indicated": "1000", "referred": "1111.1"}
        p = CellPlay().take(AIR, bad)
        self.assertEqual(p.view["step"]["judge"]["proposal"], "clean")
        p.do("decision_made", step="judge", choice="clean")
        p.do("step_confirmed", step="cleaned_1", checks=["rinsed", "whole"])
        p.take(AIR, bad, step="as_left")
        self.assertEqual(p.view["step"]["judge"]["proposal"], "replace")

    def test_adjusted_the_new_constant_counts_for_what_follows_and_not_for_what_was_read(self):
        p = CellPlay().take(AIR, {"indicated": "1330", "referred": "1477.8"})
        p.do("decision_made", step="judge", choice="adjust")
        p.do("adjustment_made", step="adjust", screw="zero", before="0.2", after="0.0")
        p.do("adjustment_made", step="adjust", screw="constant", before="1330", after="1278")
        p.do("step_confirmed", step="adjust")
        p.do("step_confirmed", step="constant", values={"cell_now": "0.961"})
        p.take(AIR, GOOD, step="as_left")
        found, left = p.view["evidence"]
        self.assertEqual(found["criteria"][0]["value"], "0.961 /cm")
        self.assertIn("1 /cm is set", found["criteria"][0]["says"])
        self.assertEqual(left["criteria"][0]["value"], "0.961 /cm")
        self.assertEqual(left["verdict"], "pass")
        followed = {(r["name"], r["phase"], round(r["value"], 3)) for r in make_seal(p.state, p.method, p.now)["results"]}
        self.assertEqual(followed, {("cell_constant", "as found", 0.961), ("cell_constant", "as left", 0.961)})


class Touched(TestCase):
    def test_what_was_done_to_it_tells_whether_it_may_still_be_as_it_was_found(self):
        p = CellPlay().take(AIR, {"indicated": "1200", "referred": "1333.3"})
        p.do("decision_made", step="judge", choice="clean")
        self.assertFalse(was_touched(p.state, p.method))
        p.do("step_confirmed", step="cleaned_1", checks=["rinsed", "whole"])
        self.assertTrue(was_touched(p.state, p.method))
        p = CellPlay().take(AIR, {"indicated": "1330", "referred": "1477.8"})
        p.do("device_acted", step="judge", act="air", words="pressed 'Cell dry in air': taken")
        p.do("decision_made", step="judge", choice="adjust")
        self.assertFalse(was_touched(p.state, p.method))
        p.do("device_acted", step="adjust", act="zero", words="pressed 'Accept zero': taken")
        self.assertTrue(was_touched(p.state, p.method))


class Bottles(TestCase):
    today = date(2026, 11, 2)

    def says(self, **changes):
        setup = CellPlay().state.setup
        method = CellPlay().method
        need = method.standards.needs(setup)[0]
        return " ".join(OFFERED["solution"](setup, need, solution(**changes), self.today).reasons)

    def test_what_will_not_do_says_why(self):
        self.assertEqual(self.says(), "")
        for words, changes in (
            ("where this analyzer reads it", {"us_cm": 84.0}),
            ("known to 1.01 %", {"u_percent": 1.01}),
            ("expired", {"expires_on": "2026-11-01"}),
            ("too old", {"opened_on": "2026-08-01"}),
            ("1 portions left", {"portions_left": 1}),
            ("quarantined", {"state": "quarantined"}),
        ):
            with self.subTest(words=words):
                self.assertIn(words, self.says(**changes))

    def test_at_the_limits_it_will_do(self):
        for changes in ({"us_cm": 200.0}, {"us_cm": 2000.0}, {"u_percent": 1.0}, {"expires_on": "2026-11-02"}, {"portions_left": 2}):
            with self.subTest(changes=changes):
                self.assertEqual(self.says(**changes), "")
        for changes in ({"us_cm": 199.9}, {"us_cm": 2000.1}):
            with self.subTest(changes=changes):
                self.assertNotEqual(self.says(**changes), "")


class Course(TestCase):
    def test_the_constant_of_this_cell_is_followed_to_the_day_it_meets_its_limit(self):
        past = [("2026-02-01", 1.00), ("2026-05-01", 1.02), ("2026-08-01", 1.04)]
        history = tuple(Past("cell_constant", on, v, "/cm", "as found", "first") for on, v in past)
        p = CellPlay(set_now="1.04", history=history).take(AIR, {"indicated": "1253.9", "referred": "1393.2"})
        told = {f["name"]: f["value"] for f in p.set["findings"]}["Cell constant"]
        self.assertRegex(told, r"it meets 1.1 /cm about \d+ [A-Z][a-z]+ 2027, at the earliest on")

    def test_what_is_not_a_conductivity_is_refused_in_the_register(self):
        check = CellPlay().method.check
        with self.assertRaises(Fault):
            check(ConductivitySettings(), {"unit": "pH"})
        self.assertIsNone(check(ConductivitySettings(), {"unit": "mS/cm"}))
        with self.assertRaises(Fault):
            read_settings(ConductivitySettings, {"constant_good": "21", "constant_bad": "20"})


class Trials(TestCase):
    def test_most_faults_are_named_and_hardly_a_healthy_one(self):
        for trials in run_trials(200, 7):
            right, wrongly = shares(trials)
            self.assertGreaterEqual(right, 0.9)
            self.assertLessEqual(wrongly, 0.05)


class Simulated(TestCase):
    def test_it_shows_what_its_cell_makes_of_what_it_stands_in(self):
        s = SimulatedCell(constant=1.05, cell_now=1.0, noise=0.0, places={"solution": (1278.0, 20.0)})
        for place, shown in (("air", 0.0), ("solution", 1278 / 1.05), ("cable", 1000.0)):
            with self.subTest(place=place):
                self.assertTrue(s.move(place))
                s.step(120)
                self.assertAlmostEqual(s.shown_raw, shown, places=6)
        self.assertFalse(s.move("beer"))

    def test_zero_is_set_in_air_only_and_the_constant_in_the_solution_only(self):
        s = SimulatedCell(constant=1.05, noise=0.0, damp_us=3.0, places={"solution": (1278.0, 20.0)})
        self.assertFalse(s.accept_zero() or s.accept_constant())
        s.move("air")
        s.step(120)
        self.assertAlmostEqual(s.shown_raw, 3.0)
        self.assertTrue(s.accept_zero())
        s.move("solution")
        s.step(120)
        self.assertTrue(s.accept_constant())
        self.assertAlmostEqual(s.shown_raw, 1278.0, delta=0.2)
        self.assertAlmostEqual(s.cell_now, 1.05, delta=0.001)
