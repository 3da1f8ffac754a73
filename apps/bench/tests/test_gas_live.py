"""Detectors on the bench: exposures taken by themselves, keys pressed, gas lost, warm-up, and purge watched."""

import asyncio
import uuid
from datetime import timedelta

from django.utils import timezone

from apps.bench.capture import live_of
from apps.bench.hub import HUB
from apps.bench.live import JUST_BEFORE_S
from apps.bench.models import AutoCapture, Device
from apps.bench.simulator.world import DetectorPoint
from apps.bench.tests.bench_world import SLOW_S, add_device, signal
from apps.bench.tests.test_live import LiveTestCase
from apps.kit.models import GasBottle
from apps.plant.models import Instrument
from apps.runs.models import RunEvent
from metrology.simulation.detector import Charge, Manifold, SimulatedDetector

DETAILS = {
    "gas": "hydrogen",
    "basis": "iec",
    "technology": "catalytic",
    "t90_s": "0.5",
    "inhibit_ma": "3",
    "signal_unit": "mV",
    "new_sensitivity": "0.5",
    "alarms": "Low 20 rising; High 40 rising latching",
}
POLICY = {"zero_window_s": 1, "span_window_s": 1, "give_up_s": 20, "countdown_s": 0}


class GasOnTheBench(LiveTestCase):
    def setUp(self):
        super().setUp()
        detector = SimulatedDetector(
            "catalytic", 100.0, t90_s=4.0, noise=0.02, gain=0.9, new_signal=0.5, alarms=((20.0, False, True), (40.0, True, True))
        )
        self.point = DetectorPoint("AE-1", detector, Manifold(0.5, {"ZERO": Charge(0.0, 20.9, 50.0), "SPAN": Charge(50.0, 20.9, 50.0)}))
        self.bench.world.detectors.append(self.point)
        self.gas_port()
        Instrument.objects.create(
            tag="AE-1", serial="S-1", service="Hydrogen", area=self.area, family="gas detector", method="gas-zero-span",
            unit="%LEL", lrv=0, urv=100, tolerance_value=5, details=DETAILS, policy=POLICY,
        )  # fmt: skip
        due = timezone.localdate() + timedelta(days=100)
        hydrogen = [{"gas": "hydrogen", "value": 50.0, "unit": "%LEL", "u_percent": 2.0, "basis": "iec"}]
        for code, gases in (("G-H2", hydrogen), ("G-AIR", [])):
            GasBottle.objects.create(code=code, name="Gas", gases=gases, balance="air", oxygen=20.9, litres=90, expires_on=due)

    def gas_port(self):
        """Serve the manifold and let the detector be read by the same conversation."""
        asyncio.run_coroutine_threadsafe(self._serve(), self.bench_loop()).result(10)
        signals = [
            signal("c", "Manifold", "%LEL", "MEAS1:CONC?", write="SOUR1:CONC {value}", tag="AE-1", low=-1, high=200),
            *(signal(f"d1.{k}", k, "key", "DET1:ANS?", write=f"DET1:{c} {{value}}", tag="AE-1", role="key") for k, c in
              (("zero", "ZERO"), ("span", "SPAN"), ("inhibit", "INH"), ("reset", "RES"))),
        ]  # fmt: skip
        add_device("GM", "scpi", self.bench.ports["gas"], signals, timeout_s=SLOW_S)

    async def _serve(self):
        self.bench.ports["gas"] = await self.bench.gas.serve(0)

    def bench_loop(self):
        return self.bench_thread._loop

    def to(self, kind):
        given = {
            **dict.fromkeys(("found_v:A", "found_v:B", "set_v:A", "set_v:B"), "2.5"),
            "operator": "C",
            "temperature": "20",
            "exposed_to": "none",
            "condition": "clean",
            "ma": "3.0",
            "purged": "0",
            "latches": "reset",
            "reminder": "none",
        }
        for _ in range(20):
            view = self.view()
            step = view["step"]
            if kind in (step["kind"], step["key"]):
                return view
            i = view["instrument"]
            if step["kind"] == "hold":
                self.ok(("hold_placed", {"step": "hold", "kind": "inhibit", "reason": "Calibration", "minutes": "60"}))
                continue
            for f in step["fields"]:
                if f["kind"] == "gas":
                    code = {"zero": "G-AIR", "span:B": "G-CH4"}.get(f["name"], "G-H2")
                    self.ok(("gas_assigned", {"role": f["name"], "bottle": code}))
            for pair in step["pairs"]:
                if pair["is_out"] or pair["can_go_out"]:
                    to = "back" if pair["is_out"] else "out"
                    self.ok(("pair_moved", {"step": step["key"], "pair": pair["key"], "to": to}))
            mine = {f["name"]: given.get(f["name"], "") for f in step["fields"]} | {"tag": i["tag"], "serial": i["serial"]}
            self.ok(("step_confirmed", {"step": step["key"], "values": mine, "checks": [c["key"] for c in step["checks"]]}))
        raise AssertionError("stuck")

    def press(self, name):
        return self.post(f"runs/{self.run_id}/key/", {"signal": f"GM/d1.{name}"})

    def live(self):
        self.start("AE-1")
        self.to("readings")
        self.readers()

    def readers(self):
        registers = [
            signal(name, name, unit, {"address": 10 + off, "word_order": "big"}, tag="AE-1", low=-200, high=70000)
            for name, unit, off in (("shown", "%LEL", 0), ("ma", "mA", 2), ("signal", "mV", 4), ("status", "", 6))
        ]
        add_device("GD", "modbus", self.bench.ports["modbus"], registers, timeout_s=SLOW_S)
        self.choose(applied="GM/c", indicated="GD/shown", signal="GD/signal", status="GD/status")

    def with_off(self):
        """The manifold as one that can be told to shut."""
        gas = signal("m.conc", "Manifold", "%LEL", "MEAS1:CONC?", write="SOUR1:CONC {value}", tag="AE-1", low=-1, high=200)
        off = signal("m.off", "Manifold, shut", "", "MEAS1:CONC?", write="SOUR1:OFF", tag="AE-1", role="key")
        device = Device.objects.get(code="GM")
        Device.objects.filter(pk=device.pk).update(signals=[*device.signals, gas, off])
        self.choose(applied="GM/m.conc")

    def traced(self, is_so):
        """Whether the run's own trace of the display has come to something, as what is judged is read from there."""
        shown = live_of(uuid.UUID(self.run_id))[0].quantities["indicated"].samples(0.0)
        return bool(shown) and is_so(shown[-1][1])

    def exposed_for(self, seconds):
        """Whether it has read more than 40 all the time for so long."""
        shown = live_of(uuid.UUID(self.run_id))[0].quantities["indicated"].samples(0.0)
        if not shown or shown[-1][0] - shown[0][0] < seconds:
            return False
        return min(v for t, v in shown if t >= shown[-1][0] - seconds) > 40

    def gas_on(self):
        """Span gas by hand, and the moment told."""
        self.point.manifold.open_bottle = "SPAN"
        self.assertEqual(self.post(f"runs/{self.run_id}/gas-on/").status_code, 204)

    def test_a_page_with_nothing_live_hears_at_once_that_its_run_has_moved_on(self):
        self.start("AE-1")
        pieces = iter(self.client.get(f"/api/v1/runs/{self.run_id}/watch/").streaming_content)
        self.assertEqual(next(pieces), f"event: seq\ndata: {self.seq}\n\n".encode())
        self.ok(("note_added", {"text": "seen by everyone who looks"}))
        self.assertEqual(next(p for p in pieces if not p.startswith(b":")), f"event: seq\ndata: {self.seq}\n\n".encode())
        self.assertEqual(self.client.get(f"/api/v1/runs/{uuid.uuid4()}/watch/").status_code, 404)
        self.client.logout()
        self.assertEqual(self.client.get(f"/api/v1/runs/{self.run_id}/watch/").status_code, 401)

    def test_gas_is_shut_once_its_exposure_is_captured(self):
        self.live()
        self.with_off()
        self.ok(("reading_taken", {"step": "as_found", "slot": 0, "indicated": "0"}))
        self.gas_on()
        self.until(lambda: self.capture().status_code == 200, 60)
        self.until(lambda: not self.point.manifold.open_bottle)

    def test_a_check_does_not_start_from_a_sensor_that_is_exposed_already(self):
        self.start("AE-1", method="gas-bump")
        self.to("readings")
        self.readers()
        self.point.manifold.open_bottle = "SPAN"
        self.until(lambda: self.exposed_for(JUST_BEFORE_S + 0.5), 60)
        self.gas_on()
        said = self.until(lambda: (a := self.capture()).json().get("code") == "exposed_already" and a, 60).json()["message"]
        self.assertIn("a check needs a rise", said)
        self.point.manifold.open_bottle = ""
        self.until(lambda: self.traced(lambda shown: shown < 1), 60)
        self.gas_on()
        self.until(lambda: self.capture().status_code == 200, 60)

    def test_where_it_is_set_its_live_reading_is_shown_and_nothing_is_captured(self):
        self.live()
        for slot, text in enumerate(("0", "50")):
            self.ok(("reading_taken", {"step": "as_found", "slot": slot, "indicated": text, "applied": text}))
        self.ok(("step_confirmed", {"step": "alarms", "values": {"alarm:as_found:Low": "20", "alarm:as_found:High": "40"}}))
        self.ok(("decision_made", {"step": "judge", "choice": "adjust", "reason": "asked for"}))
        live = self.until(lambda: (found := live_of(uuid.UUID(self.run_id))[0]).quantities and found)
        self.assertEqual((live.step, list(live.quantities), live.slot.ideal), ("adjust", ["indicated"], 0.0))
        self.assertEqual(self.capture().json()["code"], "not_reading")
        self.ok(("adjustment_made", {"step": "adjust", "screw": "zero", "before": "0", "after": ""}))
        self.assertEqual(live_of(uuid.UUID(self.run_id))[0].slot.ideal, 50.0)

    def test_zero_and_span_are_taken_by_themselves_with_class_and_signal(self):
        self.live()
        answer = self.post("auto-captures/", {"runs": [self.run_id]})
        self.assertEqual(answer.status_code, 201, answer.content)
        self.until(lambda: RunEvent.objects.filter(run_id=self.run_id, type="reading_taken").count() == 2, 120)
        told = RunEvent.objects.filter(run_id=self.run_id, type="reading_taken").order_by("seq").last().payload
        self.assertEqual((told["captured"]["indicated"]["response"], told["bottle"]), ("ok", "G-H2"))
        self.assertAlmostEqual(float(told["indicated"]), 45.0, delta=1.0)
        self.assertAlmostEqual(float(told["signal"]), 25.0, delta=1.0)
        self.assertEqual(set(told["captured"]["indicated"]["alarms"]), {"Low", "High"})
        fields = {f["name"]: f["suggested"] for f in self.view()["step"]["fields"]}
        # The bench runs eight times as fast as time: between two looks of a busy machine the reading moves a lot.
        self.assertTrue(0 < float(fields["alarm:as_found:Low"]) <= 46, fields)
        self.assertLess(self.point.manifold.bottles["SPAN"].litres, 50.0)

    def test_a_head_is_read_channel_by_channel_each_from_its_own_gas(self):
        points = [
            DetectorPoint("AE-2", SimulatedDetector("catalytic", 100.0, t90_s=3.0, noise=0.02, gain=gain), Manifold(0.5, bottles), channel)
            for channel, gain, bottles in (
                ("A", 0.9, {"ZERO": Charge(0.0, 20.9, 50.0), "H2": Charge(50.0, 20.9, 50.0)}),
                ("B", 0.8, {"ZERO": Charge(0.0, 20.9, 50.0), "CH4": Charge(50.0, 20.9, 50.0)}),
            )
        ]
        self.bench.world.detectors += points
        methane = [{"gas": "methane", "value": 50.0, "unit": "%LEL", "u_percent": 2.0, "basis": "iec"}]
        GasBottle.objects.create(
            code="G-CH4",
            name="Gas",
            gases=methane,
            balance="air",
            oxygen=20.9,
            litres=90,
            expires_on=timezone.localdate() + timedelta(days=90),
        )
        Instrument.objects.create(
            tag="AE-2", serial="S-2", service="Head", area=self.area, family="gas detector", method="gas-multichannel", unit="%LEL",
            lrv=0, urv=100, tolerance_value=5, policy={**POLICY, "give_up_s": 240},  # a machine at work elsewhere is no detector that is unstable
            details={"technology": "catalytic", "basis": "iec", "t90_s": "0.5", "channels": "A, hydrogen, 100, %LEL, 2.5; B, methane, 100, %LEL, 2.5"},
        )  # fmt: skip
        self.start("AE-2")
        self.to("readings")
        stimuli, shown = [], []
        for n, channel in ((2, "A"), (3, "B")):
            stimuli.append(
                signal(f"d{n}.applied", "Gas", "%LEL", f"MEAS{n}:CONC?", write=f"SOUR{n}:CONC {{value}}", tag="AE-2", low=-1, high=200)
            )
            stimuli.append(signal(f"d{n}.off", "Shut", "key", f"DET{n}:ANS?", write=f"SOUR{n}:OFF {{value}}", tag="AE-2", role="key"))
            shown.append(signal(channel, channel, "%LEL", {"address": 10 * n, "word_order": "big"}, tag="AE-2", low=-200, high=200))
        add_device("GH", "scpi", self.bench.ports["gas"], stimuli, timeout_s=SLOW_S)
        add_device("GR", "modbus", self.bench.ports["modbus"], shown, timeout_s=SLOW_S)
        for n, channel in ((2, "A"), (3, "B")):
            self.ok(("source_chosen", {"quantity": "applied", "channel": channel, "signal": f"GH/d{n}.applied"}))
            self.ok(("source_chosen", {"quantity": "indicated", "channel": channel, "signal": f"GR/{channel}"}))
        answer = self.post("auto-captures/", {"runs": [self.run_id]})
        self.assertEqual(answer.status_code, 201, answer.content)
        taken = RunEvent.objects.filter(run_id=self.run_id, type="reading_taken").order_by("seq")
        going = AutoCapture.objects.latest("started_at")
        self.until(lambda: taken.count() == 4 or AutoCapture.objects.get(pk=going.pk).status != "running", 300)
        self.assertEqual(taken.count(), 4, AutoCapture.objects.get(pk=going.pk).says)
        read = [float(e.payload["indicated"]) for e in taken]
        for value, expected in zip(read, (0, 45, 0, 40), strict=True):
            self.assertAlmostEqual(value, expected, delta=1.0)
        self.assertEqual([e.payload["bottle"] for e in taken], ["G-AIR", "G-H2", "G-AIR", "G-CH4"])
        self.assertEqual(points[0].manifold.open_bottle, "")  # shut when the other channel's turn came

    def test_gas_that_does_not_come_is_no_response_once_it_is_said_to_be_on(self):
        self.live()
        self.ok(("reading_taken", {"step": "as_found", "slot": 0, "indicated": "0"}))
        self.point.manifold.is_line_off = True
        self.point.manifold.open_bottle = "SPAN"
        self.assertEqual(self.post(f"runs/{self.run_id}/gas-on/").status_code, 204)
        answer = self.until(lambda: (a := self.capture()).status_code == 200 and a, 60)
        row = answer.json()["view"]["evidence"][0]
        self.assertIn({"name": "Span", "value": "no response"}, row["findings"])
        self.assertEqual(answer.json()["view"]["step"]["key"], "alarms")

    def test_a_detector_that_is_warming_up_is_not_captured(self):
        self.point.detector.warm_up_s = 1e6
        self.live()
        self.until(lambda: self.capture().json().get("code") == "warming_up", 40)

    def test_keys_of_the_detector_answer_and_are_on_the_record(self):
        self.live()
        self.assertEqual(self.press("inhibit").status_code, 200)
        self.assertTrue(self.point.detector.is_inhibited)
        self.assertAlmostEqual(self.point.detector.ma, 3.0)
        self.point.detector.zero = 30.0
        self.until(lambda: self.point.detector.shown > 25)
        answer = self.press("zero")
        self.assertIn("refused, the old calibration stands", answer.json()["view"]["acts"][-1]["words"])
        self.assertEqual(self.point.detector.zero, 30.0)
        self.assertEqual(self.press("span").status_code, 400)
        self.assertEqual(self.post(f"runs/{self.run_id}/key/", {"signal": "GM/c"}).status_code, 400)

    def test_the_purge_is_taken_live_and_refused_while_gas_is_there(self):
        self.live()
        for slot, text in enumerate(("0", "50")):
            self.ok(("reading_taken", {"step": "as_found", "slot": slot, "indicated": text, "applied": text}))
        self.ok(("step_confirmed", {"step": "alarms", "values": {"alarm:as_found:Low": "20", "alarm:as_found:High": "40"}}))
        self.ok(("decision_made", {"step": "judge", "choice": "leave", "reason": "fine"}))
        self.point.manifold.open_bottle = "SPAN"
        self.until(lambda: self.point.detector.shown > 40)
        self.until(lambda: "Gas is still there" in self.capture().json().get("message", ""), 30)
        self.point.manifold.open_bottle = ""
        self.until(lambda: self.capture().status_code == 200, 60)
        self.assertNotEqual(self.view()["step"]["key"], "purge")

    def test_the_live_reading_counts_at_the_release(self):
        self.live()
        self.point.manifold.open_bottle = "SPAN"
        self.until(lambda: self.point.detector.shown > 40)
        hold = self.view()["holds"][0]["id"]
        release = {"hold": hold, "values": {"reading": "0", "latches": "reset", "operator": "C"}, "reason": "called away"}
        said = self.assertFailure(self.send(("hold_released", release)), 400, "out_of_range")["message"]
        self.assertRegex(said, r"reads 4\d[.\d]* %LEL now, and that counts")
        self.point.manifold.open_bottle = ""
        self.until(lambda: self.point.detector.shown < 1, 60)
        self.assertIn("still has 'High' on", self.assertFailure(self.send(("hold_released", release)), 400, "still_latched")["message"])
        answer = self.press("reset")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.view()
        self.ok(("hold_released", {**release, "values": {**release["values"], "reading": "50"}}))
        self.assertLess(abs(float(self.view()["holds"][0]["release_values"]["reading"])), 2)

    def test_a_capture_that_goes_by_itself_ends_with_the_hold_and_shuts_the_gas(self):
        self.live()
        self.with_off()
        self.assertEqual(self.post("auto-captures/", {"runs": [self.run_id]}).status_code, 201)
        self.until(lambda: self.point.manifold.open_bottle)
        hold = self.view()["holds"][0]["id"]
        values = {"reading": "0", "latches": "reset", "operator": "C"}
        self.until(lambda: self.send(("hold_released", {"hold": hold, "values": values, "reason": "called away"})).status_code == 200)
        self.until(lambda: AutoCapture.objects.get().status == "stopped")
        self.assertIn("took the inhibit off while the run was at work", AutoCapture.objects.get().says)
        self.until(lambda: not self.point.manifold.open_bottle)

    def tearDown(self):
        HUB.stop()
        super().tearDown()
