"""The kit in the browser: a reference quarantined and what stops, a new one with its certificate, portable kit checked in."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.planning.rounds import make_round, solve_round
from e2e.base import BrowserTestCase


class KitJourney(BrowserTestCase):
    def test_a_quarantined_reference_and_what_stops(self):
        ruben = Person.objects.get(username="ruben")
        day = timezone.localdate() + timedelta(days=1)
        crew = [{"username": "ines", "start": "07:30", "end": "15:30"}]
        made = make_round(actor=ruben, data={"day": day.isoformat(), "crew": crew}, now=timezone.now())
        solve_round(made.id, "draft", 0, 2.0)
        p = self.page
        self.sign_in(p)
        p.goto("/kit")
        p.get_by_role("link", name="MB-P01").click()
        expect(p.get_by_text("These count on it")).to_be_visible()
        expect(p.get_by_label("What it can be used for").get_by_text("PT-2110")).to_be_visible()
        self.check(p, "kit item")
        p.get_by_role("button", name="Quarantine it").click()
        dialog = p.get_by_role("dialog")
        dialog.get_by_role("button", name="Quarantine it").click()
        expect(dialog.get_by_text("Say why")).to_be_visible()
        dialog.get_by_label("Why").fill("Dropped from the ladder")
        dialog.get_by_role("button", name="Quarantine it").click()
        expect(p.get_by_text("These stop: give the runs another")).to_be_visible()
        expect(p.get_by_text("PT-2110 in Round of")).to_be_visible()
        expect(p.get_by_text("Dropped from the ladder")).to_be_visible()
        expect(p.get_by_role("button", name="Take it back into service")).to_have_count(0)  # a planner does that
        p.goto("/kit")
        expect(p.get_by_text("quarantined")).to_be_visible()

    def test_a_reference_is_added_and_takes_its_certificate_over(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/kit")
        p.get_by_role("link", name="Add a reference").click()
        p.get_by_role("button", name="Add it").click()
        expect(p.get_by_text("Code is missing.").first).to_be_visible()
        today = timezone.localdate()
        for label, value in (
            ("Code", "MB-P20"), ("Name", "Calibrator"), ("Serial", "S20"), ("Unit", "kPa"), ("Covers from", "0"), ("Covers to", "1000"),
            ("U, fixed part", "0.2"), ("Certificate", "TP-1"), ("Laboratory", "Tern Point"), ("Traceability", "SI"),
            ("Calibrated on", (today - timedelta(days=5)).isoformat()), ("Due on", (today + timedelta(days=360)).isoformat()),
        ):  # fmt: skip
            p.get_by_label(label, exact=True).fill(value)
        p.get_by_role("button", name="Add it").click()
        expect(p.get_by_role("heading", name=re.compile("MB-P20"))).to_be_visible()
        table = b"Applied [bar],Indicated [bar],U\n0,0,0.001\n10,10.001,0.002\n"
        p.locator("input[type=file]").last.set_input_files({"name": "points.csv", "mimeType": "text/csv", "buffer": table})
        expect(p.get_by_text("2 points were taken over.")).to_be_visible()
        expect(p.get_by_label("Certificate points")).to_have_value("0 0 0.1; 1000 1000.1 0.2")
        self.assertEqual(len(Reference.objects.get(code="MB-P20").points), 2)

    def test_kit_back_from_service_is_checked_in(self):
        p = self.page
        self.sign_in(p)
        p.goto("/kit/reference/MB-P01")
        p.get_by_role("button", name="Incoming check").click()
        dialog = p.get_by_role("dialog")
        for choice in dialog.get_by_role("combobox").all():
            choice.select_option("yes")
        dialog.get_by_label(re.compile("Inlet blocked")).fill("40")
        dialog.get_by_role("button", name="Judge it").click()
        expect(p.get_by_text("Its flow alarm came after 40 s").first).to_be_visible()
        expect(p.get_by_role("heading", name=re.compile("quarantined"))).to_be_visible()
