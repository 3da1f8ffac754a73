"""pH in two buffers and a belt weigher in the browser: a mixed-up beaker, another bottle in the middle, keys on the bench, weights under lock-out."""

import json
import re
import time
from datetime import timedelta
from pathlib import Path

from django.utils import timezone
from playwright.sync_api import TimeoutError, expect

from apps.bench import auto_capture
from apps.bench.hub import HUB
from apps.bench.maps import check_map
from apps.bench.models import Device
from apps.bench.simulator.bench import BenchThread
from apps.bench.simulator.world import build_world
from apps.bench.tests.bench_world import SLOW_S
from apps.kit.models import Buffer, Reference
from apps.plant.models import Area, Instrument
from apps.runs.models import Hold, KitUse, Run
from e2e.base import BrowserTestCase

MAPS = Path(__file__).resolve().parent.parent / "demo" / "bench"
QUICK = {"settle_window_s": 1.0, "settle_horizon_s": 2.0, "settle_limit_s": 30.0}


def until(act, tries=400):
    """Wait for something on the bench."""
    for _ in range(tries):
        if act():
            return
        time.sleep(0.05)
    raise AssertionError("it never came")


class Journey(BrowserTestCase):
    """Steps that analyzers and belts share. maps: of the devices that are on the bench."""

    maps = ("ph-analyzers", "belt-integrator")

    def start(self, tag):
        p = self.page
        p.goto(f"/plant/{tag}")
        p.get_by_role("button", name="Start a calibration").click()
        p.get_by_label("Tag on the plate").fill(tag)
        p.get_by_label("Serial on the plate").fill(f"S-{tag}")
        for box in p.get_by_role("checkbox").all():  # what stands on the same screen
            box.check()
        p.locator("form button[type=submit]").click()

    def heading(self, name):
        expect(self.page.get_by_role("heading", name=name, exact=True).first).to_be_visible()

    def tick(self):
        for box in self.page.get_by_role("checkbox").all():
            box.check()

    def tick_all(self, button):
        p = self.page
        expect(p.get_by_role("button", name=button, exact=True)).to_be_visible()
        self.tick()
        p.get_by_role("button", name=button, exact=True).click()

    def hold(self, kind="Control in manual"):
        p = self.page
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("radio", name=kind).click()
        p.get_by_label("Reason").fill("Calibration")
        p.get_by_role("button", name="Hold is on").click()

    def release_and_sign(self, **more):
        p = self.page
        self.heading("Release the hold")
        p.get_by_label(re.compile("Normal reading seen")).fill("7.1")
        for label, value in more.items():
            p.get_by_label(re.compile(label.replace("_", " "))).fill(value)
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("button", name="Hold is off").click()
        p.get_by_label("Your password").fill("a-long-password")
        p.get_by_label("Your password").press("Enter")
        expect(p).to_have_url(re.compile("/records/"))

    def capture_until(self, n, done):
        """Capture reading n once it has settled; a signal that moves again before the press is pressed again, until `done` is there."""
        ready = self.page.get_by_role("button", name=f"Capture reading {n}", exact=True)
        for _ in range(40):
            if done.is_visible():
                return
            try:
                ready.click(timeout=3000)
                done.wait_for(timeout=2000)
            except TimeoutError:
                continue
        expect(done).to_be_visible()

    def bench(self, **world):
        thread = BenchThread(build_world({"modbus_port": 0, **world}))
        served = thread.__enter__()
        self.addCleanup(thread.__exit__)
        self.addCleanup(HUB.stop)
        self.addCleanup(auto_capture.stop_all)
        for name in self.maps:
            told = json.loads((MAPS / f"{name}.json").read_text())
            fields = check_map({**told, "address": f"127.0.0.1:{served.ports['modbus']}", "timeout_s": SLOW_S})
            Device.objects.create(**fields)
        return served.world


