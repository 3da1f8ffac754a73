"""The electronics of a magnetic flow meter verified: wires by their terminals, rows at their limits, reconnection, what is missing; causes."""

from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.judgement.mag_signature import MagSeen, find_mag_signatures
from metrology.methods.catalogue.flow_mag_verify import WIRES
from metrology.methods.settings import read_settings
from metrology.methods.setup import Past
from metrology.methods.trials.verification import MagSettings
from metrology.quantities.magmeter import conductivity_limit, pipe_velocity
from metrology.tests.runs import meter
from metrology.tests.scales import ScalePlay

METER = {
    "diameter_mm": "300", "least_us_cm": "5", "baseline_serial": "MB-48213", "coil_ohm": "80", "electrode_a_kohm": "12", "electrode_b_kohm": "12",
    "velocities": "0.5 1 3 10", "pulse_hz": "1000",
}  # fmt: skip
ANSWERS = {
    "fluid": "Permeate", "conductivity": "400", "pipe": "Steel, rubber", "flow_before": "320", "status_seen": "yes", "empty_seen": "yes",
    "coil_again": "80.2", "flow_again": "318", "alarm_again": "no", "reading": "320", **{p.key: str(n) for n, p in enumerate(WIRES, 41)},
    **{f"do_{g}": "yes" for g in ("electrodes", "signal", "current", "pulse", "status", "empty")},
}  # fmt: skip
GOOD = {
    "coil": ("80.1", "500"), "electrodes": ("12.4", "12.1"), "signal": ("0.5", "1.001", "3.002", "10.01"), "current": ("4.002", "12.003", "20.004"),
    "pulse": ("100.0", "1000.0"),
}  # fmt: skip


class MagPlay(ScalePlay):
    def __init__(self, details=None, **more):
        super().__init__("flow-mag-verify", 500, {**METER, **(details or {})}, {"unit": "m3/h"}, **more)
        self.answers = {**self.answers, **ANSWERS, "reference_meter": meter()}

    def all_groups(self, answers=None, **rows):
        given = answers or {}
        self.forward(**given)
        while self.step.kind == "readings":
            self.take(*{**GOOD, **rows}[self.step.key]).forward(**given)
        return self

    def take(self, *shown, **more):
        for text in shown:
            slot = len(self.state.active_readings(self.step.key))
            self.do("reading_taken", step=self.step.key, slot=slot, indicated=text, confirmed=["indicated"], **more)
        return self

    def criteria(self):
        return {c["name"]: c for e in self.view["evidence"] for c in e["criteria"]}


class Verified(TestCase):
    def test_to_the_end_and_signed(self):
        p = MagPlay().all_groups()
        self.assertEqual(p.proposal(), "leave")
        p.decide("leave").forward().do("signed", note="")
        self.assertEqual(p.view["status"], "signed")

    def test_rows_at_their_limits(self):
        for group, n, name, cases in (
            ("coil", 0, "coil", (("87.9", "pass"), ("88", "pass"), ("88.1", "fail"))),
            ("coil", 1, "insulation", (("20.1", "pass"), ("20", "pass"), ("19.9", "fail"))),
            ("electrodes", 0, "electrode_a", (("23.9", "pass"), ("24", "pass"), ("24.1", "fail"))),
            ("signal", 2, "v_3", (("3.014", "pass"), ("3.015", "pass"), ("3.016", "fail"))),
            ("current", 2, "ma_20", (("20.019", "pass"), ("20.02", "pass"), ("20.021", "fail"))),
            ("pulse", 1, "hz_100", (("1000.9", "pass"), ("1001", "pass"), ("1001.1", "fail"))),
        ):
            for text, verdict in cases:
                rows = [*GOOD[group][:n], text, *GOOD[group][n + 1 :]]
                self.assertEqual(MagPlay().all_groups(**{group: rows}).criteria()[name]["verdict"], verdict, (name, text))

    def test_electrodes_apart_inside_at_and_outside(self):
        # 2 |a - b| / (a + b): 30 % where b = a 17 / 23
        for a, b, verdict in (("11.49", "8.5", "pass"), ("11.5", "8.5", "pass"), ("11.51", "8.5", "fail")):
            self.assertEqual(MagPlay().all_groups(electrodes=(a, b)).criteria()["uneven"]["verdict"], verdict, a)

    def test_a_liquid_that_hardly_conducts(self):
        for k, good in (("5.1", True), ("5", True), ("4.9", False)):
            if good:
                MagPlay().forward(conductivity=k)
            else:
                self.assertRaises((Fault, Faults), MagPlay().forward, conductivity=k)
                MagPlay().forward(conductivity=k, why_low="Rinsed with pure water")


