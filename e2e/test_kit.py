"""The kit in the browser: a reference quarantined and what stops, a new one with its certificate, a portable checked in and quarantined."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.planning.making import make_round
from apps.planning.rounds import solve_round
from apps.runs.tests.base import PASSWORD, make_reference
from apps.runs.tests.test_gas_and_holds import make_gas
from e2e.base import BrowserTestCase
from e2e.cost import cost, count_from_here


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
        expect(dialog.get_by_text("Say why").first).to_be_visible()
        dialog.get_by_label("Why").fill("Dropped from the ladder")
        dialog.get_by_role("button", name="Quarantine it").click()
        expect(dialog.get_by_text("Say what happened to it").first).to_be_visible()
        dialog.get_by_label("What happened").select_option(label="Dropped, knocked or overloaded")
        dialog.get_by_role("button", name="Quarantine it").click()
        expect(p.get_by_text("These stop: give the runs another")).to_be_visible()
        expect(p.get_by_text("PT-2110 in Round of")).to_be_visible()
        expect(p.get_by_text("Dropped from the ladder").first).to_be_visible()
        expect(p.get_by_role("button", name="Take it back into service")).to_have_count(0)  # a planner does that
        p.goto("/kit")
        expect(p.get_by_text("quarantined")).to_be_visible()
        lead = self.open_browser()
        self.sign_in(lead, "ruben")
        lead.goto("/kit/reference/MB-P01")
        expect(lead.get_by_text("It comes back with a new certificate")).to_be_visible()
        lead.get_by_role("button", name="Take it back into service").click()
        asked = lead.get_by_role("dialog")
        asked.get_by_label("Why").fill("It looks fine to me")
        asked.get_by_role("button", name="Take it back into service").click()
        expect(asked.get_by_text("MB-P01 stays in quarantine").first).to_be_visible()

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
        take = p.get_by_role("group", name="A new certificate as data")
        take.get_by_label("Its number").fill("TP-2")
        take.get_by_label("Calibrated on").fill(today.isoformat())
        take.get_by_label("Certificate as data", exact=True).set_input_files(
            {"name": "points.csv", "mimeType": "text/csv", "buffer": table}
        )
        expect(p.get_by_text("2 points.")).to_be_visible()
        p.get_by_role("button", name="Write 1 row").press("Enter")
        expect(p.get_by_text("1 row was written.")).to_be_visible()
        p.goto("/kit/reference/MB-P20")
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

    def test_a_portable_is_checked_in_by_the_keyboard_and_quarantined(self):
        item = make_reference("MB-D01", unit="%LEL", low=0.0, high=100.0, u=1.0)
        Reference.objects.filter(pk=item.pk).update(kind="portable", gas="methane", name="Portable leak detector", serial="SN-77")
        make_gas("G-CH4", "methane")
        make_gas("G-AIR", gas="")
        p = self.page
        count_from_here(p)
        self.sign_in(p)
        p.goto("/kit/reference/MB-D01")
        p.get_by_role("button", name="Incoming check").press("Enter")
        self.check_step(p, "Right item")
        self.type("mb d01", "Tab", "sn77")
        self.answer("Papers and parts", "Its certificate is there", "Accessories complete")
        self.answer("Self-test", "Self-test clean")
        expect(p.get_by_role("heading", name="Block the inlet", exact=True)).to_be_visible()
        self.type("80", "Enter")  # no alarm came
        self.check_step(p, "Block the inlet, step 2")
        self.type("80", "Tab", "7", "Enter")
        expect(p.get_by_text("Lower it: at 80 no alarm came in time.")).to_be_visible()
        p.get_by_label("Flow-fail point").fill("60")
        p.get_by_label("Flow-fail point").press("Enter")
        expect(p.get_by_role("heading", name="Thermal settling", exact=True)).to_be_visible()
        p.keyboard.press("Enter")
        for label, code in (("Zero gas, or scrubbed air", "G-AIR"), ("Span gas", "G-CH4")):
            p.get_by_role("region", name=label).get_by_role("button", name=re.compile(code)).press("Enter")
        p.get_by_role("button", name="Use these").press("Enter")
        expect(p.get_by_role("heading", name="Zero and span", exact=True)).to_be_visible()
        self.type("0,5", "Enter")
        expect(p.get_by_text("settling").first).to_be_visible()  # five minutes are not over: the number is kept, a reason ends them
        p.get_by_label("Or end it now, because").fill("It lay in this room all day")
        p.get_by_role("button", name="End it").press("Enter")
        expect(p.get_by_label("Or end it now, because")).to_have_count(0)
        p.get_by_label("It shows, %LEL").press("Enter")
        expect(p.get_by_role("button", name="Record reading 2")).to_be_visible()
        self.type("50", "Enter")
        self.answer("Memory", "No readings of this check", "Memory clear")
        expect(p.get_by_role("heading", name="Battery", exact=True)).to_be_visible()
        self.type("2000", "Tab", "10", "Tab", "10", "Enter")
        expect(p.get_by_text("Battery, by its log: 5.6 h; at least 8 h is right.").first).to_be_visible()
        self.check_step(p, "Judge")
        self.shot("kit-check")
        p.get_by_role("radio", name="Accept into service").press("Space")
        p.get_by_label("Why not as proposed").fill("We need it today")
        p.get_by_role("button", name=re.compile("^Decide")).press("Enter")
        expect(p.get_by_text("It can't be accepted into service like that").first).to_be_visible()
        p.get_by_role("radio", name="Quarantine it").press("Space")
        p.get_by_role("button", name=re.compile("^Decide")).press("Enter")
        p.get_by_label("Your password").fill(PASSWORD)
        p.get_by_label("Your password").press("Enter")
        expect(p.get_by_text("signed, waiting for review")).to_be_visible()
        cost(p, "an incoming check of a portable")
        p.get_by_role("link", name="MB-D01 in the kit").press("Enter")
        expect(p.get_by_role("heading", name=re.compile("quarantined"))).to_be_visible()
        expect(p.get_by_role("region", name="Incoming checks")).to_contain_text("quarantined")
        self.check(p, "kit item with its checks")

    def type(self, *keys):
        """Words and keys, where the focus is."""
        for key in keys:
            if key in ("Tab", "Enter"):
                self.page.keyboard.press(key)
            else:
                self.page.keyboard.type(key)

    def answer(self, heading, *labels):
        """Yes to each, and on."""
        expect(self.page.get_by_role("heading", name=heading, exact=True)).to_be_visible()
        for label in labels:
            self.page.get_by_label(re.compile(label)).select_option("yes")
        self.page.get_by_role("button", name=re.compile("^(Check the item|Looked at|Self-test is over)$")).press("Enter")
