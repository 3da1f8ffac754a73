"""Device maps: what is accepted, and how each fault is told; details of instruments through the register."""

import json
import tempfile
from io import StringIO
from pathlib import Path

from django.core.management import CommandError, call_command

from apps.bench.hart.codec import UNIT_CODES
from apps.bench.maps import check_map
from apps.bench.models import Device
from apps.bench.simulator.hart import HartDevice
from apps.bench.simulator.world import load_world
from apps.plant.models import Instrument
from apps.runs.tests.base import PlantTestCase
from metrology.faults import Fault
from metrology.quantities.units import canonical

BENCH = Path(__file__).resolve().parents[3] / "demo" / "bench"
GOOD = {
    "format": "verify-loop-signals/1",
    "device": "X-1",
    "protocol": "scpi",
    "address": "192.0.2.10:5025",
    "signals": [{"key": "p", "label": "Pressure", "unit": "bar", "read": "MEAS?", "write": "SOUR {value}"}],
}


class Maps(PlantTestCase):
    def test_every_map_of_the_demonstration_holds(self):
        for path in sorted(BENCH.glob("*.json")):
            if path.name != "world.json":
                with self.subTest(path=path.name):
                    self.assertTrue(check_map(json.loads(path.read_text()))["signals"])

    def test_a_unit_is_written_in_the_one_way(self):
        for given, written in (
            ("C", "°C"),
            ("degC", "°C"),
            ("°C", "°C"),
            ("bar", "bar"),
            ("% vol", "% vol"),
            ("%LEL", "%LEL"),
            ("pH", "pH"),
            ("mPa", "mPa"),
        ):
            told = check_map({**GOOD, "signals": [{**GOOD["signals"][0], "unit": given}]})
            self.assertEqual(told["signals"][0]["unit"], written)

    def test_every_transmitter_of_the_simulated_bench_has_a_unit_that_its_protocol_knows(self):
        spoken_to = [c for c in load_world(BENCH / "world.json").channels if c.hart_port >= 0]
        self.assertGreaterEqual(len(spoken_to), 2)
        for channel in spoken_to:
            with self.subTest(tag=channel.tag):
                device = HartDevice(channel.transmitter)
                self.assertEqual(device._unit(), bytes([UNIT_CODES[canonical(channel.transmitter.unit)]]))

    def test_what_does_not_hold_is_named(self):
        modbus = {**GOOD, "protocol": "modbus"}
        for change, told in (
            ({"format": "other"}, "format"),
            ({"protocol": "smoke"}, "protocol"),
            ({"address": "nowhere"}, "address"),
            ({"signals": []}, "signals"),
            ({"signals": [{"key": "p"}]}, "signals[0]"),
            ({"signals": GOOD["signals"] * 2}, "signals"),
            ({"signals": [{**GOOD["signals"][0], "write": "SOUR"}]}, "signals[0]"),
        ):
            with self.subTest(change=change), self.assertRaises(Fault) as caught:
                check_map({**GOOD, **change})
            self.assertEqual(caught.exception.field, told)
        for read in ({}, {"address": 1, "type": "float16"}, {"address": 1, "word_order": "middle"}):
            with self.subTest(read=read), self.assertRaises(Fault):
                check_map({**modbus, "signals": [{**GOOD["signals"][0], "read": read}]})

    def test_a_map_is_loaded_and_brought_up_to_date_by_command(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.json"
            path.write_text(json.dumps(GOOD))
            out = StringIO()
            call_command("load_map", str(path), stdout=out)
            self.assertIn("1 signals at 192.0.2.10:5025", out.getvalue())
            path.write_text(json.dumps({**GOOD, "address": "192.0.2.11:5025"}))
            call_command("load_map", str(path), stdout=out)
            self.assertEqual(Device.objects.get().host, "192.0.2.11")
            path.write_text("{")
            with self.assertRaisesRegex(CommandError, "can't be read as JSON"):
                call_command("load_map", str(path), stdout=out)


class Details(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def form(self, **changes):
        return {**self.get("instruments/PT-2110/").json()["form"], **changes}

    def put(self, **changes):
        return self.client.put("/api/v1/instruments/PT-2110/", self.form(**changes), content_type="application/json")

    def test_details_are_kept_for_their_method_only_and_shown_in_words(self):
        answer = self.put(details={"has_digital": True, "supply_v": "24", "displays": "Recorder % 0 100"})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(Instrument.objects.get(tag="PT-2110").details, {"has_digital": True, "supply_v": "24"})
        self.assertIn("Loop supply: 24 V", answer.json()["detail_words"])

    def test_what_does_not_hold_is_told_with_its_field(self):
        self.assertEqual(self.assertFailure(self.put(details={"supply_v": "abc"}), 400, "not_a_number")["field"], "supply_v")
        floats = {"displacer_weight": "1", "displacer_volume": "5000", "density": "0.001"}
        self.assertFailure(self.put(method="level-displacer", details=floats), 400, "floats")

    def test_a_transmitter_is_offered_the_methods_of_its_family(self):
        offered = [m["value"] for m in self.get("instruments/PT-2110/").json()["methods"]]
        self.assertEqual(offered, ["tx-multipoint", "tx-configure", "loop-check"])
        self.sign_in(self.ines)
        self.assertFailure(self.post("runs/", {"tag": "PT-2110", "method": "temp-sensor"}), 400, "wrong_method")
        self.assertEqual(self.start(method="loop-check")["view"]["method"]["key"], "loop-check")
