"""Scales in the browser, by the keyboard alone: a hopper set and locked again, a silo by substitution, one worked out from its cells and proved."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.kit.models import Reference
from apps.plant.models import Area, Instrument
from e2e.base import PASSWORD, BrowserTestCase
from e2e.cost import cost, count_from_here
from e2e.walk import Walk

SILO = {
    "division": "20", "supports": "3", "cell_capacity": "22000", "sensitivities": "2.0012 1.9996 2.0003", "dead_load": "12000", "latitude": "54",
}  # fmt: skip
ANSWERS = {
    "Weights to hand": "10000", "Signal empty": "0.3640", "Signal at Max": "1.5772", "Max": "40000", "Division": "20", "Support test": "Not today",
    "Creep test": "Not today", "Normal reading seen": "21400", "Weights back": "10000", "File saved as": "WT-3301 today", "Factor it holds": "1.0004",
    "Its access was": "Locked, seal whole", "Loaded by": "Weights alone",
}  # fmt: skip


class Scales(BrowserTestCase):
    def setUp(self):
        super().setUp()
        area = Area.objects.get(code="RO")
        for tag, method, top, details in (
            ("WT-4402", "weigh-indicator", 60, {"division": "0.02", "known_load": "50"}), ("WT-3301", "weigh-vessel", 40_000, SILO),
        ):  # fmt: skip
            Instrument.objects.create(
                tag=tag, serial=f"S-{tag}", service="Scale", area=area, family="weighing", method=method, unit="kg", lrv=0, urv=top, tolerance_value=0.2,
                details=details, next_due=timezone.localdate(),
            )  # fmt: skip
        due = timezone.localdate() + timedelta(days=200)
        Reference.objects.create(
            code="MB-W05", name="20 kg weights", serial="W5", unit="kg", low=0, high=10_000, u_percent_reading=0.005, u_absolute=0, kind="weight",
            weight_class="M1", calibrated_on=due - timedelta(days=365), due_on=due, certificate="TP-1", laboratory="Tern Point", traceability="SI", k=2.0,
        )  # fmt: skip
        self.sign_in(self.page)

    def test_a_hopper_is_set_and_cannot_be_given_back_open(self):
        p = self.page
        count_from_here(p)
        w = Walk(p, {**ANSWERS, "Normal reading seen": "0"}, ("MB-W05",)).start("WT-4402", "S-WT-4402").to("As found")
        self.check_step(p, "As found")
        w.read("0.00", "50.16", "0.00")
        expect(p.get_by_text("Proposed: Set zero and factor")).to_be_visible()
        w.decide("Set zero and factor")
        w.form.get_by_role("button", name="Access to its calibration: moved to test").press("Enter")
        expect(p.get_by_text("In its test position: access to its calibration")).to_be_visible()
        w.pass_step()
        w.to("Lock it again", Known_load_entered="50", Factor_it_holds_now="1.0037")
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("Still in the test position: 'Access to its calibration'")).to_be_visible()
        w.form.get_by_role("button", name="Access to its calibration: moved back").press("Enter")
        expect(p.get_by_text("Everything is back in service.")).to_be_visible()
        w.pass_step()
        w.read("0.00", "50.00", "0.00").decide("Leave as it is")
        w.sign(PASSWORD)
        expect(p.get_by_text("1.0037").first).to_be_visible()
        self.check(p, "record of a scale")
        told = cost(p, "a hopper set with its known load")
        self.assertLessEqual(told["taps"], 1)

    def test_a_silo_by_substitution(self):
        p = self.page
        w = Walk(p, ANSWERS, ("MB-W05",)).start("WT-3301", "S-WT-3301").to("How it is loaded")
        self.check_step(p, "How it is loaded")
        w.to("As found", Loaded_by="Weights with substitution by product")
        w.read("0", "10000")
        expect(p.get_by_text("Weights off; fill product until it shows 10000 kg or nearly so, then read.")).to_be_visible()
        p.keyboard.type("10020")
        p.keyboard.press("Enter")
        expect(p.get_by_text("Hang 10000 kg of weights: 20020 kg are on it.")).to_be_visible()
        for n, text in enumerate(("20020", "20020", "30040", "30020", "40020", "0"), 4):
            expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_visible()
            p.keyboard.type(text)
            p.keyboard.press("Enter")
        w.to("Judge as found")
        self.shot("silo")
        w.decide("Leave as it is")
        w.to("Release the hold")
        w.fill({**w.answers, "Weights back": "9500"})
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("10000 kg came to this vessel").first).to_be_visible()
        w.sign(PASSWORD)
        expect(p.get_by_role("cell", name="Product, 3")).to_be_visible()

    def test_worked_out_sent_read_back_and_proved(self):
        p = self.page
        w = Walk(p, {**ANSWERS, "Loaded by": "Worked out from the cells"}, ("MB-W05",)).start("WT-3301", "S-WT-3301")
        w.answers["Loaded by"] = "Worked out from the cells, then proved with the weights"
        w.to("As found").read("0", "10150", "0").decide("Set zero and span as worked out", "The cells have new certificates")
        w.form.get_by_role("button", name="Service mode of the indicator: moved to test").press("Enter")
        w.pass_step()
        w.fill({**w.answers, "Signal at Max": "1.5702"})
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("That is not what was meant to be sent").first).to_be_visible()
        given = {**w.answers, "Signal at Max": "1.5773"}
        w.pass_step(given)
        w.pass_step(given)
        w.form.get_by_role("button", name="Service mode of the indicator: moved back").press("Enter")
        expect(p.get_by_text("Everything is back in service.")).to_be_visible()
        w.pass_step()
        w.read("0", "10000", "0").decide("Leave as it is")
        w.sign(PASSWORD)
        expect(p.get_by_role("table").filter(has_text=re.compile("Read back after")).first).to_be_visible()