class Wires(TestCase):
    def at(self, key):
        return MagPlay().forward(key)

    def test_a_wire_moves_only_with_its_terminal(self):
        p = self.at("wires_out")
        for told in ("", "   "):
            with self.assertRaises(Fault) as caught:
                p.do("pair_moved", step="wires_out", pair="coil_1", to="out", terminal=told)
            self.assertEqual(caught.exception.code, "no_terminal")
        p.do("pair_moved", step="wires_out", pair="coil_1", to="out", terminal="41")
        with self.assertRaises(Fault) as caught:
            p.do("pair_moved", step="wires_out", pair="coil_2", to="out", terminal=" 41 ")
        self.assertEqual(caught.exception.code, "same_terminal")

    def test_back_to_the_terminal_it_came_from(self):
        p = MagPlay().forward()
        while p.step.key != "wires_back":
            p.take(*GOOD[p.step.key]).forward("wires_back")
        with self.assertRaises(Fault) as caught:
            p.do("pair_moved", step="wires_back", pair="coil_1", to="back", terminal="42")
        self.assertIn("came from terminal 41", caught.exception.message)
        p.do("pair_moved", step="wires_back", pair="coil_1", to="back", terminal=" 41")
        with self.assertRaises(Fault) as caught:
            p.do("step_confirmed", step="wires_back")
        self.assertIn("Wire coil 2", caught.exception.message)

    def test_nothing_is_released_while_one_is_out(self):
        p = MagPlay().forward("power_on")
        hold = p.state.open_holds[0]
        with self.assertRaises(Fault):
            p.do("hold_released", hold=hold.id, values={"reading": "320", "operator": "CR"}, reason="Shift ends")


class Live(TestCase):
    def test_rows_of_a_group_share_their_sources(self):
        p = MagPlay().forward()
        while p.step.key != "signal":
            p.take(*GOOD[p.step.key]).forward()
        signal = {"signal": "MM-1/card", "label": "Card", "unit": "m/s", "stimulus": "MM-1/card", "role": "applied", "wired_to": "TAG"}
        p.do("source_chosen", quantity="applied", channel="signal", **signal)
        asked = p.view["step"]["readings"]["next"]["quantities"]
        self.assertEqual([(q["name"], q["source_channel"]) for q in asked], [("applied", "signal"), ("indicated", "signal")])
        with self.assertRaises(Fault) as told:
            p.do("source_chosen", quantity="applied", channel="elsewhere", **signal)
        self.assertEqual(told.exception.code, "unknown_channel")

    def test_what_the_card_was_really_set_to_counts(self):
        slot = MagPlay().method.trial.plan(MagPlay().state.setup, "signal").slots[1]
        trial = MagPlay().method.trial
        self.assertEqual(trial.record(MagPlay().state.setup, slot, {"indicated": "1.001"})["applied"], "1")
        self.assertEqual(trial.record(MagPlay().state.setup, slot, {"indicated": "1.001", "applied": "1.0004"})["applied"], "1.0004")


class Reconnected(TestCase):
    def test_coil_as_before_inside_at_and_outside(self):
        # 5 % of 80.1 ohm
        for text, choice in (("84.1", "leave"), ("84.105", "leave"), ("84.2", "again"), ("76.0", "again")):
            self.assertEqual(MagPlay().all_groups({"coil_again": text}).proposal(), choice, text)

    def test_wires_exchanged_turn_the_flow(self):
        for flow, choice in (("33", "leave"), ("32", "leave"), ("31", "again"), ("-320", "again")):
            self.assertEqual(MagPlay().all_groups({"flow_again": flow}).proposal(), choice, flow)

    def test_checked_again_until_it_is_right(self):
        p = MagPlay().all_groups({"flow_again": "-320"})
        self.assertRaises(Fault, p.decide, "leave")
        p.decide("again").forward()
        self.assertEqual(p.proposal(), "leave")


class Missing(TestCase):
    def test_the_record_says_what_is_missing(self):
        p = MagPlay().all_groups({"do_pulse": "no", "do_empty": "no"})
        self.assertEqual(p.proposal(), "incomplete")
        self.assertIn("pulse output, empty pipe", p.view["step"]["judge"]["reason"])
        self.assertRaises(Fault, p.decide, "leave")
        self.assertEqual(p.criteria()["missing"]["verdict"], "marginal")
        p.decide("incomplete").forward().do("signed", note="")

    def test_an_input_that_did_not_act(self):
        p = MagPlay().all_groups({"status_seen": "no"})
        self.assertEqual(p.proposal(), "repair")
        self.assertIn("Status input: it did not act", p.view["step"]["judge"]["reason"])


