"""Several components: one mixture for all, an order that disturbs least, gains that are barred, come-down, automatic zero, and a zero that is due again."""

import itertools
import math
import random
from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.judgement.falling import end_of_three, fall_words, fit_fall
from metrology.methods.components import MixtureSettings, read_components, read_effects
from metrology.methods.settings import read_settings
from metrology.methods.slots import Slot
from metrology.methods.trials.mixture import AUTO_ZERO
from metrology.quantities.crosseffects import least_disturbing
from metrology.tests.mixtures import COMPONENTS, MIXTURE, MixturePlay, mixture, nitrogen
from tools.electrode_trials import shares
from tools.mixture_trials import run_trials

HIGH = "CO low, carbon monoxide, 500, ppm, 2, A; CO high, carbon monoxide, 5000, ppm, 2, B, from 2000"


class Register(TestCase):
    def test_components_are_read_with_all_that_may_stand_behind(self):
        found = read_components("CO, carbon monoxide, 500, ppm; NO2, nitrogen dioxide, 100, ppm, 3, b, from 20, slow")
        self.assertEqual([(c.name, c.gas, c.top, c.tolerance_percent, c.mixture) for c in found],
                         [("CO", "carbon monoxide", 500, 0, "A"), ("NO2", "nitrogen dioxide", 100, 3, "B")])  # fmt: skip
        self.assertEqual((found[1].gain_from, found[1].is_slow, found[0].is_slow), (20, True, False))

    def test_what_says_nothing_is_refused(self):
        for text in ("CO, carbon monoxide", "CO, carbon monoxide, 500, ppm, 2, A, soon",
                     "CO, moonlight, 5, ppm", "CO, carbon monoxide, 5, ppm; CO, hydrogen, 5, ppm",
                     "CO, carbon monoxide, 500, ppm, 51"):  # fmt: skip
            with self.subTest(text=text), self.assertRaises(Fault):
                read_components(text)
        for text in ("CO2 to CO 1", "CO2 on CO", "CO2 on CO 1; CO2 on CO 2"):
            with self.subTest(text=text), self.assertRaises(Fault):
                read_effects(text)

    def test_an_effect_of_what_is_not_measured_and_a_wrong_unit_are_refused(self):
        for wrong in ({"effects": "H2O on CO 1"}, {"components": "CO, carbon monoxide, 500, mg"}, {"effects": "CO on CO 1"}):
            with self.subTest(wrong=wrong), self.assertRaises(Fault):
                read_settings(MixtureSettings, {"components": COMPONENTS, **wrong})


class Gas(TestCase):
    def refused(self, play, role):
        play.forward("gas")
        with self.assertRaises(Fault) as told:
            play.assign(role, play.gases[role])
        return told.exception.message

    def test_a_mixture_counts_for_each_component_and_what_it_lacks_is_a_zero(self):
        play = MixturePlay().at_readings()
        self.assertEqual([(s.extra["stream"], s.channel, s.ideal) for s in play.slots[4:]],
                         [("mix:A", "CO2", 12), ("mix:A", "CO", 400), ("mix:A", "NO", 800), ("mix:A", "O2", 0),
                          ("mix:B", "CO2", 0), ("mix:B", "CO", 0), ("mix:B", "NO", 0), ("mix:B", "O2", 20)])  # fmt: skip

    def test_a_bottle_that_lacks_a_component_is_refused(self):
        self.assertIn("nitric oxide is needed", self.refused(MixturePlay(gases={"mix:A": mixture(gases=MIXTURE[:2])}), "mix:A"))

    def test_each_component_must_lie_in_its_window(self):
        low = (*MIXTURE[:2], ("nitric oxide", 50.0, "ppm"))
        self.assertIn("a span gas lies between", self.refused(MixturePlay(gases={"mix:A": mixture(gases=low)}), "mix:A"))

    def test_zero_gas_is_nitrogen(self):
        self.assertIn("oxygen", self.refused(MixturePlay(gases={"zero": nitrogen(oxygen=20.9, balance="air")}), "zero"))

    def test_what_is_above_its_range_on_a_gas_is_not_read_there(self):
        b = mixture("B-B", (("carbon monoxide", 3500.0, "ppm"),))
        play = MixturePlay(
            {"components": HIGH, "effects": ""}, {"mix:A": mixture(gases=(("carbon monoxide", 400.0, "ppm"),)), "mix:B": b}
        ).at_readings()
        self.assertEqual([(s.extra["stream"], s.channel) for s in play.slots],
                         [("zero", "CO low"), ("zero", "CO high"), ("mix:A", "CO low"), ("mix:A", "CO high"), ("mix:B", "CO high")])  # fmt: skip

    def test_a_trace_in_the_zero_gas_is_refused(self):
        self.assertIn("holds oxygen", self.refused(MixturePlay(gases={"zero": nitrogen(gases=(("oxygen", 80.0, "ppm"),))}), "zero"))

    def test_the_kit_in_use_names_each_component(self):
        shown = {g["label"]: g["applied"] for g in MixturePlay().at_readings().view["gases"]}
        self.assertEqual(shown, {"Zero gas": "zero gas", "Mixture A": "CO2 12 % vol, CO 400 ppm, NO 800 ppm", "Mixture B": "O2 20 % vol"})

    def test_litres_are_taken_once_a_gas(self):
        play = MixturePlay().at_readings().read()
        taken = sum(play.method.uses(play.state.setup, "span", None).amount for _ in range(4))
        need = play.method.standards.of(play.state.setup, "mix:A").detail
        self.assertAlmostEqual(taken * need.exposures, need.litres - need.flow_l_min, delta=0.01)


