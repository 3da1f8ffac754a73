"""Function checks in the browser: twenty typed, one after the other, counted; one that fails; one that is read live."""

import asyncio
import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.bench.simulator.world import DetectorPoint
from apps.bench.tests.bench_world import SLOW_S, add_device, signal
from apps.checks.models import CheckRound
from apps.kit.models import GasBottle, GasFitting
from apps.plant.models import Area, Instrument
from apps.runs.models import Hold, Run
from e2e.base import PASSWORD, BrowserTestCase
from e2e.bench import BenchJourney
from e2e.cost import cost, count_from_here
from metrology.simulation.detector import Charge, Manifold, SimulatedDetector

DETAILS = {
    "gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10", "inhibit_ma": "3", "check_days": "90",
    "alarms": "Low 20 rising; High 40 rising latching",
}  # fmt: skip
MANY = 20


def make_detectors(count: int, **policy) -> None:
    """So many hydrogen detectors in two areas, never checked, with a bottle, a regulator and a line."""
    areas = [Area.objects.get(code="RO"), Area.objects.create(code="ECL", name="Electrochlorination", east_m=300)]
    for n in range(count):
        Instrument.objects.create(
            tag=f"AE-{101 + n}", serial=f"S-{n}", service="Hydrogen", area=areas[n % 2], family="gas detector", method="gas-zero-span",
            unit="%LEL", lrv=0, urv=100, tolerance_value=5, details=DETAILS, policy={"countdown_s": 0, **policy},
            voting_group=f"V-{n // 2}",
        )  # fmt: skip
    hydrogen = [{"gas": "hydrogen", "value": 50.0, "unit": "%LEL", "u_percent": 2.0, "basis": "iec"}]
    due = timezone.localdate() + timedelta(days=200)
    GasBottle.objects.create(code="G-H2", name="Gas", gases=hydrogen, balance="air", oxygen=20.9, litres=110, expires_on=due)
    GasFitting.objects.create(code="V-1", kind="regulator", material="stainless steel", flow_l_min=0.5)
    GasFitting.objects.create(code="L-1", kind="line", material="PTFE-lined", length_m=1, is_conditioned=True)


def make_round(p) -> None:
    """From Today to the first detector, with everything said once."""
    p.goto("/")
    p.get_by_role("link", name="Choose and check them").click()
    p.get_by_role("button", name=re.compile("^Choose all")).click()
    p.get_by_label("Operator told (name)").fill("Control room")
    p.get_by_label("Air temperature").fill("12")
    p.get_by_label("What stands in meanwhile").fill("patrol with a portable")
    p.get_by_label("Their own reminders").select_option("reset")
    p.get_by_role("checkbox", name=re.compile("^G-H2")).click()
    p.get_by_role("button", name=re.compile("^Start the round of")).click()
    expect(p.get_by_label("Scan or type a tag")).to_be_visible()


class RoundOfChecks(BrowserTestCase):
    def at_hand(self, tag):
        expect(self.page.get_by_role("heading", name=tag, exact=True)).to_be_visible()

    def one(self, tag, reads="50"):
        """One detector, typed, from its hold to its hold off."""
        p = self.page
        self.at_hand(tag)
        p.get_by_role("button", name="Hold is on").click()
        expect(p.get_by_label(re.compile("^It reads,"))).to_be_focused()
        p.keyboard.type(reads)
        p.keyboard.press("Enter")
        p.get_by_role("button", name="All came").click()
        expect(p.get_by_label(re.compile("^It reads now"))).to_be_focused()
        p.keyboard.type("0")
        p.keyboard.press("Enter")
        p.get_by_role("button", name="Hold is off").click()

    def test_twenty_detectors_typed_and_signed_once(self):
        make_detectors(MANY)
        p = self.page
        self.sign_in(p)
        make_round(p)
        self.check(p, "a round of checks")
        order = [j.instrument.tag for j in CheckRound.objects.get().jobs.select_related("instrument")]
        count_from_here(p)
        p.reload()
        for tag in order:
            self.one(tag)
        expect(p.get_by_text(f"{MANY} of {MANY}")).to_be_visible()
        told = cost(p, f"a round of {MANY} function checks, typed")
        self.assertLessEqual(told["taps"] / MANY, 6)
        self.assertLessEqual(told["keys"] / MANY, 6)
        p.get_by_role("button", name=f"Sign {MANY} records").click()
        p.get_by_label("Password").fill(PASSWORD)
        p.keyboard.press("Enter")
        expect(p.get_by_text("This round is over")).to_be_visible()
        self.assertEqual(Run.objects.filter(status="signed", method="gas-bump", found_verdict="pass").count(), MANY)
        self.assertFalse(Hold.objects.filter(released_at=None).exists())
        p.goto("/")
        expect(p.get_by_role("region", name="Function checks")).to_be_hidden()

    def test_a_failed_one_is_set_aside_with_its_hold_and_the_round_goes_on(self):
        make_detectors(4)
        p = self.page
        self.sign_in(p)
        make_round(p)
        first, second = [j.instrument.tag for j in CheckRound.objects.get().jobs.select_related("instrument")[:2]]
        p.get_by_role("button", name="Hold is on").click()
        p.get_by_label(re.compile("^It reads,")).fill("31")
        p.keyboard.press("Enter")
        p.get_by_role("button", name="All came").click()
        expect(p.get_by_text(re.compile("of what is allowed is used"))).to_be_visible()
        self.check_step(p, first)
        p.get_by_label("Why, in a few words").fill("weak, to be set tomorrow")
        p.get_by_role("button", name="Set aside, its hold stays on").click()
        self.at_hand(second)
        expect(p.get_by_role("list", name="Detectors").get_by_text("on hold")).to_be_visible()
        p.reload()  # nothing of it is lost
        self.at_hand(second)
        # A tag scanned too early, or of another round, says nothing for a detector.
        p.get_by_label("Scan or type a tag").fill("PT-2110")
        p.keyboard.press("Enter")
        expect(p.get_by_text("PT-2110 is not in this round.")).to_be_visible()
        p.get_by_label("Scan or type a tag").fill(first.lower())
        p.keyboard.press("Enter")
        self.at_hand(first)
        p.keyboard.press("Enter")  # a scanner that reads twice
        self.assertEqual(Hold.objects.filter(released_at=None).count(), 1)
        expect(p.get_by_text("weak, to be set tomorrow")).to_be_visible()

    def test_by_keyboard_alone(self):
        make_detectors(1)
        p = self.page
        self.sign_in(p)
        make_round(p)
        expect(p.get_by_label("Scan or type a tag")).to_be_focused()
        p.keyboard.type("AE-101")
        p.keyboard.press("Enter")
        expect(p.get_by_role("button", name="Hold is on")).to_be_visible()
        p.keyboard.press("Tab")
        expect(p.get_by_role("button", name="Hold is on")).to_be_focused()
        p.keyboard.press("Enter")
        expect(p.get_by_label(re.compile("^It reads,"))).to_be_focused()
        p.keyboard.type("49")
        p.keyboard.press("Enter")
        expect(p.get_by_role("button", name="All came")).to_be_visible()
        p.keyboard.press("Tab")
        p.keyboard.press("Enter")
        expect(p.get_by_label(re.compile("^It reads now"))).to_be_focused()
        p.keyboard.type("0.2")
        p.keyboard.press("Enter")
        expect(p.get_by_role("button", name="Hold is off")).to_be_enabled()
        p.keyboard.press("Tab")
        p.keyboard.press("Enter")
        expect(p.get_by_role("button", name="Sign 1 record")).to_be_visible()


