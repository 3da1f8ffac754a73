"""Every sensor over the whole of its curve, from the plate to the signature: the ends, and a little past them, can be read."""

import unittest

from metrology.faults import Fault
from metrology.methods.catalogue.temp_sensor import METHOD as SENSOR
from metrology.methods.catalogue.tx_multipoint import METHOD as TRANSMITTER
from metrology.methods.catalogue.tx_multipoint import TransmitterSettings
from metrology.methods.fragments import SENSORS
from metrology.methods.trials.comparison import TemperatureSettings
from metrology.quantities.temperature import (
    sensor_range,
    sensor_signal,
    sensor_signal_beyond,
    sensor_temperature_beyond,
)
from metrology.run.progress import current_slot
from metrology.tests.runs import StepPlay, instrument, reference

KINDS = [s for s, _ in SENSORS if s]


class Played(StepPlay):
    answers = {
        "tag": "PT-2101", "serial": "MB-48213", "temperature": "21", "cold_junction_c": "0", "operator": "Tomas", "reason": "Calibration",
        "reading": "20",
    }  # fmt: skip

    def standard(self, role, given):
        units = {
            "indicated": "mA" if self.method is TRANSMITTER else given["unit"],
            "applied": given["unit"] if self.method is TRANSMITTER else "°C",
        }
        unit = units.get(role, "°C")
        return reference(code=role, unit=unit, low=-1000.0, high=5000.0, u_absolute=0.0001, resolution=0.0001)

    def through(self, values, unit):
        """Each reading with what values(quantities by name) types; then left as it is and signed."""
        self.forward(unit=unit)
        while self.step.kind == "readings":
            slot = current_slot(self.state, self.method, self.step.key)
            asked = {q.name: q for q in self.method.trial.asks(self.state.setup, slot)}
            self.do("reading_taken", step=self.step.key, slot=slot.index, **values(slot, asked))
        self.decide("leave", "as it came")
        self.forward(unit=unit, reading="20")
        self.do("signed", note="")
        return self.view


class WholeCurves(unittest.TestCase):
    def test_transmitters_of_every_sensor_to_the_signature(self):
        for sensor in KINDS:
            low, high = sensor_range(sensor)
            low, high = (low, 1768.0) if high > 1768 and high < 1769 else (low, high)
            with self.subTest(sensor=sensor):
                made = instrument(unit="°C", lrv=low, urv=high, details=TransmitterSettings(sensor=sensor))
                play = Played("tx-multipoint", instrument=made)
                view = play.through(
                    lambda _, asked: {"applied": f"{asked['applied'].expected:.3f}", "indicated": f"{asked['indicated'].expected:.3f}"},
                    TransmitterSettings(sensor=sensor).sensor_unit,
                )
                self.assertEqual(view["status"], "signed")
                self.assertEqual(view["evidence"][0]["verdict"], "pass", sensor)

    def test_sensors_of_every_kind_to_the_signature_also_when_they_read_a_little_high_at_the_top(self):
        for sensor in KINDS:
            low, high = sensor_range(sensor)
            with self.subTest(sensor=sensor):
                made = instrument(unit="°C", lrv=low, urv=high, output_unit="ohm", details=TemperatureSettings(sensor=sensor))
                play = Played("temp-sensor", instrument=made, points_percent=(0.0, 50.0, 100.0))

                def values(slot, _asked, sensor=sensor):
                    up = 0.3 if slot.percent == 100 else 0.0
                    return {"applied": f"{slot.nominal:.3f}", "indicated": f"{sensor_signal_beyond(sensor, slot.nominal + up):.4f}"}

                view = play.through(values, TemperatureSettings(sensor=sensor).sensor_unit)
                self.assertEqual(view["status"], "signed")
                self.assertAlmostEqual(float(view["evidence"][0]["rows"][-1]["error"]), 0.3, delta=0.06)

    def test_past_the_end_by_a_twentieth_and_not_further(self):
        for sensor in ("tc-t", "pt", "tc-n"):
            low, high = sensor_range(sensor)
            room = 0.05 * (high - low)
            top = sensor_signal_beyond(sensor, high + 0.999 * room)
            self.assertAlmostEqual(sensor_temperature_beyond(sensor, top, near=high), high + 0.999 * room, places=3)
            with self.assertRaises(Fault):
                sensor_temperature_beyond(sensor, sensor_signal_beyond(sensor, high + 1.01 * room), near=high)

    def test_type_b_is_taken_for_where_it_is_read_only_as_far_as_nothing_tells_it_apart(self):
        for near in (0.0, 21.0, 42.0):
            there = sensor_signal("tc-b", near)
            self.assertEqual(sensor_temperature_beyond("tc-b", there + 0.0029, near=near), near)
        self.assertGreater(sensor_temperature_beyond("tc-b", 0.01, near=0.0), 60.0)

    def test_a_range_past_the_curve_is_refused_in_the_register(self):
        for method, settings in ((TRANSMITTER, TransmitterSettings(sensor="tc-s")), (SENSOR, TemperatureSettings(sensor="tc-s"))):
            method.check(settings, {"unit": "°C", "lrv": -50.0, "urv": 1768.0})
            for entry, field in (({"lrv": -51.0, "urv": 1000.0}, "lrv"), ({"lrv": 0.0, "urv": 1769.0}, "urv")):
                with self.assertRaises(Fault) as caught:
                    method.check(settings, {"unit": "°C", **entry})
                self.assertEqual(caught.exception.field, field)
        TRANSMITTER.check(TransmitterSettings(), {"unit": "°C", "lrv": -300.0, "urv": 5000.0})


if __name__ == "__main__":
    unittest.main()