class Conditions(TestCase):
    def at(self, key, details=None, **values):
        play = MixturePlay(details)
        play.forward(key, **values)
        return play

    def refused(self, play, **values):
        with self.assertRaises(Faults) as told:
            play.do("step_confirmed", step=play.step.key, values=values)
        return told.exception.faults[0].message

    def test_single_shot_mode_is_not_gone_on_from(self):
        play = self.at("mode", {"mode_shows": "CONT at the top"})
        self.assertIn("CONT at the top", play.step.instruction)
        self.assertIn("refused in this mode", self.refused(play, mode="single"))
        play.do("step_confirmed", step="mode", values={"mode": "continuous"})
        self.assertEqual(play.step.key, "sample_flow")

    def test_flow_just_inside_at_and_just_outside_its_limits(self):
        for flow, is_right in (("0.9", True), ("1.1", True), ("0.899", False), ("1.101", False)):
            with self.subTest(flow=flow):
                play = self.at("sample_flow")
                if is_right:
                    play.do("step_confirmed", step="sample_flow", values={"flow": flow})
                    self.assertEqual(play.step.kind, "readings")
                else:
                    self.assertIn("set the flow first", self.refused(play, flow=flow))

    def test_the_temperature_is_asked_where_it_is_told(self):
        play = self.at("warm", {"cell_c": "60"})
        self.assertIn("not warm yet", self.refused(play, cell_c="58.9"))
        play.do("step_confirmed", step="warm", values={"cell_c": "59"})
        self.assertEqual(play.step.key, "gas")
        self.assertNotEqual(MixturePlay().forward("gas").key, "warm")


class Order(TestCase):
    def test_the_order_is_told_with_its_reason_before_gas_is_spent(self):
        play = MixturePlay()
        play.forward("order")
        self.assertIn("CO2, then NO, then CO", play.step.instruction)

    def test_a_circle_is_named_and_set_in_turn(self):
        play = MixturePlay({"effects": "CO on NO 2; NO on CO 0.5"})
        play.forward("order")
        self.assertIn("CO and NO disturb one another: set them in turn", play.step.instruction)

    def test_it_is_the_least_of_all_orders(self):
        rng = random.Random(4)
        names = "ABCD"
        for _ in range(20):
            effects = [(a, b, rng.random()) for a in names for b in names if a != b]
            tolerances = {n: rng.uniform(0.5, 2) for n in names}
            cost = {(a, b): v * tolerances[a] / tolerances[b] for a, b, v in effects}
            found = least_disturbing(tolerances, effects).names
            best = min(itertools.permutations(names), key=lambda o: sum(cost[o[j], o[i]] for i in range(4) for j in range(i + 1, 4)))
            self.assertEqual(found, best)


