"""Two planners at one instrument: an interval does not go silently back, and what both changed is asked about."""

import re

from playwright.sync_api import expect

from apps.accounts.models import Person
from apps.plant.models import Instrument
from e2e.base import PASSWORD, BrowserTestCase

STORED = re.compile("/plant/PT-2110$")


class TwoEditors(BrowserTestCase):
    def edit(self, page, **values):
        for label, text in values.items():
            page.get_by_label(label.replace("_", " "), exact=True).fill(text)
        page.get_by_label("Why it is changed").fill("as agreed with operations")
        page.get_by_role("button", name="Store the changes").press("Enter")

    def test_an_interval_does_not_go_silently_back(self):
        Person.objects.create_user("petra", password=PASSWORD, first_name="Petra", last_name="Lund", role="planner")
        first, second = self.page, self.open_browser()
        self.sign_in(first, "ruben")
        self.sign_in(second, "petra")
        for page in (first, second):
            page.goto("/plant/PT-2110/edit")
            expect(page.get_by_label("Service", exact=True)).to_be_visible()
        interval = second.get_by_label("Interval, days").first
        first.get_by_label("Interval, days").first.fill("90")
        self.edit(first)
        expect(first).to_have_url(STORED)
        self.edit(second, Service="Header pressure, renamed")
        expect(second).to_have_url(STORED)
        stored = Instrument.objects.get(tag="PT-2110")
        self.assertEqual((stored.interval_days, stored.service), (90, "Header pressure, renamed"))
        for page in (first, second):
            page.goto("/plant/PT-2110/edit")
            expect(page.get_by_label("Service", exact=True)).to_be_visible()
        first.get_by_label("Interval, days").first.fill("60")
        self.edit(first)
        expect(first).to_have_url(STORED)
        interval.fill("30")
        second.get_by_role("link", name="Leave it").press("Enter")
        expect(second).to_have_url(STORED)
        second.goto("/plant/PT-2110/edit")
        expect(second.get_by_text("Not stored yet")).to_be_visible()  # what was typed is kept
        expect(interval).to_have_value("30")
        self.edit(second)
        expect(second.get_by_text("changed PT-2110 since you opened it: interval from 90 to 60").first).to_be_visible()
        expect(interval).to_have_value("30")  # hers is not lost
        second.get_by_role("button", name="Store the changes").press("Enter")
        expect(second).to_have_url(STORED)
        self.assertEqual(Instrument.objects.get(tag="PT-2110").interval_days, 30)