class PhJourney(Journey):
    def setUp(self):
        super().setUp()
        area = Area.objects.get(code="RO")
        Instrument.objects.create(
            tag="AIT-1401", serial="S-AIT-1401", service="pH after dosing", area=area, family="analyzer", method="an-ph", unit="pH", lrv=0, urv=14,
            tolerance_value=0.1, tolerance_basis="unit", details={"place": "in-line", "process_ph": "6.4", "clean_min": "0"}, feeds="Acid dosing",
            policy=QUICK, next_due=timezone.localdate(),
        )  # fmt: skip
        due = timezone.localdate() + timedelta(days=200)
        for code, ph, table in (("B-7", 6.865, "nist"), ("B-7N", 6.865, "nist"), ("B-4", 4.005, "nist"), ("T-7", 7.0, "technical")):
            Buffer.objects.create(code=code, ph=ph, table=table, lot=f"L-{code}", litres=1, expires_on=due, u_ph=0.01)
        self.sign_in(self.page)

    def at_buffers(self, c="25"):
        p = self.page
        self.start("AIT-1401")
        self.heading("Buffers")
        p.get_by_role("region", name="First buffer, near pH 7").get_by_role("button", name="Use B-7", exact=True).click()
        expect(p.get_by_role("region", name="First buffer, near pH 7").get_by_text("in use")).to_be_visible()
        p.get_by_role("region", name="Second buffer, acid").get_by_role("button", name="Use B-4").click()
        expect(p.get_by_role("region", name="Second buffer, acid").get_by_text("in use")).to_be_visible()
        p.get_by_label("Temperature of the buffers").fill(c)
        self.check_step(p, "Buffers")
        p.get_by_role("button", name="Use these").click()
        self.heading("Calibration it shows")
        p.get_by_role("button", name="Confirm").click()
        self.hold()
        self.tick_all("Safe to start")
        for _ in range(2):
            p.get_by_role("button", name=re.compile("moved to")).first.click()
            expect(p.get_by_role("button", name=re.compile("moved back"))).to_have_count(_ + 1)
        p.get_by_role("button", name="Sample stopped, vessel off").click()
        self.heading("As found")

    def reading(self, n, ph, mv, asks=False):
        p = self.page
        expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_enabled()
        p.get_by_label("Electrode signal, mV").fill(mv)
        p.get_by_label("Analyzer reads, pH").fill(ph)
        p.get_by_label("Analyzer reads, pH").press("Enter")
        if asks:
            expect(p.get_by_text("The other beaker")).to_be_visible()
            p.get_by_role("button", name="It really is so").click()

    def test_a_mixed_up_beaker_another_bottle_and_a_record_that_names_both(self):
        p = self.page
        self.at_buffers()
        self.reading(1, "6.86", "8.0")
        self.reading(2, "6.87", "7.6", asks=True)  # the first beaker again
        self.heading("Judge as found")
        expect(p.get_by_text("Proposed: Read the buffers again")).to_be_visible()
        expect(p.get_by_text("The same buffer was read twice").first).to_be_visible()
        p.get_by_role("radio", name="Clean, then adjust").click()
        p.get_by_label("Why not as proposed").fill("it will be right")
        p.get_by_role("button", name=re.compile("^Decide")).click()
        expect(p.get_by_text("Adjusting to that would set the analyzer wrong")).to_be_visible()
        p.get_by_role("radio", name="Read the buffers again").click()
        p.get_by_role("button", name=re.compile("^Decide")).click()
        self.heading("As found, take 2")
        self.reading(1, "6.99", "1.0")
        # The first bottle is empty: another one is taken, with a reason, from here on.
        p.get_by_role("button", name="Open Buffers again").click()
        p.get_by_label("Why it is opened again").fill("the bottle is empty")
        p.get_by_role("button", name="Open it again").click()
        first = p.get_by_role("region", name="First buffer, near pH 7")
        first.get_by_role("button", name="Use B-7N").click()
        first.get_by_label("Why it is changed in the middle").fill("the bottle is empty")
        first.get_by_role("button", name="Use B-7N").click()
        expect(first.get_by_role("button", name="Use B-7N")).to_have_text("in use")
        p.get_by_label("Temperature of the buffers").fill("25")
        p.get_by_role("button", name="Use these").click()
        self.heading("As found, take 2")
        self.reading(2, "4.12", "163.0")
        self.heading("Judge as found")
        p.get_by_role("button", name="Decide: Clean, then adjust").click()
        p.get_by_role("button", name=re.compile("Start")).click()
        self.tick_all("It is clean")
        for before, after in (("6.98", "6.86"), ("4.13", "4.00")):
            p.get_by_label("Before accepting").fill(before)
            p.get_by_label("After accepting").fill(after)
            p.get_by_label("After accepting").press("Enter")
            expect(p.get_by_label("Before accepting").or_(p.get_by_text("All are inside the aim"))).to_have_count(1)
            expect(p.get_by_label("Before accepting")).to_have_value("") if after == "6.86" else None
        p.get_by_role("button", name="Adjusting is finished").click()
        p.get_by_role("button", name="Confirm").click()
        self.heading("As left")
        self.reading(1, "6.86", "1.2")
        self.reading(2, "4.00", "162.8")
        p.get_by_role("button", name="Decide: Leave as it is").click()
        for _ in range(2):
            p.get_by_role("button", name=re.compile("moved back")).first.click()
            expect(p.get_by_role("button", name=re.compile("moved back"))).to_have_count(1 - _)
        p.get_by_role("button", name="All is back").click()
        self.heading("Put it back")
        self.tick()
        self.release_and_sign()
        expect(p.get_by_text("Slope").first).to_be_visible()
        self.check(p, "record of pH")
        run = Run.objects.get(instrument__tag="AIT-1401")
        self.assertEqual((run.found_verdict, run.left_verdict), ("fail", "pass"))
        self.assertEqual(dict(KitUse.objects.filter(run=run).values_list("item", "amount")), {"B-7": 2.0, "B-4": 4.0, "B-7N": 2.0})
        p.goto("/plant/AIT-1401")
        expect(p.get_by_role("heading", name="Followed from run to run")).to_be_visible()

    def dip(self, beaker):
        p, name = self.page, f"Electrode into the {beaker} buffer"
        p.get_by_role("button", name=name).click()
        expect(p.get_by_text(f"pressed '{name}': taken").first).to_be_visible()

    def capture(self, n, point, beaker):
        """Pressed until it is taken: what moved in the very moment is refused and told."""
        p = self.page
        until(lambda: point.analyzer.at == beaker and abs(point.analyzer.settling) < 0.02)
        table = p.get_by_role("region", name="As found readings").get_by_role("row")
        for _ in range(20):
            p.get_by_role("button", name=f"Capture reading {n}").click()
            taken = table.nth(n).or_(p.get_by_role("heading", name="Judge as found"))
            expect(taken.or_(p.get_by_text("is not captured")).first).to_be_visible()
            if taken.first.is_visible():
                return
        self.fail(f"reading {n} was never taken")

    def test_live_on_the_bench_the_reading_of_the_beaker_before_is_not_taken(self):
        world = self.bench(
            analyzers=[
                {
                    "tag": "AIT-1401",
                    "analyzer": {"slope_percent": 95, "offset_mv": 5, "lag_s": 0.3, "noise_mv": 0.005, "own_slope": 98},
                    "media": {"first": [6.865, 25.0], "second": [4.005, 25.0]},
                }
            ]
        )
        p = self.page
        self.at_buffers()
        p.get_by_role("button", name="Read live").click()
        p.get_by_role("button", name="Use what is wired to AIT-1401").click()
        self.dip("first")
        self.capture(1, world.analyzers[0], "first")
        expect(p.get_by_text("like the one before").first).to_be_visible()
        self.dip("second")
        self.capture(2, world.analyzers[0], "second")
        self.heading("Judge as found")
        expect(p.get_by_role("table", name="As found: judged by").get_by_text(re.compile(r"^9[45]\.\d %"))).to_be_visible()
        self.shot("ph-judge")