class LiveCheck(BenchJourney):
    def setUp(self):
        super().setUp()
        make_detectors(1, zero_window_s=1, span_window_s=1, give_up_s=240)
        detector = SimulatedDetector(
            "catalytic", 100.0, t90_s=60.0, noise=0.02, new_signal=0.5, alarms=((20.0, False, True), (40.0, True, True))
        )
        self.point = DetectorPoint("AE-101", detector, Manifold(0.5, {"ZERO": Charge(0.0, 20.9, 50.0), "SPAN": Charge(50.0, 20.9, 50.0)}))
        self.bench.world.detectors.append(self.point)
        asyncio.run_coroutine_threadsafe(self._serve(), self.bench_thread._loop).result(10)
        key = {"tag": "AE-101", "role": "key"}
        gas = [
            signal("d1.conc", "Manifold", "%LEL", "MEAS1:CONC?", write="SOUR1:CONC {value}", tag="AE-101", low=-1, high=200, quantity="applied"),
            signal("d1.off", "Manifold, shut", "", "MEAS1:CONC?", write="SOUR1:OFF {value}", **key),
            *(signal(f"d1.{k}", k, "key", "DET1:ANS?", write=f"DET1:{c}", **more, **key) for k, c, more in (
                ("inhibit", "INH {value}", {}), ("reset", "RES {value}", {}), ("release", "INH {value}", {"press": 0.0}))),
        ]  # fmt: skip
        add_device("GM", "scpi", self.bench.ports["gas"], gas, timeout_s=SLOW_S)
        registers = [
            signal(name, name, unit, {"address": 10 + off, "word_order": "big"}, tag="AE-101", low=-200, high=70000, quantity=quantity)
            for name, unit, off, quantity in (("shown", "%LEL", 0, "indicated"), ("ma", "mA", 2, "ma"), ("status", "", 6, "status"))
        ]
        add_device("GD", "modbus", self.bench.ports["modbus"], registers, timeout_s=SLOW_S)

    async def _serve(self):
        self.bench.ports["gas"] = await self.bench.gas.serve(0)

    def test_three_taps_where_it_is_live(self):
        p = self.page
        make_round(p)
        count_from_here(p)
        p.reload()
        p.get_by_role("button", name="Hold is on").click()
        expect(p.get_by_role("button", name="Gas on")).to_be_visible(timeout=30_000)
        self.assertTrue(self.point.detector.is_inhibited)  # pressed for it, and seen at the control system
        p.get_by_role("button", name="Gas on").click()
        off = p.get_by_role("button", name="Hold is off")
        expect(off).to_be_enabled(timeout=180_000)
        self.assertEqual(self.point.manifold.open_bottle, "")
        off.click()
        expect(p.get_by_role("button", name="Sign 1 record")).to_be_visible(timeout=30_000)
        told = cost(p, "a function check read live")
        self.assertLessEqual(told["taps"], 3)
        self.assertEqual(told["keys"], 0)
        self.assertFalse(self.point.detector.is_inhibited)
        run = Run.objects.get()
        self.assertEqual((run.found_verdict, run.status), ("pass", "open"))
