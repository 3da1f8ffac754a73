"""Every gas rule: what refuses a bottle, a regulator or a line, what warns, and what several detectors say of a bottle."""

import unittest
from dataclasses import replace
from datetime import date

from metrology.judgement.gas_kit import AMBIENT, BottleGas, Fitting, GasNeed, judge_kit
from metrology.judgement.policy import Policy
from metrology.judgement.suspicion import Peer
from metrology.tests.gases import LINE, REGULATOR, bottle, zero_air

TODAY = date(2026, 11, 24)
NEED = GasNeed("span", "Span gas", "span", "hydrogen", 100.0, "%LEL", "iec", "catalytic", 0.5, 4, 10.0, alarm=40.0)


def judge(need=NEED, made=None, regulator=REGULATOR, line=LINE, peers=(), **policy):
    return judge_kit(need, made or bottle(), regulator=regulator, line=line, today=TODAY, policy=Policy(**policy), peers=peers)


class Rules(unittest.TestCase):
    def assertSays(self, verdict, standing, part):
        self.assertEqual(verdict.standing, standing, verdict.remarks)
        self.assertIn(part, " ".join(verdict.reasons))

    def test_a_good_kit_says_so_of_each_rule(self):
        verdict = judge()
        self.assertEqual(verdict.standing, "good")
        self.assertEqual(
            {r.rule for r in verdict.remarks}, {"component", "concentration", "alarms", "balance", "materials", "flow", "expiry", "litres"}
        )
        self.assertAlmostEqual(verdict.applied, 50.0)

    def test_what_refuses_a_bottle(self):
        cases = (
            (bottle(gas="methane"), "hydrogen is needed"),
            (bottle(value=20.0), "lies between 25 and 90"),
            (bottle(value=95.0), "lies between 25 and 90"),
            (bottle(value=38.0), "not above the alarm at 40"),
            (bottle(unit="% vol", value=4.4), "above the range"),
            (bottle(oxygen=0.0, balance="nitrogen"), "needs 10 % vol or more"),
            (bottle(expires_on="2026-11-23"), "expired on 23 Nov 2026"),
            (bottle(litres_left=5.0), "run out at about exposure 3 of 4"),
            (bottle(litres_left=1.0), "before the first exposure"),
            (bottle(state="quarantined"), "quarantined"),
            (replace(bottle(), gases=(BottleGas("hydrogen", 50.0, "%LEL", 2.0, ""),)), "without its basis"),
            (replace(bottle(), gases=(BottleGas("hydrogen", 2.0, "% vol", 0.0),)), "gives no uncertainty"),
        )
        for made, part in cases:
            with self.subTest(part):
                self.assertSays(judge(made=made), "refuse", part)

    def test_what_warns(self):
        self.assertSays(judge(made=bottle(litres_left=11.0)), "warn", "nothing to spare")
        self.assertSays(judge(made=bottle(expires_on="2026-12-01")), "warn", "expires in 7 days")
        self.assertSays(judge(need=replace(NEED, needs_humid=True)), "warn", "humidifier")
        cell = replace(NEED, technology="electrochemical")
        self.assertSays(judge(need=cell, made=bottle(balance="nitrogen", oxygen=0.0)), "warn", "mostly need air")

    def test_percent_volume_is_turned_into_the_range_on_its_basis(self):
        verdict = judge(made=bottle(value=2.0, unit="% vol"))
        self.assertAlmostEqual(verdict.applied, 50.0)  # IEC 60079-20-1: hydrogen 4.0 % vol
        need = replace(NEED, gas="methane", alarm=0.0, basis="nfpa")
        self.assertAlmostEqual(judge(need=need, made=bottle(gas="methane", value=2.2, unit="% vol")).applied, 44.0)  # NFPA 497: 5.0 % vol

    def test_a_surrogate_counts_by_its_relative_response(self):
        need = replace(NEED, gas="propane", surrogate_for="n-hexane", relative_response=1.2, alarm=0.0)
        verdict = judge(need=need, made=bottle(gas="propane", value=50.0))
        self.assertAlmostEqual(verdict.applied, 60.0)
        self.assertIn("x 1.2", next(r.says for r in verdict.remarks if r.rule == "surrogate"))

    def test_reactive_gas_needs_stainless_and_a_short_ptfe_line(self):
        need = replace(NEED, gas="chlorine", unit="ppm", top=5.0, technology="electrochemical", alarm=0.0)
        gas = bottle(gas="chlorine", value=3.0, unit="ppm")
        self.assertEqual(judge(need=need, made=gas).standing, "good")
        self.assertSays(judge(need=need, made=gas, regulator=replace(REGULATOR, material="brass")), "refuse", "stainless regulator")
        self.assertSays(judge(need=need, made=gas, line=replace(LINE, material="PVC")), "refuse", "PTFE or stainless")
        self.assertSays(judge(need=need, made=gas, line=replace(LINE, length_m=6.0)), "warn", "at most 2 m")
        self.assertSays(judge(need=need, made=gas, line=replace(LINE, is_conditioned=False)), "warn", "not conditioned")
        trace = replace(need, gas="oxygen", is_trace_oxygen=True, kind="air")
        self.assertIn("line of stainless", " ".join(r.says for r in judge(need=trace, made=gas).remarks))

    def test_the_regulator_gives_the_flow_of_the_detector(self):
        self.assertSays(judge(regulator=replace(REGULATOR, flow_l_min=1.0)), "refuse", "calibrated at 0.5 l/min")
        self.assertSays(judge(regulator=Fitting("R-2", "regulator", "brass", 0.5, state="quarantined")), "refuse", "R-2 is quarantined")

    def test_zero_gas_is_clean_and_suits_the_sensor(self):
        need = replace(NEED, kind="zero", gas="air", alarm=0.0)
        self.assertEqual(judge(need=need, made=zero_air()).standing, "good")
        self.assertSays(judge(need=need, made=bottle()), "refuse", "holds hydrogen")
        nitrogen = bottle("N2", gas="", oxygen=0.0, balance="nitrogen", name="Nitrogen")
        self.assertSays(judge(need=need, made=nitrogen), "refuse", "oxygen")
        self.assertSays(judge(need=replace(need, gas="nitrogen"), made=zero_air()), "refuse", "without oxygen")
        optical = replace(need, technology="optical")
        self.assertSays(judge(need=optical, made=replace(zero_air(), code=AMBIENT)), "refuse", "bottled gas")

    def test_a_function_check_says_what_a_calibration_would_need(self):
        short = judge(need=replace(NEED, litres=2.0, litres_if_set=90.0))
        self.assertSays(short, "warn", "if it must be calibrated 90.0 l are needed")

    def test_scrubbed_air_serves_only_where_the_scrubber_holds_the_gas(self):
        need, air = replace(NEED, kind="zero", gas="air", alarm=0.0, watches="hydrogen"), replace(zero_air(), code=AMBIENT)
        self.assertSays(judge(need=need, made=air, zero_gas="scrubbed"), "refuse", "does not hold hydrogen")
        self.assertSays(judge(need=replace(need, watches="chlorine"), made=air, zero_gas="scrubbed"), "warn", "through the scrubber")
        self.assertEqual(judge(need=need, made=air, zero_gas="ambient").standing, "good")

    def test_air_for_an_oxygen_cell_is_air(self):
        need = replace(NEED, kind="air", gas="oxygen", unit="% vol", top=25.0, technology="oxygen", alarm=0.0)
        self.assertAlmostEqual(judge(need=need, made=zero_air()).applied, 20.9)
        self.assertSays(judge(need=need, made=zero_air(oxygen=18.0)), "refuse", "air of 20.9")
        for made, told in (
            (bottle("B-H2", value=2.0), "holds hydrogen; oxygen is set in clean air"),
            (bottle("B-CO2", "carbon dioxide", 5.0, "% vol"), "holds carbon dioxide"),
            (zero_air(balance="helium"), "balanced with helium"),
            (zero_air(balance="carbon dioxide"), "balanced with carbon dioxide"),
        ):
            self.assertSays(judge(need=need, made=made), "refuse", told)
        oxygen = (BottleGas("oxygen", 20.9, "% vol", 0.5),)
        self.assertEqual(judge(need=need, made=zero_air(gases=oxygen, balance="nitrogen")).standing, "good")

    def test_an_oxygen_cell_is_not_set_near_an_alarm(self):
        for room, standing in ((1.399, "good"), (1.4, "refuse"), (1.5, "refuse")):
            need = replace(
                NEED,
                kind="air",
                gas="oxygen",
                unit="% vol",
                top=25.0,
                technology="oxygen",
                alarm=0.0,
                keeps_off=(("Low", 19.5),),
                room=room,
            )
            self.assertEqual(judge(need=need, made=zero_air()).standing, standing, room)

    def test_several_detectors_low_by_one_factor_raise_the_bottle(self):
        self.assertSays(judge(peers=[Peer("A", 0.80), Peer("B", 0.82)]), "warn", "Change the bottle")

    def test_a_humidifier_is_not_for_gases_that_water_takes_up(self):
        chlorine = replace(NEED, gas="chlorine", unit="ppm", top=5.0, technology="electrochemical", alarm=0.0, needs_humid=True)
        self.assertIn("no humidifier", str(judge(need=chlorine, made=bottle("B", "chlorine", 3.0, "ppm")).remarks))
        self.assertIn("put the humidifier into the line", str(judge(need=replace(NEED, needs_humid=True)).remarks))

    def test_limits_are_policies(self):
        self.assertEqual(judge(made=bottle(value=20.0), need=replace(NEED, alarm=0), span_low_percent=15.0).standing, "good")
        self.assertEqual(judge(made=bottle(oxygen=5.0), balance_oxygen=4.0).standing, "good")
