"""A safety function entered by the planner, proved by a calibration, read on its page; and who may do the work."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.accounts.models import Qualification
from apps.plant.models import Instrument
from apps.plant.policies import set_policies
from apps.safety.models import ProofTest, SafetyFunction
from e2e.base import PASSWORD, BrowserTestCase
from e2e.test_real_day import ANSWERS, GOOD
from e2e.walk import Walk


class Safety(BrowserTestCase):
    def test_a_function_is_entered_proved_late_and_read_beside_what_was_assumed(self):
        planner = self.page
        self.sign_in(planner, "ruben")
        planner.goto("/safety")
        planner.get_by_role("link", name="Add a function").press("Enter")
        for label, text in (
            ("Code", "SIF-7"), ("Name", "Header over-pressure"), ("What it prevents", "Burst"), ("Proof test every", "180"),
            ("Dangerous undetected failures", "3e-7"), ("Logic and final element", "0.001"),
        ):  # fmt: skip
            planner.get_by_label(re.compile(f"^{label}")).fill(text)
        planner.get_by_label("Integrity level").select_option(label="SIL 2")
        self.check(planner, "a function's form")
        planner.get_by_role("button", name="Store").press("Enter")
        expect(planner.get_by_role("heading", name=re.compile("SIF-7"))).to_be_visible()
        planner.get_by_role("button", name="Put one in").press("Enter")
        year_ago = timezone.localdate() - timedelta(days=365)
        for label, text in (
            ("Tag", "PT-2110"),
            ("Trips at", "500"),
            ("Give or take", "2"),
            ("Proved last, or put in, on", year_ago.isoformat()),
        ):
            planner.get_by_label(re.compile(f"^{label}")).fill(text)
        planner.get_by_role("button", name="Put it in").press("Enter")
        expect(planner.get_by_text("it can't trip at 500").first).to_be_visible()
        planner.get_by_label(re.compile("^Trips at")).fill("300")
        planner.get_by_role("button", name="Put it in").press("Enter")
        expect(planner.get_by_text("A proof test is overdue")).to_be_visible()
        self.check(planner, "a safety function")

        p = self.open_browser()
        self.sign_in(p)
        w = Walk(p, ANSWERS, ("MB-P01", "MB-I01")).start("PT-2110", "MB-2110")
        w.to("As found").read(*GOOD)
        w.to("Proof test, as found")
        self.check_step(p, "Proof test, as found")
        self.shot("proof-found", p)
        w.answers |= {"SIF-7 Header over-pressure": "Whole path to the final element: it tripped", "SIF-7: tripped at": ""}
        w.fill(w.answers)
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("SIF-7: tripped at is missing").first).to_be_visible()
        w.answers["SIF-7: tripped at"] = "304.5"
        w.pass_step()
        expect(p.get_by_role("region", name="Proof test", exact=True)).to_contain_text("4.5 kPa late: on the dangerous side")
        w.decide("Leave")
        w.to("Proof test, as left")
        w.answers |= {"SIF-7: trips now at": "304.5", "Time in bypass": "40", "SIF-7: why": ""}
        w.fill(w.answers)
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("Put it right, or say why it is left so").first).to_be_visible()
        self.check_step(p, "Proof test, as left")
        w.answers["SIF-7: trips now at"] = "300.4"
        w.pass_step()
        w.sign(PASSWORD)
        expect(p.get_by_role("region", name="Proof test", exact=True)).to_contain_text("300.4 kPa")
        expect(p.get_by_text("As found, the trip of SIF-7 is not as required")).to_be_visible()
        expect(p.get_by_text(re.compile("As left, .* of tolerance"))).to_be_visible()
        self.check(p, "a record with a proof test")
        self.shot("proof-record", p)
        self.assertEqual((ProofTest.objects.get().found, ProofTest.objects.get().bypass_min), (304.5, 40.0))
        due = Instrument.objects.get(tag="PT-2110")
        self.assertEqual(due.next_due, timezone.localdate() + timedelta(days=SafetyFunction.objects.get().proof_days))

        planner.goto("/safety")
        planner.get_by_role("link", name="SIF-7").press("Enter")
        figures = planner.get_by_label("Figures")
        expect(figures).to_contain_text("1 of 1 tests: 100 %")
        expect(figures).to_contain_text("0.667 h")
        expect(planner.get_by_label("Proof tests")).to_contain_text("would not have acted in time")
        planner.get_by_role("button", name="Change", exact=True).press("Enter")
        planner.get_by_label(re.compile("^Give or take")).fill("5")
        planner.get_by_role("button", name="Store").press("Enter")
        expect(planner.get_by_text("Say why it is changed").first).to_be_visible()
        planner.get_by_label("Why", exact=True).fill("Requirements rev. 3")
        planner.get_by_role("button", name="Store").press("Enter")
        expect(planner.get_by_text("Trips at 300 ±5 kPa rising")).to_be_visible()


class Qualified(BrowserTestCase):
    def test_entered_by_the_planner_and_asked_when_work_starts(self):
        Instrument.objects.filter(tag="PT-2110").update(skills="breathing air")
        planner = self.page
        self.sign_in(planner, "ruben")
        p = self.open_browser()
        self.sign_in(p)
        p.goto("/plant/PT-2110")
        p.get_by_role("button", name="Start a calibration").press("Enter")
        expect(p.get_by_role("alert")).to_contain_text("takes a qualification that is not entered for you: breathing air")
        expect(p.get_by_label("Who answers for the work")).to_have_count(0)
        set_policies(actor=None, method="", values={"qualified": "supervised"}, reason="Few are qualified yet", now=timezone.now())

        planner.goto("/people")
        tomas = planner.get_by_label("Tomas Calder", exact=True)
        tomas.get_by_role("button", name="Add or renew").press("Enter")
        tomas.get_by_label("What Tomas Calder is qualified for").select_option(label="breathing air")
        tomas.get_by_label("Last day").fill("2020-01-01")
        tomas.get_by_role("button", name="Enter it").press("Enter")
        expect(tomas.get_by_text("is over. Enter the day").first).to_be_visible()
        planner.reload()  # what was typed is kept on the device
        tomas.get_by_role("button", name="Add or renew").press("Enter")
        expect(tomas.get_by_label("What Tomas Calder is qualified for")).to_have_value("breathing air")
        expect(tomas.get_by_label("Last day")).to_have_value("2020-01-01")
        tomas.get_by_label("Last day").fill((timezone.localdate() + timedelta(days=20)).isoformat())
        tomas.get_by_role("button", name="Enter it").press("Enter")
        expect(tomas.get_by_text("ends soon")).to_be_visible()
        self.check(planner, "people")
        planner.goto("/plan")
        expect(planner.get_by_text("Tomas Calder: breathing air ends on")).to_be_visible()

        p.get_by_role("button", name="Start a calibration").press("Enter")
        p.get_by_label("Who answers for the work").select_option(label="Tomas Calder")
        p.get_by_role("button", name="Start with this supervisor").press("Enter")
        expect(p.locator("#step-title")).to_have_text("Right instrument")
        planner.goto("/people")
        tomas.get_by_role("button", name="Take away").last.press("Enter")
        tomas.get_by_label(re.compile("^Why .* is taken away")).fill("Left the crew")
        tomas.get_by_role("button", name="Take it away").press("Enter")
        expect(tomas.get_by_text("Before")).to_be_visible()
        self.assertEqual(Qualification.objects.exclude(ended_at=None).count(), 1)
