"""What the run guards: the warm-up, the plate, the signature, a second run, and the way back to an open run."""

import re

from playwright.sync_api import expect

from apps.plant.models import Instrument
from e2e.base import GOOD, PASSWORD, BrowserTestCase, RunSteps


class Guarded(BrowserTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.page)
        self.steps = RunSteps(self.page)

    def test_the_wrong_plate_stops_the_run(self):
        p = self.page
        self.steps.start()
        p.get_by_label("Tag on the plate").fill("PT-2111")
        p.get_by_label("Serial on the plate").fill("MB-2110")
        p.get_by_role("button", name="Check the plate").click()
        expect(p.get_by_text("this may be the wrong one").first).to_be_visible()
        expect(p.get_by_label("Tag on the plate")).to_have_value("PT-2111")
        expect(p.get_by_role("heading", name="Right instrument")).to_be_visible()

    def test_signing_is_refused_while_a_hold_is_on_and_the_page_says_what_is_open(self):
        p = self.page
        self.steps.to_as_found()
        p.get_by_role("button", name=re.compile("Before it can be signed")).click()
        expect(p.get_by_text("The inhibit placed by Ines Calder is still on. Release it.")).to_be_visible()
        expect(p.get_by_text("'Put it back' is not finished.")).to_be_visible()
        run = p.url.rsplit("/", 1)[-1]
        token = next(c["value"] for c in p.context.cookies() if c["name"] == "csrftoken")
        answer = p.request.post(
            f"/api/v1/runs/{run}/sign/", data={"expected_seq": 9, "password": PASSWORD}, headers={"X-CSRFToken": token, "Referer": p.url}
        )
        self.assertEqual(answer.status, 400)
        self.assertIn("It can't be signed yet. The inhibit", answer.json()["message"])

    def test_a_reading_waits_for_the_warm_up_or_a_reason(self):
        p = self.page
        Instrument.objects.filter(tag="PT-2110").update(warm_up_min=30)
        self.steps.start()
        self.steps.prepare()
        p.get_by_role("button", name="Start 30 min").click()
        self.steps.make_safe()
        expect(p.get_by_text(re.compile(r"Warm-up (29|30):"))).to_be_visible()
        p.get_by_label("Reading, mA").fill("4.01")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_text("The warm-up has 30 min to go")).to_be_visible()
        expect(p.get_by_label("Reading, mA")).to_have_value("4.01")
        p.get_by_label("Or end it now, because").fill("was under power all week")
        p.get_by_role("button", name="End it").click()
        expect(p.get_by_text(re.compile("Warm-up (29|30):"))).to_have_count(0)
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_role("button", name="Record reading 2")).to_be_visible()

    def test_a_second_run_on_the_instrument_points_to_the_open_one(self):
        p = self.page
        other = self.open_browser()
        self.sign_in(other, "tomas")
        expect(other.get_by_role("button", name="PT-2110")).to_be_visible()
        self.steps.start()
        other.get_by_role("button", name="PT-2110").click()
        expect(other.get_by_role("alert")).to_contain_text("has an open run already: VL-000001, started by Ines Calder")
        other.get_by_role("link", name="Go to the open run").click()
        expect(other).to_have_url(re.compile(p.url.rsplit("/", 1)[-1]))

    def test_taking_the_points_again_keeps_the_first_take_in_sight(self):
        p = self.page
        self.steps.to_as_found()
        self.steps.read([*GOOD[:2], "13.9", *GOOD[3:]])
        expect(p.get_by_text("Proposed: Take the points again")).to_be_visible()
        p.get_by_role("button", name="Decide: Take the points again").click()
        expect(p.get_by_role("heading", name="As found, take 2").first).to_be_visible()
        expect(p.get_by_role("region", name="As found readings")).to_contain_text("13.9")
        self.steps.read(GOOD)
        expect(p.get_by_text("Proposed: Leave as it is")).to_be_visible()

    def test_hysteresis_leads_to_work_on_the_cause_and_then_as_left(self):
        p = self.page
        self.steps.to_as_found()
        self.steps.read(["4.00", "7.92", "11.88", "15.92", "20.00", "20.00", "16.08", "12.12", "8.08", "4.00"])
        expect(p.get_by_text("Proposed: Correct the cause, then prove")).to_be_visible()
        expect(p.get_by_role("form").get_by_text("hysteresis, a plugged line")).to_be_visible()
        p.get_by_role("button", name="Decide: Correct the cause").click()
        p.get_by_label("What was done").fill("Impulse line rodded")
        p.get_by_role("button", name="Work is done").click()
        self.steps.read(GOOD)
        p.get_by_role("button", name="Decide: Accept as left").click()
        self.steps.restore()
        self.steps.sign()
        expect(p.get_by_text("Impulse line rodded").first).to_be_visible()

    def test_an_onlooker_sees_the_run_but_cannot_touch_it(self):
        self.steps.start()
        reviewer = self.open_browser()
        self.sign_in(reviewer, "marta")
        reviewer.goto(self.page.url)
        expect(reviewer.get_by_text("Your role can look on")).to_be_visible()
        expect(reviewer.get_by_role("button", name="Void")).to_have_count(0)
