"""A trace of oxygen: purge in counted cycles and remembered, metal all the way, air told from a gain, a new sensor and its come-down."""

import math
import random
from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.comedown import fit_come_down, forecast, forecast_words
from metrology.judgement.gas_kit import Fitting
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.catalogue.an_trace_o2 import TraceSettings, check
from metrology.methods.settings import read_settings, setting_fields
from metrology.quantities.permeation import permeation_ppm, residuals, swept_ppm
from metrology.run.uses import regulators_of
from metrology.tests.gases import GasPlay, bottle, detector, plain

STEEL_LINE = Fitting("L-S", "line", "stainless steel", length_m=1.5)
REGULATOR = Fitting("R-S", "regulator", "stainless steel", flow_l_min=0.5)


def span(value=80.0, code="B-O2", **changes):
    return bottle(
        code, gas="oxygen", value=value, unit="ppm", **{"balance": "nitrogen", "oxygen": 0.0, "name": "Oxygen in nitrogen", **changes}
    )


class TracePlay(GasPlay):
    """A trace oxygen run; its line and regulator are of steel."""

    def __init__(self, details=None, gas=None, regulator=REGULATOR, line=STEEL_LINE, **changes):
        details = read_settings(TraceSettings, {"low_kpa": "300", "high_kpa": "5000", **(details or {})})
        made = detector(**{"tag": "AIT-1", "unit": "ppm", "urv": 100.0, "output_unit": "ppm", "output_lo": 0.0, "output_hi": 100.0,
                           "details": {}, "tolerance": Tolerance((Term(2.0, "span"),)), **changes})  # fmt: skip
        made = replace(made, details=details)
        super().__init__("an-trace-o2", instrument=made, gases={"span": gas or span()})
        self.fittings = {"regulator": plain(regulator), "line": plain(line)}

    def assign(self, role, made, **more):
        return super().assign(role, made, **{**self.fittings, **more})

    def count(self):
        """Count the current step to its end; what stood after each."""
        step, told = self.step, []
        for n in range(1, len(step.counts)):
            self.do("counted", step=step.key, count=n)
            told.append(step.counts[n])
        return told

    def at_readings(self):
        self.forward("purge_plan")
        self.forward("count")
        while self.step.kind == "count":
            self.count()
        self.forward()
        return self


class Physics(TestCase):
    def test_each_cycle_leaves_the_same_share(self):
        # P_atm / (P_atm + P_gauge): 101.325 / 401.325 at 300 kPa.
        left = residuals(300.0, 209_000.0, cycles=9)
        self.assertAlmostEqual(left[1] / left[0], 101.325 / 401.325)
        self.assertAlmostEqual(left[9], 209_000 * (101.325 / 401.325) ** 9)

    def test_what_comes_through_the_wall_of_a_line(self):
        # PTFE, 4.2 barrer: 4.2e-10 x 2 pi 150 / ln 1.5 x 21.2 x 0.750062 cm3/s over 500 cm3/min.
        by_hand = 4.2e-10 * 2 * math.pi * 150 / math.log(1.5) * 21.2 * 0.750062 * 60 / 500 * 1e6
        self.assertAlmostEqual(permeation_ppm("PTFE", 1.5, flow_l_min=0.5), by_hand)
        self.assertAlmostEqual(permeation_ppm("PTFE", 1.5, flow_l_min=1.0), by_hand / 2)
        self.assertAlmostEqual(permeation_ppm("rubber", 1.5, flow_l_min=0.5) / by_hand, 23.3 / 4.2)
        self.assertAlmostEqual(permeation_ppm("PVC", 1.5, flow_l_min=0.5), by_hand)  # not known: as PTFE
        self.assertEqual(permeation_ppm("stainless steel", 10, flow_l_min=0.5), 0.0)
        self.assertGreater(permeation_ppm("PTFE-lined", 1.5, flow_l_min=0.5), 0)
        for bad in ({"length_m": 0, "flow_l_min": 1}, {"length_m": 1, "flow_l_min": 0}, {"length_m": 1, "flow_l_min": 1, "outside_mm": 4}):
            with self.subTest(bad=bad), self.assertRaises(Fault):
                permeation_ppm("PTFE", bad.pop("length_m"), **bad)

    def test_a_simple_purge_leaves_what_stands_in_dead_legs(self):
        self.assertAlmostEqual(swept_ppm(209_000, volumes=10, dead_share=0.05), 209_000 * (0.95 * math.exp(-10) + 0.05))
        self.assertAlmostEqual(swept_ppm(209_000, volumes=10, dead_share=0.0), 209_000 * math.exp(-10))


