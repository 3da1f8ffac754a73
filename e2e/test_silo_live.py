"""A silo whose indicator is on the bench, by the keyboard: cells and parameters read from it, worked out and sent, changed behind one's back, restored."""

import json
import tempfile
import time
from datetime import timedelta
from pathlib import Path

from django.utils import timezone
from playwright.sync_api import expect

from apps.bench.hub import HUB
from apps.bench.maps import check_map
from apps.bench.models import Device
from apps.bench.simulator.bench import ROOM, BenchThread
from apps.bench.simulator.world import build_world
from apps.bench.sources.modbus import ModbusSource
from apps.bench.tests.bench_world import SLOW_S
from apps.kit.models import Reference
from apps.plant.models import Area, Instrument
from apps.runs.models import Run
from apps.runs.store import load_state
from e2e.base import PASSWORD, BrowserTestCase
from e2e.cost import cost, count_from_here
from e2e.test_scales import ANSWERS, SILO
from e2e.walk import Walk

MAP = Path(__file__).resolve().parents[1] / "demo" / "bench" / "silo.json"
AT = 4  # of the points of the demonstration, which of them the silo is; here it is the first
WAY = "Worked out from the cells, then proved with the weights"


def silo_map(port):
    """The demonstration's map of the silo, for the first point of a small bench."""
    data = json.loads(MAP.read_text())
    for signal in data["signals"]:
        for way in ("read", "write"):
            if way in signal:
                signal[way]["address"] -= AT * ROOM
    return check_map({**data, "address": f"127.0.0.1:{port}", "timeout_s": SLOW_S})


