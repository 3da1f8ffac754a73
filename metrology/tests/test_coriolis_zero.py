"""The zero of a mass flow meter: verified, taken again, a leak told from a shift, a new zero by rule; limits inside, at and outside."""

from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.judgement.zero_signature import ZeroSeen, find_zero_signatures
from metrology.methods.settings import read_settings
from metrology.methods.trials.zero_flow import ZeroSettings
from metrology.tests.scales import ScalePlay
from tools.electrode_trials import shares
from tools.scale_trials import run_trials

METER = {"stability": "1", "normal_flow": "4000", "minimum_flow": "400", "tolerance_minimum": "0.5", "process_c": "-20"}
ANSWERS = {
    "zero_now": "0.35", "severe": "no", "temp_c": "-20", "flow_before": "3900", "full": "yes", "flashing": "no", "second_valve": "yes", "found": "Nothing",
    "zero_was": "0.35", "reading": "3900",
}  # fmt: skip
TIMES = (0.0, 1.0, 2.0, 3.0, 4.0, 5.0)
STILL = (0.1, -0.1, 0.1, -0.1, 0.1, -0.1)


class MeterPlay(ScalePlay):
    def __init__(self, **details):
        super().__init__("flow-coriolis-zero", 8000, {**METER, **details}, {"unit": "kg/h"})
        self.answers = {**self.answers, **ANSWERS}

    def window(self, flow=0.0, noise=STILL, density=(1010.0, 1010.0), drive=(4.0, 4.0), temp=(-20.0, -20.0)):
        for n, off in enumerate(noise):
            ends = {0: 0, len(noise) - 1: 1}
            more = {"density": str(density[ends[n]]), "drive": str(drive[ends[n]]), "temp": str(temp[ends[n]])} if n in ends else {}
            self.do("reading_taken", step=self.step.key, slot=n, indicated=f"{flow + off:.2f}", **more)
        return self.forward()

    def shown(self):
        return self.view["evidence"][-1]

    def criterion(self, name):
        return next(c for c in self.shown()["criteria"] if c["name"] == name)


class Verified(TestCase):
    def test_the_stored_zero_is_kept_and_signed(self):
        p = MeterPlay().forward().window(0.3)
        self.assertEqual(p.proposal(), "leave")
        self.assertIn("factory is usually better", p.view["step"]["judge"]["reason"])
        row = p.shown()["tables"][0]["rows"][0]
        # 0.3 kg/h of 4000 and of 400 kg/h
        self.assertEqual((row[0], row[1], row[4], row[5]), ("0.35 kg/h", "0.65 kg/h", "+0.007 %", "+0.075 %"))
        p.decide("leave").forward().do("signed", note="")
        self.assertEqual(p.view["status"], "signed")

    def test_zero_stability_inside_at_and_outside(self):
        for flow, choice in ((0.99, "leave"), (1.0, "leave"), (1.01, "again")):
            self.assertEqual(MeterPlay().forward().window(flow).proposal(), choice, flow)

    def test_the_corridor_at_minimum_flow_inside_at_and_outside(self):
        for flow, verdict in ((0.39, "pass"), (0.40, "pass"), (0.41, "fail")):
            p = MeterPlay(tolerance_minimum="0.1").forward().window(flow)  # 0.1 % of 400 kg/h
            self.assertEqual(p.criterion("at_minimum")["verdict"], verdict, flow)

    def test_valves_are_shut_and_opened_in_their_order(self):
        p = MeterPlay().forward("shut_down")
        self.assertRaises(Fault, p.do, "pair_moved", step="shut_up", pair="upstream", to="out")
        p.forward().window().decide("leave").forward("open_up")
        self.assertRaises(Fault, p.do, "step_confirmed", step="open_up")
        self.assertRaises(Fault, p.do, "pair_moved", step="open_down", pair="downstream", to="back")
        self.assertEqual(p.forward().step.key, "sign")

    def test_what_stops_it(self):
        for bad in ({"severe": "yes"}, {"full": "no"}, {"flashing": "yes"}, {"temp_c": "-14.9"}):
            self.assertRaises((Fault, Faults), MeterPlay().forward, **bad)
        self.assertEqual(MeterPlay().forward(temp_c="-15").step.key, "as_found")
        self.assertEqual(MeterPlay().forward(temp_c="-14.9", temp_reason="Line is empty").step.key, "as_found")