def course(minutes, floor=0.8, noise=0.005, seed=1):
    """A come-down of two exponentials as it would be read; the second falls by e in 12 min."""
    r = random.Random(seed)
    t = [minutes * k / 300 for k in range(301)]
    return t, [(floor + 600 * math.exp(-v / 1.5) + 60 * math.exp(-v / 12)) * (1 + r.gauss(0, noise)) for v in t]


class ComingDown(TestCase):
    def test_its_parts_are_found_again(self):
        found = fit_come_down(*course(45, noise=0.0))
        self.assertAlmostEqual(found.fast_tau, 1.5, delta=0.05)
        self.assertAlmostEqual(found.slow_tau, 12.0, delta=0.3)
        self.assertAlmostEqual(found.floor, 0.8, delta=0.1)
        self.assertAlmostEqual(found.at(20), 0.8 + 600 * math.exp(-20 / 1.5) + 60 * math.exp(-20 / 12), delta=0.1)

    def test_the_time_to_the_target_is_told_once_it_can_be(self):
        due = 12 * math.log(60 / (2.0 - 0.8))  # 46.9 min after the first point
        for seed in range(6):
            with self.subTest(seed=seed):
                f = forecast(fit_come_down(*course(35, seed=seed)), 2.0)
                self.assertAlmostEqual(f.likely, due - 35, delta=3)
                early = forecast(fit_come_down(*course(6, seed=seed)), 2.0)
                self.assertRegex(forecast_words(early, 2.0, "ppm"), "can't be told yet|at the earliest")

    def test_what_will_not_get_there_says_so_once_its_end_shows(self):
        f = forecast(fit_come_down(*course(60, floor=5.0)), 2.0)
        self.assertIsNone(f.likely)
        said = forecast_words(f, 2.0, "ppm")
        self.assertIn("It will not get under 2 ppm: it heads for 5", said)
        self.assertIn("leak", said)
        self.assertIn("can't be told yet", forecast_words(forecast(fit_come_down(*course(15, floor=5.0)), 2.0), 2.0, "ppm"))

    def test_what_is_down_is_down(self):
        self.assertEqual(forecast_words(forecast(fit_come_down(*course(60)), 2.0), 2.0, "ppm"), "It is under 2 ppm.")

    def test_what_is_no_come_down_is_refused_with_a_sentence(self):
        t = [float(n) for n in range(20)]
        for values, times in (
            ([100.0 - n for n in range(7)], t[:7]),
            ([100.0 + n for n in t], t),
            ([100.0 - n for n in t], [0.0] * 20),
            ([50.0 - 3 * n for n in t], t),
            ([math.nan] * 20, t),
        ):
            with self.subTest(values=values[:3]), self.assertRaises(Fault):
                fit_come_down(times, values)


