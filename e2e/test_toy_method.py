"""A method that only the tests have, on screen: the form that asks its settings, the run typed and live, the record in its own words."""

from django.utils import timezone
from playwright.sync_api import expect

from apps.plant.models import Instrument
from e2e.base import PASSWORD
from e2e.bench import QUICK, BenchJourney
from metrology.methods.registry import forget, register
from metrology.tests.toy import TOY


class ToyJourney(BenchJourney):
    def setUp(self):
        register(TOY)
        self.addCleanup(forget, TOY.key)
        super().setUp()

    def test_from_the_form_to_the_record(self):
        p = self.page
        p.get_by_role("button", name="Sign out").click()
        self.sign_in(p, "ruben")
        p.goto("/plant/PT-2110/edit")
        p.get_by_label("Method", exact=True).select_option(label="Looks until two agree")
        p.get_by_label("Read again at, %").fill("25")
        p.get_by_label("Why it is changed").fill("another way to look")
        p.get_by_role("button", name="Store the changes").click()
        expect(p.get_by_text("Read again at: 25 %")).to_be_visible()
        Instrument.objects.filter(tag="PT-2110").update(policy=QUICK, next_due=timezone.localdate())
        p.get_by_role("button", name="Sign out").click()
        self.sign_in(p)
        p.goto("/plant/PT-2110")
        p.get_by_role("button", name="Start a calibration").click()
        p.get_by_label("Tag on the plate").fill("PT-2110")
        p.get_by_label("Serial on the plate").fill("MB-2110")
        for role, code in (("Pushing reference", "MB-P01"), ("Seeing meter", "MB-I01")):
            p.get_by_role("region", name=role).get_by_role("button", name=code).click()
            expect(p.get_by_role("region", name=role).get_by_role("button", name=code, pressed=True)).to_be_visible()
        p.get_by_label("Song").fill("An old one")
        p.get_by_role("button", name="Check the plate").click()
        p.get_by_role("radio", name="Inhibit").click()
        p.get_by_label("Reason").fill("Looking")
        p.get_by_role("button", name="Hold is on").click()
        expect(p.get_by_role("heading", name="First looks")).to_be_visible()
        p.get_by_label("Reading, mA").fill("8.31")
        p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_role("columnheader", name="Wrong by, mA")).to_be_visible()
        scpi = "(SCPI over TCP)"
        self.choose_sources(Really_applied=f"Pressure source {scpi}", Reading=f"Loop current {scpi}")
        p.get_by_role("button", name="All by itself").click()
        expect(p.get_by_role("heading", name="Judge the looks")).to_be_visible(timeout=60_000)
        expect(p.get_by_role("table", name="First looks: judged by").get_by_text("Two looks apart")).to_be_visible()
        self.check(p, "judging a toy")
        p.get_by_role("radio", name="Leave it be").click()
        if p.get_by_label("Why not as proposed").count():
            p.get_by_label("Why not as proposed").fill("it is a toy")
        p.get_by_role("button", name="Decide: Leave it be").click()
        p.get_by_label("Normal reading seen, in kPa").fill("100")
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("button", name="Hold is off").click()
        p.get_by_label("Your password").fill(PASSWORD)
        p.get_by_label("Your password").press("Enter")
        expect(p.get_by_text("Two looks apart").first).to_be_visible()
        expect(p.get_by_text("Moods").first).to_be_visible()
