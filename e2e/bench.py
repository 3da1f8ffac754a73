"""Journeys beside the simulated bench."""

from __future__ import annotations

from django.utils import timezone
from playwright.sync_api import expect

from apps.bench import auto_capture, loop_tests
from apps.bench.hub import HUB
from apps.bench.simulator.bench import BenchThread
from apps.bench.tests.bench_world import add_devices, quick_world
from apps.kit.models import Reference
from apps.plant.models import Area, Instrument
from e2e.base import BrowserTestCase, RunSteps

QUICK = {"settle_window_s": 1.0, "settle_horizon_s": 2.0, "settle_limit_s": 30.0}


class BenchJourney(BrowserTestCase):
    """A live server, a browser, and the bench."""

    def setUp(self):
        super().setUp()
        area = Area.objects.get(code="RO")
        Instrument.objects.filter(tag="PT-2110").update(policy=QUICK)
        like = Reference.objects.get(code="MB-P01")
        for code, name, unit, low, high, u in (
            ("MB-T01", "Probe", "°C", -50, 700, 0.02),
            ("MB-T02", "Probe", "°C", -50, 700, 0.02),
            ("MB-B01", "Block", "°C", -50, 700, 0.3),
            ("MB-R01", "Readout", "ohm", 0, 400, 0.002),
            ("MB-W01", "Weights", "kg", 0, 10, 0.0001),
        ):
            like.pk, like.code, like.name, like.serial, like.unit = None, code, name, code, unit
            like.low, like.high, like.u_absolute = low, high, u
            like.save()
        for code in ("A", "B"):
            Instrument.objects.create(
                tag=f"TE-{code}",
                serial=f"MB-TE{code}",
                service=f"Liquor {code}",
                area=area,
                family="temperature sensor",
                method="temp-sensor",
                unit="°C",
                lrv=0,
                urv=100,
                tolerance_value=0.5,
                tolerance_basis="unit",
                details={"sensor": "pt", "dwell_min": "0.01"},
                policy=QUICK,
                next_due=timezone.localdate(),
            )
        Instrument.objects.create(
            tag="LT-5501",
            serial="MB-5501",
            service="Condensate level",
            area=area,
            method="level-displacer",
            unit="%",
            lrv=0,
            urv=100,
            tolerance_value=1,
            details={
                "displacer_weight": "2",
                "displacer_volume": "1500",
                "density": "0.00095",
                "weights_on_hand": "1 0.5 0.2 0.2 0.1 0.05 0.02 0.02 0.01",
                "has_column": True,
            },
            next_due=timezone.localdate(),
        )
        thread = BenchThread(quick_world())
        self.bench_thread = thread
        self.bench = thread.__enter__()
        self.addCleanup(thread.__exit__)
        self.addCleanup(HUB.stop)
        self.addCleanup(auto_capture.stop_all)
        self.addCleanup(loop_tests.stop_all)
        add_devices(self.bench)
        self.sign_in(self.page)

    def tearDown(self):
        for context in list(self.browser.contexts):
            for page in context.pages:
                page.goto("about:blank")  # ends the live streams before the server is taken down
        super().tearDown()

    def forward(self, tag, serial, references, numbers=()):
        """From Today to the first readings or parameters, step by step as the page asks."""
        p = self.page
        p.goto("/")
        p.get_by_role("button", name=tag).first.click()
        self.go_on(tag, serial, references, dict(numbers))

    def to_parameters(self):
        """A smart transmitter on its loop, read and kept as the set before."""
        p = self.page
        p.goto("/plant/PT-2110")
        p.get_by_role("button", name="Smart transmitter: range, trim, damping").click()
        self.go_on("PT-2110", "MB-2110", {"Output meter": "MB-I01"}, {})
        p.get_by_label("Parameters are").select_option(label="HART")
        p.get_by_role("button", name="Read the device").click()
        expect(p.get_by_text("The device has been read; nothing is pending.")).to_be_visible()
        p.get_by_role("button", name="Keep it as the set before").click()
        expect(p.get_by_role("heading", name="Loop test, as found")).to_be_visible()

    def to_edit(self):
        """On past a loop test that is good, to where range, damping and trims are set."""
        p = self.page
        self.to_parameters()
        RunSteps(p).read(["4.001", "12.001", "20.002"])
        p.get_by_role("radio", name="Leave the output as it is").click()
        p.get_by_role("button", name="Decide").click()
        expect(p.get_by_role("heading", name="Set range, damping, trims")).to_be_visible()

    def go_on(self, tag, serial, references, numbers):
        p = self.page
        expect(p.get_by_role("heading", name="Right instrument")).to_be_visible()
        p.get_by_label("Tag on the plate").fill(tag)
        p.get_by_label("Serial on the plate").fill(serial)
        for region, code in references.items():
            p.get_by_role("region", name=region).get_by_role("button", name=code).click()
            chosen = p.get_by_role("region", name=region).get_by_role("button", name=code, pressed=True)
            reason = p.get_by_label("Why it must do")
            expect(chosen.or_(reason)).to_be_visible()
        p.get_by_label("Air temperature").fill("21")
        p.get_by_role("button", name="Check the plate").click()
        expect(p.get_by_role("heading", name="Right instrument")).to_have_count(0)
        for label, value in numbers.items():
            p.get_by_label(label).fill(value)
            p.locator("form button[type=submit]").click()
        self.make_safe()

    def make_safe(self):
        """Operator told, hold placed, cautions met."""
        p = self.page
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("radio", name="Inhibit: signal held from tripping").click()
        p.get_by_label("Reason").fill("Scheduled calibration")
        p.get_by_role("button", name="Hold is on").click()
        expect(p.get_by_role("heading", name="Before you touch it")).to_be_visible()
        for box in p.get_by_role("checkbox").all():
            box.click()
        p.get_by_role("button", name="Safe to start").click()
        expect(p.get_by_role("heading", name="Before you touch it")).to_have_count(0)

    def choose_sources(self, **signals):
        """Label of a quantity to the words of its source."""
        p = self.page
        p.get_by_role("button", name="Read live").or_(p.get_by_role("button", name="Sources")).click()
        for label, words in signals.items():
            box = p.get_by_label(f"{label.replace('_', ' ')} is")
            box.select_option(label=words)
            expect(box.locator("option:checked")).to_have_text(words)
        p.get_by_role("button", name="Sources").click()