class Purging(TestCase):
    def test_each_side_has_its_own_number_of_cycles_and_the_residual_falls(self):
        p = TracePlay()
        p.forward("purge_plan")
        self.assertIn("4 times at 5000 kPa on the high-pressure side and 10 times at 300 kPa", p.step.instruction)
        p.forward("count")
        self.assertEqual(p.view["step"]["count"]["done"], 0)
        told = p.count()
        # 1 % of 80 ppm is 0.8 ppm; 209000 x (101.325 / 5101.325)^n: 4151, 82.5, 1.64, 0.0325.
        self.assertEqual(told, ["4151 ppm left", "82 ppm left", "1.6 ppm left", "0.033 ppm left"])
        self.assertEqual(len(p.count()), 10)  # 0.252^9 x 209000 = 0.86, one more for 0.8

    def test_another_pressure_makes_other_cycles(self):
        p = TracePlay()
        p.forward("purge_plan")
        p.do("step_confirmed", step="purge_plan", values={"high_kpa": "15000", "low_kpa": "600"})
        self.assertEqual((len(p.count()), len(p.count())), (3, 7))

    def test_counts_come_one_by_one_and_a_press_sent_twice_counts_once(self):
        p = TracePlay()
        p.forward("count")
        key = p.step.key
        p.do("counted", step=key, count=1)
        for count in (1, 3, "2", None):
            with self.subTest(count=count), self.assertRaises(Fault):
                p.do("counted", step=key, count=count)
        self.assertEqual(p.state.counts[key], 1)

    def test_a_regulator_that_stayed_on_its_bottle_is_not_purged_again(self):
        for stays_on, asked in (("B-O2", False), ("B-OTHER", True), ("", True)):
            with self.subTest(stays_on=stays_on):
                p = TracePlay(regulator=replace(REGULATOR, stays_on=stays_on, purged_on="2026-10-30" if stays_on else ""))
                step = p.forward("purge_plan" if asked else "operator")
                self.assertEqual(step.key, "purge_plan" if asked else "operator")
                if not asked:
                    p.forward()
                    told = {f["name"]: f["value"] for f in p.expose("80").view["evidence"][-1]["findings"]}
                    self.assertIn("R-S has stayed on the bottle since 2026-10-30", told["Regulator purged"])

    def test_another_bottle_is_purged_anew(self):
        p = TracePlay().at_readings()
        p.assign("span", span(85.0, code="B-NEW"), reason="the first ran out")
        self.assertEqual(p.step.key, "purge_high:B-NEW")

    def test_what_becomes_of_the_regulator_is_told_to_the_kit(self):
        for choice, stays in (("on", True), ("off", False)):
            with self.subTest(choice=choice):
                p = TracePlay().at_readings()
                (before,) = regulators_of(p.state)
                self.assertEqual((before.code, before.bottle, before.stays), ("R-S", "B-O2", None))
                p.expose("80").decide("leave")
                p.forward("sign", regulator_left=choice)
                (after,) = regulators_of(p.state)
                self.assertEqual((after.bottle, after.stays), ("B-O2", stays))
                self.assertGreater(after.at, before.at)


class Materials(TestCase):
    def refused(self, **changes):
        p = TracePlay(**changes)
        p.forward("gas")
        with self.assertRaises(Fault) as caught:
            p.assign("span", p.gases["span"])
        return caught.exception.message

    def test_plastic_is_refused_with_the_leak_it_would_make(self):
        said = self.refused(line=Fitting("L-P", "line", "rubber", length_m=2.0))
        self.assertIn("14 ppm oxygen at 0.5 l/min", said)
        self.assertIn("Polymer Handbook", said)

    def test_brass_is_refused_and_so_is_another_balance(self):
        self.assertIn("stainless regulator", self.refused(regulator=Fitting("R-B", "regulator", "brass", 0.5)))
        self.assertIn("set in nitrogen", self.refused(gas=span(balance="air", oxygen=20.9)))

    def test_a_gas_away_from_eighty_percent_is_remarked(self):
        for value, warned in ((65.0, False), (64.9, True), (90.0, False)):
            with self.subTest(value=value):
                p = TracePlay(gas=span(value))
                p.forward("purge_plan")
                remarks = [r["says"] for r in p.state.gases["span"]["remarks"] if r["standing"] == "warn"]
                self.assertEqual(any("near 80 % is wanted" in r for r in remarks), warned)


class AirOrGain(TestCase):
    def judged(self, *texts):
        return TracePlay().at_readings().expose(*texts)

    def test_a_good_reading_is_one_reading(self):
        for text in ("80", "82", "78", "77"):
            with self.subTest(text=text):
                self.assertEqual(self.judged(text).step.kind, "judge")

    def test_a_high_reading_is_taken_once_more_at_twice_the_flow(self):
        p = self.judged("82.1")
        self.assertEqual(p.step.kind, "readings")
        self.assertIn("at 1 l/min, twice the flow", p.view["step"]["readings"]["next"]["how"])

    def test_air_is_thinned_by_more_flow_and_a_gain_is_not(self):
        for twice, code, least in (
            ("85", "air-in-line", 0.9),
            ("86.5", "air-in-line", 0.9),
            ("87.4", "air-in-line", 0.75),
            ("88.5", "air-in-line", 0.5),
            ("89.1", "gain-high", 0.8),
        ):
            with self.subTest(twice=twice):
                p = self.judged("90", twice)
                found = p.view["evidence"][-1]["signatures"][0]
                self.assertEqual(found["code"], code)
                self.assertGreaterEqual(float(found["confidence"].split()[0]) / 100, least)

    def test_air_is_not_adjusted_to(self):
        p = self.judged("90", "85")
        self.assertEqual(p.view["step"]["judge"]["proposal"], "repeat")
        with self.assertRaises(Fault) as refused:
            p.decide("adjust")
        self.assertIn("read low once the leak is closed", refused.exception.message)

    def test_a_gain_is_adjusted_and_the_second_reading_does_not_judge(self):
        p = self.judged("90", "90")
        self.assertEqual(p.view["step"]["judge"]["proposal"], "adjust")
        self.assertEqual(p.view["step"]["judge"]["share"], "500 %")
        p.decide("adjust")
        p.do("adjustment_made", step="adjust", screw="span", before="90", after="80")
        p.do("step_confirmed", step="adjust")
        p.expose("80.2").decide("leave")
        p.forward("sign", regulator_left="on", reading="0.8")
        p.do("signed", note="")
        self.assertTrue(p.state.signed)