class Adjusting(TestCase):
    def at_adjust(self, details=None, gases=None, policy=None):
        play = MixturePlay(details, gases, policy).at_readings()
        play.read(lambda s: s.ideal * 1.04 if s.channel == "NO" and s.ideal else None)
        play.decide("adjust")
        self.assertEqual(play.step.kind, "adjust")
        for name in ("CO2", "CO", "NO", "O2"):
            play.set(f"{name} zero", 0)
        return play

    def next(self, play):
        return play.view["step"]["adjust"]["screw"]

    def test_those_before_are_read_again_and_what_moved_goes_round_again(self):
        play = self.at_adjust()
        play.set("CO2 span", 12.05)  # inside its aim: left
        self.assertEqual(self.next(play), "NO span")
        play.set("NO span", 832, 800.5)
        self.assertEqual(self.next(play), "CO2 span")
        self.assertIn("setting NO may have moved it", play.view["step"]["adjust"]["says"])
        with self.assertRaises(Fault) as told:
            play.set("CO2 span", 12.8)  # moved beyond its aim: it is set anew
        self.assertEqual(told.exception.code, "not_in_aim")
        play.set("CO2 span", 12.8, 12.01)
        self.assertEqual(self.next(play), "NO span")
        play.set("NO span", 801)
        play.set("CO span", 402, 400.2)
        for screw, value in (("CO2 span", 12.0), ("NO span", 800)):
            self.assertEqual(self.next(play), screw)
            self.assertIn("setting CO may have moved it", play.view["step"]["adjust"]["says"])
            play.set(screw, value)
        play.set("O2 span", 20.01)
        self.assertTrue(play.view["step"]["adjust"]["is_converged"])

    def test_on_another_gas_it_is_read_again_at_the_end(self):
        play = self.at_adjust()
        play.set("CO2 span", 12)
        play.set("NO span", 832, 800)
        play.set("CO2 span", 12)
        play.set("CO span", 400)
        play.set("O2 span", 20.5, 20.0)
        self.assertEqual(self.next(play), "CO2 span")
        self.assertIn("back on its own gas", play.view["step"]["adjust"]["says"])

    def test_the_passes_have_a_limit_and_then_a_reason(self):
        play = self.at_adjust(policy={"max_passes": 3})
        play.set("CO2 span", 12)
        for _ in range(3):
            play.set("NO span", 850, 830)
        self.assertTrue(play.view["step"]["adjust"]["is_stuck"])
        with self.assertRaises(Fault):
            play.do("step_confirmed", step="adjust")
        play.do("step_confirmed", step="adjust", reason="its amplifier is at its end")
        self.assertEqual(play.step.phase, "as left")

    def test_a_gain_below_its_threshold_is_not_set_and_says_why(self):
        for value, is_barred in ((2000.0, True), (2000.1, False)):
            with self.subTest(value=value):
                gases = {
                    "mix:A": mixture(gases=(("carbon monoxide", 400.0, "ppm"),)),
                    "mix:B": mixture("B-B", (("carbon monoxide", value, "ppm"),)),
                }
                play = MixturePlay({"components": HIGH, "effects": ""}, gases).at_readings()
                play.read(lambda s: s.ideal * 1.05 if s.channel == "CO low" and s.ideal else None)
                play.decide("adjust")
                for screw in ("CO low zero", "CO high zero"):
                    play.set(screw, 0)
                if is_barred:
                    with self.assertRaises(Fault) as told:
                        play.set("CO high span", 2000, 2000)
                    self.assertIn("may only be set above 2000 ppm; B-B gives 2000 ppm", told.exception.message)
                    play.set("CO low span", 420, 400)
                    self.assertTrue(play.view["step"]["adjust"]["is_converged"])
                    self.assertIn("may only be set above", play.view["step"]["adjust"]["says"])
                else:
                    play.set("CO low span", 420, 400)
                    self.assertEqual(self.next(play), "CO high span")

    def test_where_only_a_barred_gain_is_off_adjusting_is_refused(self):
        gases = {
            "mix:A": mixture(gases=(("carbon monoxide", 400.0, "ppm"),)),
            "mix:B": mixture("B-B", (("carbon monoxide", 1900.0, "ppm"),)),
        }
        play = MixturePlay({"components": HIGH, "effects": ""}, gases).at_readings()
        play.read(lambda s: s.ideal * 1.1 if s.channel == "CO high" and s.extra["stream"] == "mix:B" else None)
        with self.assertRaises(Fault) as told:
            play.decide("adjust")
        self.assertIn("may only be set above 2000 ppm", told.exception.message)