class BeltJourney(Journey):
    def setUp(self):
        super().setUp()
        area = Area.objects.get(code="RO")
        Instrument.objects.create(
            tag="WT-4401", serial="S-WT-4401", service="Salt belt weigher", area=area, family="weighing", method="weigh-belt", unit="t/h", lrv=0,
            urv=120, tolerance_value=1, details={"belt_class": "r50-1", "test_min": "1"}, policy=QUICK, next_due=timezone.localdate(),
        )  # fmt: skip
        due = timezone.localdate() + timedelta(days=200)
        Reference.objects.create(
            code="MB-W04", name="Belt weights", serial="W4", unit="kg", low=25, high=25, u_absolute=0.005, k=2.0, resolution=0.001, due_on=due,
            calibrated_on=due - timedelta(days=300), certificate="C-1", laboratory="Tern Point", traceability="SI",
        )  # fmt: skip
        self.world = self.bench(
            belts=[{"tag": "WT-4401", "belt": {"hurry": 60, "scatter": 0.5, "dead_kg_m": 25.1, "zero_stored": 6000, "span_stored": 18000}}]
        )
        self.sign_in(self.page)

    def weights(self, word, key, last):
        """Lock out, move the weights, restart with everyone clear; the lock-out is in sight all the while."""
        p = self.page
        self.heading(f"Lock out, weights {word}")
        p.get_by_label("Isolated at, locks of").fill("Isolator 4, lock of Ines")
        p.get_by_role("button", name="Locked out and proved dead").click()
        self.heading(f"Weights {word}")
        expect(p.get_by_text("lock-out is on").first).to_be_visible()
        p.get_by_role("button", name=key).click()
        expect(p.get_by_text(f"pressed '{key}'")).to_be_visible()
        p.get_by_role("button", name=re.compile("moved to" if word == "on" else "moved back")).click()
        moved = p.get_by_role("button", name=re.compile("moved back"))
        expect(moved).to_have_count(1 if word == "on" else 0)
        p.get_by_role("button", name=f"Weights are {word}").click()
        self.heading("Restart")
        p.get_by_role("button", name="Lock-out off, belt running").click()
        expect(p.get_by_text(re.compile("Everyone clear.*is missing")).first).to_be_visible()
        p.get_by_label("Everyone clear, seen by (name)").fill("Ines")
        p.get_by_label(re.compile("Locks taken off")).fill("Ines")
        p.get_by_role("button", name="Lock-out off, belt running").click()
        self.heading(last)

    def count(self):
        """A set that goes on by itself, with its revolutions counted on screen."""
        p = self.page
        p.get_by_role("button", name="All by itself").click()
        expect(p.get_by_role("status", name="Counted")).to_be_visible()

    def test_zero_and_span_by_themselves_weights_under_lock_out_and_new_counts_accepted(self):
        p = self.page
        self.start("WT-4401")
        self.heading("Revolutions")
        expect(p.get_by_text("revolutions 2; duration 80 s")).to_be_visible()
        p.get_by_role("button", name="Test over these").click()
        p.get_by_role("button", name="Keep the result").click()
        p.get_by_role("button", name="MB-W04").click()
        expect(p.get_by_role("button", name="MB-W04", pressed=True)).to_be_visible()
        p.get_by_role("button", name="Use these").click()
        p.get_by_label("First calibration of this weigher or belt").select_option("no")
        p.get_by_role("button", name="Confirm").click()
        expect(p.get_by_text("Zero count stored is missing").first).to_be_visible()
        p.get_by_label("Zero count stored").fill("6000")
        p.get_by_label("Span count stored").fill("18000")
        p.get_by_role("button", name="Confirm").click()
        self.hold()
        self.tick_all("Safe to start")
        self.tick_all("Empty and running")
        self.heading("As found: zero")
        p.get_by_role("button", name="Read live").click()
        p.get_by_role("button", name="Use what is wired to WT-4401").click()
        self.count()
        self.weights("on", "Weights hung", "As found: span")
        self.count()
        self.heading("Judge as found")
        expect(p.get_by_text(re.compile("Changed by zero \\+0.4"))).to_be_visible()
        self.check(p, "judging a belt")
        p.get_by_role("button", name="Decide: Accept new zero and span").click()
        self.weights("off", "Weights stored", "Accept new zero")
        p.get_by_role("button", name="Accept zero", exact=True).click()
        expect(p.get_by_text(re.compile("pressed 'Accept zero'"))).to_be_visible()
        p.get_by_role("button", name=re.compile("^Use 602")).click()
        p.get_by_role("button", name="Accepted", exact=True).click()
        self.heading("As left: zero")
        self.count()
        self.weights("on", "Weights hung", "Accept new span")
        p.get_by_role("button", name=re.compile("^Use 180")).click()
        p.get_by_role("button", name="Accepted", exact=True).click()
        self.heading("As left: span")
        self.count()
        self.heading("Judge as left")
        p.get_by_role("button", name="Decide: Leave as it is").click()
        self.weights("off", "Weights stored", "Put it back")
        self.tick()
        p.get_by_label(re.compile("Test weights counted")).fill("1")
        p.get_by_role("button", name="Hold is off").click()
        expect(p.get_by_text("look for the one that is missing").first).to_be_visible()
        self.release_and_sign(Test_weights_counted="2")
        run = Run.objects.get(instrument__tag="WT-4401")
        self.assertEqual((run.found_verdict, run.left_verdict), ("fail", "pass"))
        self.assertEqual(Hold.objects.filter(run=run, kind="lock-out", released_at__isnull=False).count(), 4)
