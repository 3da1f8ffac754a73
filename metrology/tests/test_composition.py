"""Compositions that add up and don't explode unless declared; alarms inside the range and carried along with its unit."""

from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.composition import composition_faults
from metrology.judgement.gas_kit import BottleGas
from metrology.methods.carried import carried, require_alarms_inside
from metrology.methods.detector import DetectorSettings
from metrology.methods.fragments import AlarmSettings
from metrology.methods.settings import read_settings


def codes(*gases, balance="air", oxygen=20.9, is_declared=False):
    made = [BottleGas(g, v, u, 2.0, "iec" if u == "%LEL" else "") for g, v, u in gases]
    return [f.code for f in composition_faults(made, balance=balance, oxygen=oxygen, is_declared=is_declared)]


class Composition(TestCase):
    def test_it_adds_up(self):
        self.assertEqual(codes(("carbon dioxide", 80.0, "% vol"), balance="nitrogen", oxygen=20.0), [])
        self.assertEqual(codes(("carbon dioxide", 80.0, "% vol"), balance="nitrogen", oxygen=20.1), [])
        self.assertEqual(codes(("carbon dioxide", 80.0, "% vol"), balance="nitrogen", oxygen=20.2), ["too_much"])
        self.assertEqual(codes(("carbon dioxide", 60.0, "% vol"), ("methane", 50.0, "% vol"), balance="nitrogen", oxygen=0.0), ["too_much"])

    def test_oxygen_is_said_once(self):
        self.assertEqual(codes(("oxygen", 4.0, "% vol"), balance="nitrogen", oxygen=4.0), [])
        self.assertEqual(codes(("oxygen", 4.0, "% vol"), balance="nitrogen", oxygen=20.9), ["two_oxygens"])
        self.assertEqual(codes(("hydrogen", 2.0, "% vol"), balance="air", oxygen=0.0), ["not_air"])

    def test_what_can_explode_is_declared(self):
        for share, oxygen, told in ((3.99, 20.0, []), (4.0, 20.0, ["explosive"]), (4.0, 4.99, []), (4.0, 5.0, ["explosive"])):
            self.assertEqual(codes(("hydrogen", share, "% vol"), balance="nitrogen", oxygen=oxygen), told, (share, oxygen))
        self.assertEqual(codes(("hydrogen", 100.0, "%LEL"), oxygen=20.0), ["explosive"])
        self.assertEqual(codes(("hydrogen", 4.0, "% vol"), oxygen=20.0, is_declared=True), [])

    def test_a_gas_nobody_knows_is_told_and_not_a_fault_of_the_server(self):
        self.assertTrue(codes(("phlogiston", 2.0, "% vol")))


class Carried(TestCase):
    def test_alarms_and_sensitivity_go_with_the_unit(self):
        raw = {
            "gas": "hydrogen",
            "basis": "iec",
            "technology": "catalytic",
            "alarms": "Low 20 rising latching; High 40 rising",
            "new_sensitivity": "0.5",
        }
        out = carried(DetectorSettings, raw, raw, was="%LEL", unit="% vol")
        self.assertEqual(out["alarms"], "Low 0.8 rising latching; High 1.6 rising")  # 4 % vol is the lower limit
        self.assertAlmostEqual(float(out["new_sensitivity"]), 0.5 * 25)

    def test_what_was_written_anew_is_not_touched(self):
        raw = {"gas": "hydrogen", "basis": "iec", "alarms": "Low 0.8 rising"}
        self.assertEqual(carried(DetectorSettings, raw, {**raw, "alarms": "Low 20 rising"}, was="%LEL", unit="% vol"), raw)

    def test_pressures_turn_and_what_does_not_turn_is_refused(self):
        raw = {"alarms": "High 3 rising"}
        self.assertEqual(carried(AlarmSettings, raw, raw, was="bar", unit="kPa")["alarms"], "High 300 rising")
        with self.assertRaisesRegex(Fault, "Write them anew"):
            carried(AlarmSettings, raw, raw, was="bar", unit="°C")

    def test_an_alarm_lies_inside_of_the_range(self):
        for at, is_inside in (("100", True), ("100.1", False), ("0", True), ("-0.1", False)):
            settings = read_settings(AlarmSettings, {"alarms": f"High {at} rising"})
            if is_inside:
                require_alarms_inside(settings, 0.0, 100.0, "%LEL")
            else:
                with self.assertRaisesRegex(Fault, "lies outside of the range"):
                    require_alarms_inside(settings, 0.0, 100.0, "%LEL")
