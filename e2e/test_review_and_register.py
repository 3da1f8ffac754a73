"""Review, references that will not do, and the register."""

import re

from playwright.sync_api import expect

from apps.plant.models import Instrument
from e2e.base import GOOD, PASSWORD, BrowserTestCase, RunSteps


class Review(BrowserTestCase):
    def test_a_reviewer_returns_it_the_technician_answers_and_it_is_accepted(self):
        p, steps = self.page, RunSteps(self.page)
        self.sign_in(p)
        steps.to_as_found()
        expect(p.get_by_role("button", name=re.compile("Before it can be signed"))).to_be_visible()
        steps.read(GOOD)
        p.get_by_role("button", name="Decide: Leave as it is").click()
        steps.restore()
        steps.sign()
        at = p.url
        reviewer = self.open_browser()
        self.sign_in(reviewer, "marta")
        reviewer.get_by_role("link", name="1 record").click()
        reviewer.get_by_role("link", name="VL-000001").click()
        reviewer.get_by_role("button", name="Return it").click()
        expect(reviewer.get_by_role("alert")).to_contain_text("password")
        reviewer.get_by_label("Your password").fill(PASSWORD)
        reviewer.get_by_label("Note, or the reason").fill("Which valve was used?")
        reviewer.get_by_role("button", name="Return it").click()
        expect(reviewer.get_by_text("returned by the reviewer")).to_be_visible()
        p.goto("/")
        p.get_by_role("link", name=re.compile("PT-2110.*Resume")).click()
        expect(p.get_by_text("Returned by Marta Calder")).to_be_visible()
        steps.sign("Valve V-12")
        self.check_countersigned_by_a_planner(at)
        reviewer.goto(at)
        expect(reviewer.get_by_text("Countersigned by Ruben Calder, who saw it done,")).to_be_visible()
        reviewer.get_by_label("Your password", exact=True).fill(PASSWORD)
        reviewer.get_by_role("button", name="Accept it").click()
        expect(reviewer.get_by_text("signed and accepted")).to_be_visible()

    def check_countersigned_by_a_planner(self, at):
        p = self.open_browser()
        self.sign_in(p, "ruben")
        p.goto(at)
        p.get_by_role("button", name="Countersign").click()
        for capacity, says in (("who did part of the work", "You did no part of this work"), ("who saw it done", "Your name is under it.")):
            p.get_by_label("I countersign as somebody").select_option(label=capacity)
            p.get_by_label("Your password, to countersign").fill(PASSWORD)
            p.get_by_label("Your password, to countersign").press("Enter")
            expect(p.get_by_text(says)).to_be_visible()

    def test_references_that_will_not_do_say_why_and_an_override_takes_a_reviewer(self):
        p, steps = self.page, RunSteps(self.page)
        self.sign_in(p)
        steps.start()
        p.get_by_label("Tag on the plate").fill("PT-2110")
        p.get_by_label("Serial on the plate").fill("MB-2110")
        p.get_by_role("button", name="Take another one").click()
        p.get_by_role("button", name="Check the plate").click()
        role = p.get_by_role("region", name="Input reference")
        role.get_by_text("3 more that will not do: MB-P04, MB-P05, MB-P06").click()
        for code, words in (("MB-P05", "too coarse"), ("MB-P06", "covers 0 to 200 kPa"), ("MB-P04", "ran out")):
            role.get_by_role("button", name=code).click()
            expect(role.get_by_role("alert")).to_contain_text(words)
        p.get_by_role("button", name="Ask a reviewer to override").click()
        dialog = p.get_by_role("dialog")
        dialog.get_by_label("Reviewer’s name").fill("tomas")
        dialog.get_by_label("Reviewer’s password").fill(PASSWORD)
        dialog.get_by_label("Reason").fill("spare is away")
        dialog.get_by_role("button", name="Let it be used").click()
        expect(dialog.get_by_role("alert")).to_contain_text("role reviewer")
        dialog.get_by_label("Reviewer’s name").fill("marta")
        dialog.get_by_role("button", name="Let it be used").click()
        expect(dialog).to_have_count(0)
        expect(role).to_contain_text("Out of date; Marta Calder let it be used: spare is away")


class Register(BrowserTestCase):
    def test_a_planner_adds_an_instrument_and_every_fault_of_the_form_is_told_at_once(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plant/new")
        p.get_by_label("Tag", exact=True).fill("pt-2110")
        p.get_by_label("LRV", exact=True).fill("100")
        p.get_by_label("URV", exact=True).fill("1e999")
        p.get_by_label("Tolerance", exact=True).fill("0")
        p.get_by_role("button", name="Add it").click()
        for words in ("Serial is missing", "too large to be a measurement", "differs from PT-2110 in case only"):
            expect(p.get_by_text(words).first).to_be_visible()
        self.shot("plant-form-faults")
        p.get_by_label("Tag", exact=True).fill("PT-9001")
        p.get_by_label("Serial").fill("S-1")
        p.get_by_label("Service").fill("Header")
        p.get_by_label("Area", exact=True).select_option("RO")
        p.get_by_label("URV", exact=True).fill("100")
        p.get_by_role("button", name="Add it").click()
        expect(p.get_by_text("the range needs two different ends").first).to_be_visible()
        p.get_by_label("URV", exact=True).fill("250,5")
        p.get_by_role("button", name="Add it").click()
        expect(p.get_by_text("it must be above 0").first).to_be_visible()
        p.get_by_label("Tolerance", exact=True).fill("0.5")
        p.get_by_role("button", name="Add it").click()
        expect(p.get_by_role("heading", name="PT-9001")).to_be_visible()
        self.assertEqual(Instrument.objects.get(tag="PT-9001").urv, 250.5)

    def test_a_tag_in_the_wrong_case_is_told_and_the_right_one_offered(self):
        p = self.page
        self.sign_in(p)
        p.goto("/plant/pt-2110")
        expect(p.get_by_role("alert")).to_contain_text("there is PT-2110")
        p.get_by_role("link", name="Open PT-2110").click()
        expect(p.get_by_role("heading", name="PT-2110")).to_be_visible()
        p.goto("/plant/XX-1")
        expect(p.get_by_role("alert")).to_contain_text("no instrument XX-1")
