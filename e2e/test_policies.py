"""Policies set by a lead in the interface, by the keyboard alone: what counts, from when, why, and what a run begun after it says."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.plant.models import PolicyChange
from e2e.base import BrowserTestCase


class Policies(BrowserTestCase):
    def change(self, label, value, why, counts_from=""):
        p = self.page
        p.get_by_role("button", name=f"Change {label}", exact=True).press("Enter")
        field = p.get_by_role("textbox", name=re.compile(f"^{label}"))
        expect(field).to_be_focused()
        p.keyboard.press("Control+a")
        p.keyboard.type(value)
        p.keyboard.press("Tab")
        p.keyboard.type(counts_from)
        p.keyboard.press("Tab")
        p.keyboard.type(why)
        p.keyboard.press("Enter")

    def line(self, label):
        return self.page.get_by_role("listitem").filter(has=self.page.get_by_role("heading", name=label, exact=True))

    def test_a_lead_sets_one_for_a_method_and_one_that_is_to_come(self):
        p = self.page
        self.sign_in(p, "marta")
        p.goto("/plant")
        p.get_by_role("link", name="Policies", exact=True).press("Enter")
        self.change("Adjust limit", "700", "Agreed with operations")
        expect(p.get_by_text("1 to 100")).to_be_visible()
        p.reload()
        p.get_by_role("button", name="Change Adjust limit", exact=True).press("Enter")
        expect(p.get_by_label("Adjust limit, %")).to_have_value("700")  # what was typed is kept
        expect(p.get_by_label("Why", exact=True)).to_have_value("Agreed with operations")
        p.get_by_label("Adjust limit, %").press("Control+a")
        p.keyboard.type("60")
        p.keyboard.press("Enter")
        expect(self.line("Adjust limit")).to_contain_text("60 % of tolerance")
        expect(self.line("Adjust limit")).to_contain_text("by Marta Calder")
        expect(p.get_by_role("button", name="Change Adjust limit", exact=True)).to_be_focused()
        tomorrow = timezone.localdate() + timedelta(days=1)
        self.change("A hold needs approval past", "8", "New site rule", str(tomorrow))
        expect(self.line("A hold needs approval past")).to_contain_text("To come: 8 h")
        expect(self.line("A hold needs approval past")).to_contain_text("12 h")
        p.get_by_label("Policies of", exact=True).select_option(label="Transmitter, multi-point check")
        expect(self.line("Adjust limit")).to_contain_text("60 % of tolerance, as the whole plant")
        self.change("Adjust limit", "50", "They drift")
        expect(self.line("Adjust limit")).to_contain_text("else 60 % of tolerance")
        self.check(p, "policies")
        self.assertEqual([(c.method, c.name, c.value) for c in PolicyChange.objects.order_by("pk")],
            [("", "adjust_limit_percent", "60"), ("", "hold_hours", "8"), ("tx-multipoint", "adjust_limit_percent", "50")])  # fmt: skip

        technician = self.open_browser()
        self.sign_in(technician)
        technician.goto("/policies")
        expect(technician.get_by_role("heading", name="Adjust limit")).to_be_visible()
        expect(technician.get_by_role("button", name="Change Adjust limit")).to_have_count(0)
        technician.goto("/plant/PT-2110")
        expect(technician.get_by_text("past the adjust limit of 50 % of tolerance")).to_be_visible()