class Signatures(TestCase):
    def first(self, shows, details=None, gases=None):
        play = MixturePlay(details, gases).at_readings().read(shows)
        found = play.view["evidence"][0]["signatures"]
        return (found[0]["code"] if found else "", play)

    def test_swapped_components(self):
        same = {"mix:A": mixture(gases=(MIXTURE[0], ("carbon monoxide", 300.0, "ppm"), ("nitric oxide", 450.0, "ppm")))}
        code, play = self.first(
            lambda s: {"CO": 450, "NO": 300}.get(s.channel) if s.ideal and s.extra["stream"] == "mix:A" else None, gases=same
        )
        self.assertEqual(code, "swapped")
        with self.assertRaises(Fault):
            play.decide("adjust")

    def test_air_in_the_line_thins_all_alike_and_brings_oxygen(self):
        def thinned(s):
            if s.extra["stream"] != "mix:A":
                return None
            return 0.9 * s.ideal if s.ideal else 2.09

        code, play = self.first(lambda s: thinned(s))
        self.assertEqual(code, "air-in-line")
        with self.assertRaises(Fault):
            play.decide("adjust")

    def test_zero_gas_that_is_not_clean(self):
        code, _ = self.first(lambda s: 12.0 if s.extra["stream"] == "zero" and s.channel == "CO" else None)
        self.assertEqual(code, "zero-gas")

    def test_a_zero_that_moved_is_off_on_every_gas(self):
        code, _ = self.first(lambda s: s.ideal + 12 if s.channel == "CO" else None)
        self.assertEqual(code, "zero-shift")

    def test_a_cross_effect_shows_where_there_is_none_of_it(self):
        # 20 % vol oxygen moves CO by 0.6 ppm a %.
        code, play = self.first(lambda s: 12.0 if s.channel == "CO" and s.extra["stream"] == "mix:B" else None, {"effects": "O2 on CO 0.6"})
        self.assertEqual(code, "cross-effect")
        self.assertIn("O2", play.view["evidence"][0]["signatures"][0]["says"])

    def test_one_gain(self):
        code, _ = self.first(lambda s: 1.05 * s.ideal if s.channel == "NO" else None)
        self.assertEqual(code, "span-error")

    def test_another_bottle(self):
        code, _ = self.first(lambda s: {"CO2": 4.0, "CO": 90.0, "NO": 150.0}.get(s.channel) if s.ideal else None)
        self.assertEqual(code, "wrong-bottle")

    def test_one_that_is_off_among_those_that_are_not_is_its_gain(self):
        code, _ = self.first(
            lambda s: {"CO": 425, "CO2": 12.08, "NO": 806}.get(s.channel) if s.ideal and s.extra["stream"] == "mix:A" else None
        )
        self.assertEqual(code, "span-error")

    def test_most_faults_are_named_right_and_no_healthy_one_gets_a_name(self):
        right, false = shares(run_trials(300, 7))
        self.assertGreaterEqual(right, 0.9)
        self.assertLessEqual(false, 0.05)

    def test_a_good_one_has_none(self):
        rng = random.Random(2)
        code, _ = self.first(lambda s: s.ideal + rng.gauss(0, 0.002) * max(s.ideal, 1))
        self.assertEqual(code, "")


class Live(TestCase):
    def marks(self, status=(), flow=()):
        play = MixturePlay().at_readings()
        slot: Slot = play.slots[0]
        return play.method.watching.interrupted(play.state.setup, slot, {"status": status, "flow": flow})

    def test_an_automatic_zero_begins_the_exposure_anew_at_its_end(self):
        status = [(float(n), float(AUTO_ZERO if 3 <= n <= 6 else 0)) for n in range(10)]
        self.assertEqual([t for t, _ in self.marks(status=status)], [7.0])
        self.assertIn("Automatic zero", self.marks(status=status)[0][1])

    def test_one_that_goes_on_leaves_nothing_to_judge_by(self):
        status = [(float(n), float(AUTO_ZERO if n >= 3 else 0)) for n in range(10)]
        self.assertEqual([t for t, _ in self.marks(status=status)], [9.0])

    def test_a_flow_outside_its_limits(self):
        self.assertEqual(self.marks(flow=[(0.0, 1.0), (1.0, 0.9), (2.0, 1.1)]), ())
        self.assertEqual([t for t, _ in self.marks(flow=[(0.0, 1.0), (1.0, 0.89), (2.0, 1.0)])], [2.0])


