"""A vessel on load cells played in memory: by weights, by substitution, computed then proved; parameters; limits inside, at and outside."""

from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.methods.settings import read_settings
from metrology.methods.setup import Past
from metrology.methods.trials.vessel import VesselSettings, ways
from metrology.tests.scales import ScalePlay

SILO = {
    "division": "20", "supports": "3", "cell_capacity": "22000", "sensitivities": "2.0012 1.9996 2.0003", "dead_load": "12000", "latitude": "52",
}  # fmt: skip
ANSWERS = {
    "weights_kg": "10000", "can_fill": "yes", "way": "weights", "p_zero": "0.3639", "p_span": "1.5767", "p_max": "40000", "p_division": "20",
    "support_test": "no", "creep_test": "no", "weights_stored": "10000", "backup": "WT-1 2026-11-29", "p_zero_now": "0.3639", "p_span_now": "1.5770",
    "p_max_now": "40000", "p_division_now": "20",
}  # fmt: skip
UP = ("0", "2500", "5000", "7500", "10000", "7500", "5000", "2500", "0")


class VesselPlay(ScalePlay):
    def __init__(self, details=None, **more):
        super().__init__("weigh-vessel", 40_000, {**SILO, **(details or {})}, **more)
        self.answers = {**self.answers, **ANSWERS}


class ByWeights(TestCase):
    def test_up_down_and_signed(self):
        p = VesselPlay().forward().take(*UP).forward()
        self.assertEqual(p.proposal(), "leave")
        p.decide("leave").forward().do("signed", note="")
        self.assertEqual(p.view["status"], "signed")

    def test_weights_left_on_are_not_given_back(self):
        p = VesselPlay().forward().take(*UP).forward().decide("leave")
        with self.assertRaises((Fault, Faults)) as told:
            p.forward(weights_stored="9500")
        self.assertIn("10000 kg came to this vessel", str(told.exception))

    def test_what_the_weights_suffice_for(self):
        # least test load: 10 % of 3 x 22 t = 6600 kg
        for kg, found in (
            ("6600", ("weights", "substitution", "computed")),
            ("6599", ("substitution", "computed")),
            ("1000", ("substitution", "computed")),
            ("999", ("computed",)),
        ):
            p = VesselPlay()
            p.forward("way", weights_kg=kg)
            self.assertEqual(ways(p.state.setup), found, kg)
            self.assertEqual(tuple(o["value"] for o in p.view["step"]["fields"][0]["options"]), found)

    def test_water_by_its_true_mass_is_corrected_for_the_air(self):
        p = VesselPlay(details={"division": "5"})
        p.answers["p_division"] = "5"
        p.forward(density="1000").take("0").take("2497.4")
        self.assertAlmostEqual(float(p.taken("as_found")[1].applied), 2500 / 1.0010512615138165, 5)

    def test_a_correction_below_a_tenth_of_the_division_is_not_made(self):
        # 2500 kg of water are 2.6 kg less: above a tenth of 20 kg, below a tenth of 50 kg
        for division, applied in (("20", 2497.375), ("50", 2500.0)):
            p = VesselPlay(details={"division": division})
            p.forward(density="1000", p_division=division).take("0").take("2500")
            self.assertAlmostEqual(float(p.taken("as_found")[1].applied), applied, 2)


class BySubstitution(TestCase):
    def test_product_stands_for_the_weights(self):
        p = VesselPlay().forward(way="substitution").take("0")
        p.take("10010")  # weights
        p.take("10030")  # product, 20 kg more than the weights read
        found = p.taken("as_found")
        self.assertEqual(float(found[2].applied), 10_020)
        self.assertEqual(p.method.trial.plan(p.state.setup, "as_found", found).slots[3].nominal, 20_020)
        p.take("20040", "20040", "30040", "30040")
        last = p.method.trial.plan(p.state.setup, "as_found", p.taken("as_found")).slots[-2]
        self.assertEqual(last.nominal, 40_000)  # not beyond Max: the last time only part of the weights
        p.take("40020", "0").forward()
        rows = p.view["evidence"][0]["rows"]
        self.assertEqual([r["verdict"] is None for r in rows], [False, False, True, False, True, False, True, False, False])
        self.assertIn("not judged", rows[2]["says"])
        self.assertEqual(p.proposal(), "leave")

    def test_uncertainty_grows_with_each_exchange(self):
        p = VesselPlay().forward(way="substitution").take("0", "10000", "10000", "20000", "20000", "30000", "30000", "40000", "0")
        us = [float(r["u"]) for r in p.view["evidence"][0]["rows"] if r["u"] and r["verdict"]]
        self.assertEqual(us[1:5], sorted(us[1:5]))
        # k = 2 of: weights 4 x 0.5 / 2, exchanges sqrt(6) x 20 / sqrt(12), division 20 / sqrt(12)
        self.assertAlmostEqual(us[4], 2 * (1.0**2 + 6 * 400 / 12 + 400 / 12) ** 0.5, delta=0.1)