class Baseline(TestCase):
    def test_of_another_meter_it_does_not_count(self):
        p = MagPlay({"baseline_serial": "MB-00001"})
        p.forward("bring")
        self.assertIn("another meter", p.view["step"]["instruction"])
        p.all_groups(coil=("200", "500"))
        self.assertEqual(p.criteria()["coil"]["verdict"], "pass")  # of its kind 10 to 500 ohm, not 72 to 88

    def test_trend_of_a_row_with_a_forecast(self):
        history = tuple(Past("electrode_a", f"202{y}-10-01", v, "kohm", "as found") for y, v in ((4, 12.0), (5, 15.0)))
        p = MagPlay(history=history).all_groups(electrodes=("18", "17.9"))
        told = next(e for e in p.view["evidence"] if e["key"] == "electrodes")["findings"]
        self.assertIn("meets 24 kohm about", str(told))


class Causes(TestCase):
    def first(self, **values):
        based = {"coil": 80.0, "electrode_a": 12.0, "electrode_b": 12.0}
        more = {k: values.pop(k) for k in ("gain", "currents") if k in values}
        found = find_mag_signatures(MagSeen(values, based, 20.0, **more))
        return found[0].code if found else "none"

    def test_each_pattern_has_its_name(self):
        for code, values in (
            ("none", {"coil": 81.0, "insulation": 200.0, "electrode_a": 13.0, "electrode_b": 12.5}),
            ("moisture", {"coil": 80.0, "insulation": 3.0}),
            ("coil", {"coil": 60.0, "insulation": 200.0}),
            ("coated-electrode", {"electrode_a": 40.0, "electrode_b": 13.0}),
            ("not-full", {"electrode_a": 2000.0, "electrode_b": 2100.0}),
            ("wires-exchanged", {"coil": 12_000.0, "electrode_a": 0.08, "electrode_b": 12.0}),
            ("wires-exchanged", {"coil": 11_800.0, "insulation": 200.0}),
            ("wires-exchanged", {"electrode_a": 0.079, "electrode_b": 12.0}),
            ("converter-gain", {"gain": 0.8}),
            ("output-stage", {"currents": (0.05, 0.05, 0.06)}),
        ):
            self.assertEqual(self.first(**values), code)

    def test_limits_inside_at_and_outside(self):
        for kohm, code in ((23.9, "none"), (24.0, "none"), (24.1, "coated-electrode")):
            self.assertEqual(self.first(electrode_a=kohm, electrode_b=12.0), code)
        for mohm, code in ((20.1, "none"), (20.0, "none"), (19.9, "moisture")):
            self.assertEqual(self.first(insulation=mohm), code)
        for gain, code in ((0.49, "none"), (0.5, "none"), (0.51, "converter-gain"), (-0.51, "converter-gain")):
            self.assertEqual(self.first(gain=gain), code)


class Physics(TestCase):
    def test_velocity_of_a_full_pipe(self):
        self.assertAlmostEqual(pipe_velocity(100, 100), 100 / 3600 / (3.14159265 / 4 * 0.01), 6)

    def test_least_conductivity_by_hand(self):
        # electrodes of 10 mm in 20 uS/cm: 1 / (2e-3 S/m x 0.01 m) = 50 kohm; 100 Mohm lose 0.05 % of the signal
        h = conductivity_limit(20)
        self.assertAlmostEqual(h.source_ohm, 50_000)
        self.assertAlmostEqual(h.loss_percent, 100 * 50e3 / (100e6 + 50e3), 6)
        self.assertAlmostEqual(conductivity_limit(h.least_us_cm).loss_percent, 0.1, 9)
        # 100 m of cable with 100 pF/m at 6.25 Hz stand for 2.55 Mohm
        self.assertAlmostEqual(conductivity_limit(20, cable_m=100).input_ohm, 1 / (1 / 1e8 + 2 * 3.14159265 * 6.25 * 1e-8), -2)


class Register(TestCase):
    def test_limits_in_order_and_velocities_that_are_numbers(self):
        for bad in ({"coil_low": "500", "coil_high": "500"}, {"velocities": "1"}, {"velocities": "1 fast"}, {"velocities": "1 21"}):
            self.assertRaises(Fault, read_settings, MagSettings, {**METER, **bad})
