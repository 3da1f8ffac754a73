"""No serious finding of axe on any screen, light and dark; and targets large enough for gloves on the run screen."""

import re

from playwright.sync_api import expect

from apps.plant.models import Instrument
from e2e.base import GOOD, BrowserTestCase, RunSteps


class Accessible(BrowserTestCase):
    def test_every_step_of_a_run(self):
        p, steps = self.page, RunSteps(self.page)
        Instrument.objects.filter(tag="PT-2110").update(warm_up_min=1)
        p.goto("/")
        p.get_by_label("Name").wait_for()
        self.check(p, "sign in")
        self.sign_in(p)
        self.check(p, "today")
        steps.start()
        self.check_step(p, "Right instrument")
        p.get_by_role("button", name="Take another one").click()
        p.get_by_label("Tag on the plate").fill("PT-2110")
        p.get_by_label("Serial on the plate").fill("MB-2110")
        p.get_by_role("button", name="Check the plate").click()
        self.check_step(p, "References")
        p.get_by_text(re.compile("more that will not do")).first.click()
        p.get_by_role("region", name="Input reference").get_by_role("button", name="MB-P04").click()
        p.get_by_role("alert").wait_for()
        self.check(p, "reference refused")
        steps.references()
        p.get_by_role("button", name="Use these").click()
        self.check_step(p, "Surroundings")
        p.get_by_label("Air temperature").fill("21")
        p.get_by_role("button", name="Confirm").click()
        self.check_step(p, "Warm-up")
        p.get_by_role("button", name="It is warm already").click()
        p.get_by_label("How you know").fill("powered for days")
        p.get_by_role("button", name="Go on without").click()
        self.check_step(p, "Tell the operator")
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("radio", name="Inhibit: signal held from tripping").click()
        p.get_by_label("Reason").fill("Scheduled calibration")
        p.get_by_role("button", name="Hold is on").click()
        self.check_step(p, "Before you touch it")
        for box in p.get_by_role("checkbox").all():
            box.click()
        p.get_by_role("button", name="Safe to start").click()
        steps.read([*GOOD[:4], "20.2"])
        self.check_step(p, "As found")
        p.get_by_label("Reading, mA").fill("2000")
        p.get_by_label("Reading, mA").press("Enter")
        p.get_by_role("alert").wait_for()
        self.check(p, "a doubtful number")
        for button in ("Strike a reading", "Note", "Void"):
            p.get_by_role("button", name=button, exact=True).click()
            p.get_by_role("dialog").get_by_role("heading").wait_for()
            self.check(p, f"dialog: {button}")
            p.keyboard.press("Escape")
            expect(p.get_by_role("dialog")).to_have_count(0)
        steps.read(GOOD[5:], first=6)
        self.check_step(p, "Judge as found")
        p.get_by_role("radio", name="Adjust zero and span").click()
        p.get_by_label("Why not as proposed").fill("to see the step")
        p.get_by_role("button", name="Decide: Adjust zero and span").click()
        self.check_step(p, "Adjust")
        for screw, value in (("zero", "4.001"), ("span", "20.001")):
            p.get_by_role("button", name=f"Record {screw}").wait_for()
            p.get_by_label("Before turning").fill(value)
            p.get_by_label("Before turning").press("Enter")
        p.get_by_role("button", name="Adjusting is finished").click()
        steps.read(GOOD)
        self.check_step(p, "Judge as left")
        p.get_by_role("button", name="Decide: Accept as left").click()
        self.check_step(p, "Put it back")
        for box in p.get_by_role("checkbox").all():
            box.click()
        p.get_by_label("Normal reading seen").fill("212")
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("button", name="Hold is off").click()
        self.check_step(p, "Sign")
        steps.sign()
        self.check(p, "record")
        reviewer = self.open_browser()
        self.sign_in(reviewer, "marta")
        reviewer.goto(p.url)
        reviewer.get_by_role("heading", name="Review", exact=True).wait_for()
        self.check(reviewer, "review")

    def test_the_other_screens(self):
        p = self.page
        self.sign_in(p)
        for path in (
            "/plant",
            "/plant/PT-2110",
            "/plant/NO-1",
            "/kit",
            "/batch",
            "/calculators",
            "/calculators/sensor-tolerance",
            "/calculators/points",
            "/records",
            "/records?search=nothing",
        ):
            p.goto(path)
            p.get_by_role("heading", level=1).or_(p.get_by_role("alert")).first.wait_for()
            self.check(p, path)
        p.keyboard.press("?")
        p.get_by_role("dialog").get_by_role("heading").wait_for()
        self.check(p, "keys")
        planner = self.open_browser()
        self.sign_in(planner, "ruben")
        planner.goto("/plant/new")
        planner.get_by_label("Tag", exact=True).wait_for()
        planner.get_by_role("button", name="Add it").click()
        planner.get_by_role("alert").wait_for()
        self.check(planner, "form with faults")

    def test_nothing_runs_out_of_a_narrow_screen(self):
        narrow = self.open_browser(viewport={"width": 600, "height": 900})
        self.sign_in(narrow)
        RunSteps(narrow).to_as_found()
        for path in (narrow.url, "/", "/plant", "/kit", "/batch", "/calculators/signal", "/records", "/plant/PT-2110"):
            narrow.goto(path)
            narrow.get_by_role("heading").first.wait_for()
            narrow.wait_for_timeout(150)
            with self.subTest(path=path):
                self.assertLessEqual(narrow.evaluate("() => document.documentElement.scrollWidth"), 600)