class SiloLive(BrowserTestCase):
    def setUp(self):
        super().setUp()
        world = build_world({"points": [{"tag": "WT-3301", "kind": "scale", "set": {"dead_kg": 12012, "number": 3301}}]})
        thread = BenchThread(world)
        self.bench = thread.__enter__()
        self.addCleanup(thread.__exit__)
        self.addCleanup(HUB.stop)
        self.scale = self.bench.world.points[0].analyzer
        Device.objects.create(**silo_map(self.bench.ports["modbus"]))
        due = timezone.localdate() + timedelta(days=200)
        self.silo = Instrument.objects.create(
            tag="WT-3301", serial="S-WT-3301", service="Scale", area=Area.objects.get(code="RO"), family="weighing", method="weigh-vessel", unit="kg",
            lrv=0, urv=40_000, tolerance_value=0.2, details=SILO, next_due=timezone.localdate(),
        )  # fmt: skip
        Reference.objects.create(
            code="MB-W05", name="20 kg weights", serial="W5", unit="kg", low=0, high=10_000, u_percent_reading=0.005, u_absolute=0, kind="weight",
            weight_class="M1", calibrated_on=due - timedelta(days=365), due_on=due, certificate="TP-1", laboratory="Tern Point", traceability="SI", k=2.0,
        )  # fmt: skip
        self.sign_in(self.page)

    def press(self, name):
        self.page.get_by_role("button", name=name, exact=True).press("Enter")

    def start(self, **answers):
        read = dict.fromkeys(("Signal empty", "Signal at Max", "Max", "Division", "File saved as"))  # read from it, never typed
        w = Walk(self.page, {**ANSWERS, "Loaded by": WAY, **read, **answers}, ("MB-W05",)).start("WT-3301", "S-WT-3301")
        w.to("Parameters it holds")
        self.press("Read the indicator")
        expect(w.form.get_by_text("read", exact=True)).to_have_count(4)
        return w

    def told(self, key, value):
        """Until the bench tells it: what is changed in the simulated indicator stands in its registers a moment later."""
        signal = next(s for s in Device.objects.get().signals if s["key"] == f"WT-3301.{key}")
        source = ModbusSource("127.0.0.1", self.bench.ports["modbus"], timeout_s=SLOW_S)
        try:
            for _ in range(600):
                if abs(source.read(signal) - value) < 1e-5 * max(1.0, abs(value)):
                    return
                time.sleep(0.05)
        finally:
            source.close()
        self.fail(f"{key} never came to {value}")

    def service(self, w, way):
        self.press(f"Service mode {way}")
        expect(self.page.get_by_text(f"pressed 'Service mode {way}': taken").first).to_be_visible()
        w.form.get_by_role("button", name="Service mode of the indicator: moved " + ("to test" if way == "on" else "back")).press("Enter")
        w.pass_step()

    def acts(self):
        return [a["words"] for a in load_state(Run.objects.order_by("-number").first().pk)[2].acts]

    def test_worked_out_sent_changed_by_somebody_and_restored(self):
        p = self.page
        count_from_here(p)
        w = self.start(**{"Support test": "Yes"})
        w.pass_step()
        w.to("Each support")
        self.press("Read the cells, empty")
        expect(w.form.get_by_text("read", exact=True)).to_have_count(3)
        self.scale.bound = 0.4
        self.scale.put(10_000)
        self.told("cell3", self.scale.cells[2])
        self.press("Read the cells, loaded")
        expect(w.form.get_by_text("read", exact=True)).to_have_count(6)
        self.scale.put(0)
        self.scale.bound = 0.0
        self.check_step(p, "Each support by itself")
        w.pass_step()
        w.read("0", "10150", "0").to("Judge as found")
        expect(p.get_by_text("support 3").first).to_be_visible()  # the one that differs is named
        w.decide("Set zero and span as worked out", "Freed, and the cells have new certificates")
        self.service(w, "on")
        w.form.get_by_role("button", name="Send it, then read it back").press("Enter")
        expect(w.form.get_by_text("read", exact=True)).to_have_count(4)
        w.pass_step()
        with p.expect_download() as saved:
            p.get_by_role("link", name="Save the file").press("Enter")
        file = json.loads(Path(saved.value.path()).read_text())
        self.assertEqual(file["tag"], "WT-3301")
        self.assertEqual([float(v) for v in file["values"].values()], [round(v, 4) for v in self.scale.parameters[:4]])
        expect(p.get_by_label("File saved as")).to_have_value("WT-3301-parameters.json")
        w.pass_step()
        self.service(w, "off")
        w.read("0", "10000", "0").decide("Leave as it is").sign(PASSWORD)
        cost(p, "a silo worked out, sent, read back and proved on the bench")
        sent = self.scale.parameters
        self.scale.serve(is_on=True)
        self.scale.hold(1, sent[1] + 0.02)
        self.scale.serve(is_on=False)
        self.told("p_span", self.scale.parameters[1])
        self.restored(file, sent)

    def restored(self, file, sent):
        """Another run, which finds what was changed in the device only, and sends the file, after a wrong one and a wrong instrument."""
        p = self.page
        w = self.start()
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text(f"The file of the last time has {sent[1]:.4f}").first).to_be_visible()
        self.check_step(p, "Parameters it holds")
        p.get_by_role("button", name="It really is so").press("Enter")
        w.arrive("Parameters it holds")
        w.to("As found").read("0", "9830", "0").to("Judge as found")
        expect(p.get_by_text("Proposed: Send it the parameters of the file")).to_be_visible()
        w.decide("Send it the parameters of the file")
        for changed, told in (({"tag": "WT-9"}, "This file is of tag WT-9; this is WT-3301. Nothing was taken from it"), ({}, "")):
            with tempfile.NamedTemporaryFile("w", suffix=".json") as on_disk:
                json.dump({**file, **changed}, on_disk)
                on_disk.flush()
                p.get_by_label("A file of parameters").set_input_files(on_disk.name)
                if told:
                    expect(p.get_by_text(told).first).to_be_visible()
                else:
                    expect(w.form.get_by_text("read", exact=True)).to_have_count(4)
        w.pass_step()
        self.service(w, "on")
        self.scale.number = 4402
        self.told("number", 4402)
        w.form.get_by_role("button", name="Send it, then read it back").press("Enter")
        expect(
            p.get_by_text("answers as number 4402; 3301 is meant. Another instrument may stand at its address. Nothing was written.")
        ).to_be_visible()
        self.press("Read it back")
        expect(
            p.get_by_text("answers as number 4402; 3301 is meant. Another instrument may stand at its address. Nothing was kept.")
        ).to_be_visible()
        self.assertNotEqual(self.scale.parameters[1], sent[1])
        self.scale.number = 3301
        self.told("number", 3301)
        w.form.get_by_role("button", name="Send it, then read it back").press("Enter")
        expect(w.form.get_by_text("read", exact=True)).to_have_count(4)
        self.assertEqual(self.scale.parameters[:4], sent[:4])
        p.get_by_label("Why a value differs").fill("It does not")
        w.form.get_by_label("Signal at Max").fill("1.2345")
        self.press("Read it back")
        expect(w.form.get_by_label("Signal at Max")).to_have_value(f"{sent[1]:.6g}")  # what was read stands where it was typed
        expect(p.get_by_label("Why a value differs")).to_have_value("It does not")  # what no instrument tells stays as typed
        self.check_step(p, "Send, then read back")
        w.answers["File saved as"] = "WT-3301 restored"
        w.pass_step()
        w.pass_step()
        self.service(w, "off")
        w.read("0", "10000", "0").decide("Leave as it is").sign(PASSWORD)
        expect(p.get_by_text("changed in the device, not in the file").first).to_be_visible()
        self.assertTrue(any(words.startswith("sent to Silo indicator") for words in self.acts()))
