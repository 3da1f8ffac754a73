"""The year in the browser: what is too much is levelled inside its windows, with the keyboard."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.planning.models import PlannedWeek, monday
from apps.plant.models import Instrument
from e2e.base import BrowserTestCase


class Year(BrowserTestCase):
    def test_a_week_that_holds_too_much_is_levelled(self):
        first = monday(timezone.localdate())
        Instrument.objects.update(next_due=first + timedelta(weeks=12, days=3), work_min=90, interval_days=365)
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plan")
        p.get_by_role("link", name="The year").press("Enter")
        expect(p.get_by_text("No usual week is entered")).to_be_visible()
        usual = p.get_by_label(re.compile("^Hours there in a usual week"))
        usual.fill("2")
        usual.press("Enter")
        expect(p.get_by_role("button", name=re.compile("3 h of 2 h, 1 h too much; 2 calibrations"))).to_be_visible()
        p.get_by_role("button", name=re.compile("1 h too much")).first.press("Enter")
        expect(p.get_by_label("Jobs of the week")).to_contain_text("PT-2111")
        self.check(p, "the year")
        p.get_by_label("Moves").get_by_role("button", name="Plan it so").press("Enter")
        expect(p.get_by_text("No week holds more than there are hours.")).to_be_visible()
        moved = PlannedWeek.objects.get()
        self.assertEqual(moved.week, first + timedelta(weeks=11))
        p.get_by_role("button", name=re.compile("1.5 h of 2 h")).first.press("Enter")
        expect(p.get_by_label("Jobs of the week")).to_contain_text("planned for this week")
        p.get_by_label("Jobs of the week").get_by_role("button", name="Back to its date").press("Enter")
        expect(p.get_by_role("button", name=re.compile("1 h too much"))).to_be_visible()
        p.get_by_label(re.compile("^Hours there in this week")).fill("many")
        p.get_by_label("Week", exact=True).get_by_role("button", name="Store").press("Enter")
        expect(p.get_by_text(re.compile("Hours there.*many")).first).to_be_visible()

    def test_what_else_is_to_be_done_stands_under_what_is_due(self):
        Instrument.objects.filter(tag="PT-2110").update(signal_ends_on=timezone.localdate() + timedelta(days=3))
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plan")
        also = p.get_by_label("Also to be done")
        expect(also).to_contain_text("Sensor to be replaced")
        expect(also).to_contain_text("MB-P04")  # a reference whose certificate has ended
        self.check(p, "plan")