class Computed(TestCase):
    def test_worked_out_sent_read_back_and_proved(self):
        p = VesselPlay().forward(way="computed").take("0", "10150", "0").forward()
        self.assertEqual(p.proposal(), "adjust")
        p.decide("computed").forward("service_off")
        with self.assertRaises(Fault):
            p.do("step_confirmed", step="service_off")
        p.forward().take("0", "10000", "0").forward().decide("leave").forward().do("signed", note="")
        table = next(t for e in p.view["evidence"] for t in e["tables"] if t["title"] == "Parameters" and e["phase"] == "as left")
        self.assertEqual([row[3] for row in table["rows"]], ["0.3639", "1.5770", "40000", "20"])

    def test_read_back_inside_at_and_outside(self):
        cells = read_settings(VesselSettings, SILO).cells()
        for off, good in ((0.0002, True), (0.00025, True), (0.0003, False)):
            p = VesselPlay().forward(way="computed").take("0", "10150", "0").forward().decide("computed")
            text = f"{cells.mv_v(40_000) + off:.9f}"
            if good:
                p.forward(p_span_now=text)
                self.assertEqual(p.step.key, "as_left")
            else:
                self.assertRaises((Fault, Faults), p.forward, p_span_now=text)
                p.forward(p_span_now=text, differs="The indicator rounds to three digits")

    def test_gravity_counts_by_the_place(self):
        here = read_settings(VesselSettings, SILO).cells().mv_v(40_000)
        nowhere = read_settings(VesselSettings, {**SILO, "latitude": "0"}).cells().mv_v(40_000)
        self.assertAlmostEqual(100 * (here / nowhere - 1), 0.0593, 4)

    def test_a_span_that_does_not_count_the_place_is_named(self):
        # the cells give 1.57605 mV/V at Max under standard gravity, and read 0.059 % more here
        for held, code in (("1.5760", "wrong-gravity"), ("1.5770", "none")):
            p = VesselPlay().forward(way="computed", p_span=held, weights_kg="40000").take("0", "40024", "0")
            found = p.view["evidence"][0]["signatures"]
            self.assertEqual(found[0]["code"] if found else "none", code)


class Supports(TestCase):
    def test_a_leg_that_binds_is_found_and_not_adjusted_away(self):
        looked = {
            "support_test": "yes",
            **{f"empty_{n}": "0.36" for n in (1, 2, 3)},
            "loaded_1": "0.66",
            "loaded_2": "0.65",
            "loaded_3": "0.58",
        }
        p = VesselPlay().forward(**looked).take("0", "2460", "4920", "7380", "9840", "7380", "4920", "2460", "0").forward()
        self.assertEqual(p.view["evidence"][0]["signatures"][0]["code"], "binding")
        self.assertIn("support 3", p.view["evidence"][0]["signatures"][0]["says"])
        self.assertEqual(p.proposal(), "repair")
        self.assertRaises(Fault, p.decide, "adjust")

    def test_support_limit_inside_at_and_outside(self):
        # shares of the mean: three legs, the third off by 30 %
        for third, good in (("0.0705", True), ("0.0700", True), ("0.0690", False)):
            rest = (0.3 - float(third)) / 2
            looked = {
                "support_test": "yes",
                **{f"empty_{n}": "0" for n in (1, 2, 3)},
                "loaded_1": f"{rest:.5f}",
                "loaded_2": f"{rest:.5f}",
                "loaded_3": third,
            }
            p = VesselPlay().forward(**looked).take(*UP).forward()
            corner = next(c for c in p.view["evidence"][0]["criteria"] if "furthest" in c["label"])
            self.assertEqual(corner["verdict"] == "pass", good, third)


class CreepTest(TestCase):
    def test_a_load_that_creeps(self):
        for last, good in (("10008", True), ("10010", True), ("10012", False)):
            read = {"creep_test": "yes", "creep_0": "10000", "creep_15": "10008", "creep_30": last}
            p = VesselPlay().forward(**read).take(*UP).forward(**read)
            creep = next(c for c in p.view["evidence"][0]["criteria"] if "Creep" in c["label"])
            self.assertEqual(creep["verdict"] == "pass", good, last)


class Parameters(TestCase):
    def test_what_changed_in_the_device_only_is_pointed_out(self):
        history = (Past("p_span", "2026-01-01", 1.5767, "mV/V", "as left"),)
        for now, told in (("1.5767", ""), ("1.5768", "changed in the device, not in the file")):
            p = VesselPlay(history=history).forward(p_span=now, confirmed="p_span" if told else "").take(*UP).forward()
            row = next(r for t in p.view["evidence"][0]["tables"] if t["title"] == "Parameters" for r in t["rows"] if "Max, mV" in r[0])
            self.assertEqual((row[1], row[4]), ("1.5767", told))


class Register(TestCase):
    def test_a_cell_that_is_missing_or_absurd(self):
        for bad in (
            {"sensitivities": "2.0 2.0"},
            {"sensitivities": "2.0 2.0 0.01"},
            {"sensitivities": "2,0 two 2"},
            {"dead_load": "66000"},
            {"supports": "2.5"},
            {"cell_capacity": "0"},
        ):
            self.assertRaises(Fault, read_settings, VesselSettings, {**SILO, **bad})