class Unsteady(TestCase):
    def test_no_window_to_judge_by(self):
        for name, inside, outside in (
            ("density", {"density": (1010.0, 1012.0)}, {"density": (1010.0, 1012.1)}),
            ("temp", {"temp": (-20.0, -19.0)}, {"temp": (-20.0, -18.9)}),
            ("drive", {"drive": (4.0, 50.0)}, {"drive": (4.0, 50.1)}),
        ):
            self.assertEqual(MeterPlay().forward().window(**inside).proposal(), "leave", name)
            p = MeterPlay().forward().window(**outside)
            self.assertEqual((p.proposal(), p.criterion(name)["verdict"]), ("again", "fail"))
            self.assertRaises(Fault, p.decide, "zero")


class LeakOrShift(TestCase):
    def test_a_flow_falls_with_a_second_valve_and_a_zero_stays(self):
        for again, choice, code in ((0.2, "leave", "leaking-valve"), (3.0, "zero", "zero-shift")):
            p = MeterPlay().forward().window(3.0).decide("again").forward("judge_2").window(again)
            self.assertEqual(p.shown()["signatures"][0]["code"], code)
            self.assertEqual(p.proposal(), "repair" if code == "leaking-valve" else choice)

    def test_without_a_second_valve_both_are_told(self):
        p = MeterPlay().forward().window(3.0)
        self.assertEqual({s["code"] for s in p.shown()["signatures"]}, {"leaking-valve", "zero-shift"})
        self.assertTrue(all("Shut a second valve" in s["first_action"] or "supports" in s["first_action"] for s in p.shown()["signatures"]))

    def test_what_a_second_valve_took_inside_at_and_outside(self):
        for share, code in (
            (0.49, "leaking-valve"),
            (0.50, "leaking-valve"),
            (0.51, "none"),
            (0.79, "none"),
            (0.80, "zero-shift"),
            (0.81, "zero-shift"),
        ):
            z = ZeroSeen(TIMES, tuple(10 * share + n for n in STILL), 1.0, before=10.0)
            found = find_zero_signatures(z)
            self.assertEqual(found[0].code if found else "none", code, share)

    def test_gas_makes_it_noisy_and_the_drive_work(self):
        wild = (9.0, -8.0, 7.0, -9.0, 8.0, -7.0)
        p = MeterPlay().forward().window(0.0, wild, drive=(60.0, 70.0))
        self.assertEqual(p.shown()["signatures"][0]["code"], "gas-in-liquid")


class NewZero(TestCase):
    def test_after_the_second_failure_set_and_verified(self):
        p = MeterPlay().forward().window(3.0).decide("again").forward().window(3.0)
        self.assertEqual(p.proposal(), "zero")
        p.decide("zero").forward(zero_now="3.35").window(0.0)
        table = next(t for t in p.shown()["tables"] if t["title"] == "New zero")
        self.assertEqual(table["rows"], [["0.35 kg/h", "3.35 kg/h", "+3.0000 kg/h"]])
        self.assertEqual(p.proposal(), "leave")
        self.assertEqual(p.view["evidence"][0]["tables"][0]["rows"][0][0], "0.35 kg/h")  # what was found stands as it was

    def test_rules_of_the_site(self):
        self.assertEqual(MeterPlay(new_zero="at-once").forward().window(3.0).proposal(), "zero")
        p = MeterPlay(new_zero="never").forward().window(3.0)
        self.assertEqual(p.proposal(), "repair")
        self.assertRaises(Fault, p.decide, "zero")

    def test_a_new_zero_that_does_not_hold_is_no_zero(self):
        p = MeterPlay(new_zero="at-once").forward().window(3.0).decide("zero").forward(zero_now="3.35").window(2.0)
        self.assertEqual(p.proposal(), "repair")


class Trials(TestCase):
    def test_faults_of_scales_and_flow_meters_are_named_and_healthy_ones_left_alone(self):
        for kind, trials in run_trials(120, 17).items():
            right, false = shares(trials)
            self.assertGreaterEqual(right, 0.9, kind)
            self.assertLessEqual(false, 0.05, kind)


class Register(TestCase):
    def test_minimum_below_normal_flow(self):
        read_settings(ZeroSettings, {"normal_flow": "100", "minimum_flow": "100"})
        self.assertRaises(Fault, read_settings, ZeroSettings, {"normal_flow": "99", "minimum_flow": "100"})