class NewSensor(TestCase):
    def test_all_at_hand_the_clock_and_the_come_down(self):
        p = TracePlay().at_readings().expose("40")
        p.decide("exchange")
        self.assertEqual(p.step.key, "at_hand")
        p.do("step_confirmed", step="at_hand", values={"new_serial": "O-2", "work": "worn"}, checks=["tools", "nitrogen", "shorted", "old"])
        with self.assertRaises(Fault):
            p.do("timer_ended", step="in_air")  # not started
        p.do("timer_started", step="in_air")
        self.assertEqual(p.view["step"]["clock"]["target_s"], 15.0)
        with self.assertRaises(Fault):
            p.do("timer_started", step="in_air")
        p.now += timedelta(seconds=21)
        p.do("timer_ended", step="in_air")
        self.assertEqual(p.step.key, "come_down")
        for text, is_down in (("2.01", False), ("2", True)):
            with self.subTest(text=text):
                if is_down:
                    p.do("step_confirmed", step="come_down", values={"come_down": text})
                else:
                    with self.assertRaises(Fault):
                        p.do("step_confirmed", step="come_down", values={"come_down": text})
        p.do("adjustment_made", step="adjust", screw="span", before="70", after="80")
        p.do("step_confirmed", step="adjust")
        p.expose("80")
        found = {f["name"]: f["value"] for f in p.view["evidence"][-1]["findings"]}
        seconds = float(found["New sensor in air"].split()[0])
        self.assertGreaterEqual(seconds, 21)

    def test_its_course_is_forecast_live(self):
        p = TracePlay().at_readings().expose("40")
        p.decide("exchange")
        p.do("step_confirmed", step="at_hand", values={"new_serial": "O-2", "work": "worn"}, checks=["tools", "nitrogen", "shorted", "old"])
        p.do("timer_started", step="in_air")
        p.do("timer_ended", step="in_air")
        watching, setup = p.method.watching, p.state.setup
        slot, quantities = watching.watched(setup, p.step)
        self.assertEqual([q.name for q in quantities], ["indicated"])
        t, v = course(45)
        samples = [(60 * a, b / 7) for a, b in zip(t, v, strict=True)]
        self.assertIn("It is under 2 ppm", watching.course(setup, p.step, slot, samples))
        self.assertIn("inside the range", watching.course(setup, p.step, slot, samples[:5]))
        rising = [(60 * a - 120, 5.0 + a) for a in range(2)]
        self.assertIn(
            "It is under 2 ppm", watching.course(setup, p.step, slot, [*rising, *samples])
        )  # only what comes after the peak counts
        flat = [(float(n), 5.0 + (n % 7) / 1000 - (0.01 if n == 59 else 0)) for n in range(60)]
        self.assertNotIn("in about", watching.course(setup, p.step, slot, flat))


class Register(TestCase):
    def test_what_a_trace_analyzer_does_not_have_is_not_asked(self):
        asked = {f.name for f in setting_fields(TraceSettings)}
        self.assertFalse(asked & {"channels", "basis", "full_scale_v", "path_l"})
        self.assertIn("target_ppm", asked)

    def test_a_trace_is_in_ppm(self):
        with self.assertRaises(Fault):
            check(TraceSettings(), {"unit": "% vol"})
        self.assertIsNone(check(TraceSettings(), {"unit": "ppm"}))