class Falling(TestCase):
    def test_where_it_ends_and_when(self):
        # 3 + 40 e^(-t/5), watched for 6 min.
        times = [n / 10 for n in range(61)]
        found = fit_fall(times, [3 + 40 * math.exp(-t / 5) for t in times], margin=0.5)
        self.assertAlmostEqual(found.end, 3, delta=0.2)
        self.assertAlmostEqual(found.there_in, 5 * math.log(40 * math.exp(-6 / 5) / 0.5), delta=0.6)
        says = fall_words(found, margin=0.5, unit="ppm", allowed=2)
        self.assertIn("will end at about", says)
        self.assertIn("more than the 2 ppm", says)

    def test_three_readings_equally_apart(self):
        # 10 + 8 (1, 1/2, 1/4): the end is 10, tau 1/ln 2.
        found = end_of_three(18, 14, 12, apart=1, margin=0.5)
        self.assertAlmostEqual(found.end, 10)
        self.assertAlmostEqual(found.there_in, math.log(2 / 0.5) / math.log(2))
        self.assertIsNone(end_of_three(18, 16, 14, apart=1, margin=0.5))
        self.assertIsNone(end_of_three(18, 18, 18, apart=1, margin=0.5))

    def test_a_line_has_no_end_that_can_be_told(self):
        times = [n / 10 for n in range(61)]
        self.assertIsNone(fit_fall(times, [50 - t for t in times], margin=0.5).there_in)
        with self.assertRaises(Fault):
            fit_fall([0, 1], [1, 2], margin=1)

    def at_falling(self):
        play = MixturePlay(
            {"components": COMPONENTS.replace("NO, nitric oxide, 1000, ppm, 2, A", "NO, nitric oxide, 1000, ppm, 2, A, slow")}
        )
        play.at_readings().read()
        play.decide("leave")
        play.forward("fall:NO")
        return play

    def test_read_live_on_zero_gas_its_end_is_told_and_of_others_nothing(self):
        play = MixturePlay({"components": COMPONENTS.replace("1000, ppm, 2, A", "1000, ppm, 2, A, slow")}).at_readings()
        samples = [(float(n), 5 + 60 * math.exp(-n / 120)) for n in range(240)]
        told = {
            s.channel: play.method.watching.course(play.state.setup, play.step, s, samples)
            for s in play.slots
            if s.extra["stream"] == "zero"
        }
        self.assertIn("will end at about", told["NO"])
        self.assertEqual((told["CO"], told["CO2"]), ("", ""))
        on_mixture = next(s for s in play.slots if s.channel == "NO" and s.extra["stream"] == "mix:A")
        self.assertEqual(play.method.watching.course(play.state.setup, play.step, on_mixture, samples), "")

    def test_left_above_zero_only_with_a_reason(self):
        for value, why, is_taken in (
            ("20", "", True),
            ("20.1", "", False),
            ("20.1", "needed by the boiler now", True),
            ("-20.1", "", False),
        ):
            with self.subTest(value=value, why=why):
                play = self.at_falling()
                play.do("step_confirmed", step="fall:NO", values={"fall_1:NO": "60", "fall_2:NO": "45", "fall_3:NO": "37.5"})
                self.assertIn("will end at about 30 ppm", play.step.instruction)
                given = {"left:NO": value, "why:NO": why}
                if is_taken:
                    play.do("step_confirmed", step="falling:NO", values=given)
                    self.assertEqual(play.step.key, "back")
                else:
                    with self.assertRaises(Faults):
                        play.do("step_confirmed", step="falling:NO", values=given)

    def test_going_back_leaves_a_duty(self):
        play = self.at_falling()
        play.do("step_confirmed", step="fall:NO", values={})
        play.do("step_confirmed", step="falling:NO", values={"left:NO": "3"})
        event = play.do("step_confirmed", step="back", checks=["mode"])
        self.assertEqual(event.payload["duty"]["minutes"], 20)
        self.assertEqual([f["label"] for f in event.payload["duty"]["fields"]][:2], ["CO2 on zero gas", "CO on zero gas"])
