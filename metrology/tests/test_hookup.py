"""What is connected to what: each instrument's own chain, with the valves as they must stand and the sentences that say the same."""

import unittest

from metrology.methods.catalogue.tx_multipoint import TransmitterSettings
from metrology.methods.registry import METHODS
from metrology.methods.setup import RunSetup
from metrology.methods.trials.comparison import TemperatureSettings
from metrology.quantities.transfer import Transfer
from metrology.tests.runs import Play, instrument


def chain(method="tx-multipoint", **changes):
    return METHODS[method].hookup(RunSetup(method, "1", instrument(**changes)))


class Hookups(unittest.TestCase):
    def test_pressure_against_the_air_two_sides_and_absolute(self):
        gauge = chain()
        self.assertEqual([(v.name, v.state) for v in gauge.lines[0].valves], [("Isolation", "shut"), ("Vent", "open")])
        self.assertEqual([b.title for b in gauge.boxes], ["Input reference", "PT-2101", "Output meter"])
        two = chain(transfer=Transfer("sqrt"))
        states = {v.name: v.state for v in two.lines[0].valves}
        self.assertEqual(states, {"Isolation high": "shut", "Isolation low": "shut", "Equaliser": "shut", "Vent low": "open"})
        self.assertIn("vacuum", chain(details=TransmitterSettings(against="absolute")).says[0])

    def test_the_loop_has_its_resistor_and_no_meter_where_the_value_is_digital(self):
        loop = chain(details=TransmitterSettings(loop_ohm=250.0))
        self.assertEqual((loop.lines[1].ohm, loop.lines[1].poles, loop.lines[1].wires), (250.0, True, 2))
        self.assertTrue(any("250 ohm are in the loop" in s for s in loop.says))
        digital = chain(output_unit="kPa", output_lo=0.0, output_hi=400.0)
        self.assertEqual((len(digital.boxes), len(digital.lines)), (2, 1))

    def test_sensors_have_their_wires_and_only_thermocouples_have_poles(self):
        for wires in (2, 3, 4):
            line = chain("temp-sensor", unit="°C", details=TemperatureSettings(sensor="pt", wires=wires)).lines[1]
            self.assertEqual((line.wires, line.poles), (wires, False))
            simulated = chain(unit="°C", details=TransmitterSettings(sensor="pt", wires=wires)).lines[0]
            self.assertEqual((simulated.wires, simulated.poles), (wires, False))
        couple = chain(unit="°C", details=TransmitterSettings(sensor="tc-k"))
        self.assertEqual((couple.lines[0].wires, couple.lines[0].poles), (2, True))
        self.assertIn("type K", couple.says[0])

    def test_every_chain_has_a_line_between_its_boxes_and_says_something(self):
        for key, method in METHODS.items():
            found = method.hookup(RunSetup(key, "1", instrument()))
            if found is not None:
                with self.subTest(method=key):
                    self.assertEqual(len(found.lines), len(found.boxes) - 1)
                    self.assertTrue(all(s.endswith(".") for s in found.says) and found.says)

    def test_the_view_names_what_was_chosen(self):
        drawn = Play().prepare().view["step"]["readings"]["hookup"]
        self.assertEqual([b["code"] for b in drawn["boxes"]], ["REF-P1", "", "REF-I1"])


if __name__ == "__main__":
    unittest.main()
