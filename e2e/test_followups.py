"""What was found outside, in the browser: told on Today, answered by one, kept back from overwriting, closed by another."""

import re

from playwright.sync_api import expect

from apps.followups.models import FollowUp
from e2e.base import PASSWORD, BrowserTestCase
from e2e.test_real_day import ANSWERS, BOWED
from e2e.walk import Walk


class FollowUps(BrowserTestCase):
    def open_page(self, p):
        p.goto("/")
        p.get_by_role("link", name=re.compile("PT-2110.*It was wrong by up to", re.S)).press("Enter")
        expect(p.get_by_role("heading", name="PT-2110 was found outside")).to_be_visible()

    def test_it_stays_on_today_until_another_person_closes_it(self):
        p = self.page
        self.sign_in(p)
        w = Walk(p, ANSWERS, ("MB-P01", "MB-I01")).start("PT-2110", "MB-2110")
        w.to("As found").read(*BOWED)
        w.decide("Mark for replacement", "no spare is here")
        w.sign(PASSWORD)
        self.open_page(p)
        self.check(p, "follow-up")
        for label, text in (
            ("What ran on it meanwhile", "Batches 212 to 219"), ("Who was told", "Shift lead, 10:15"), ("Why it was off", "Head filled with salt"),
        ):  # fmt: skip
            p.get_by_label(label).fill(text)
        p.reload()
        expect(p.get_by_label("Who was told")).to_have_value("Shift lead, 10:15")  # typed, and not kept yet
        p.get_by_role("button", name="Keep it").press("Enter")
        expect(p.get_by_label("Who wrote what")).to_contain_text("Batches 212 to 219")
        lead = self.open_browser()
        self.sign_in(lead, "marta")
        self.open_page(lead)
        expect(lead.get_by_role("button", name="1 still to answer")).to_be_disabled()
        lead.get_by_label("What is done about it").fill("Flushed monthly")
        p.get_by_label("What is done about it").fill("Exchanged in December")
        p.get_by_role("button", name="Keep it").press("Enter")
        expect(p.get_by_label("Who wrote what")).to_contain_text("Exchanged in December")
        lead.get_by_role("button", name="Keep it").press("Enter")
        expect(lead.get_by_text("Ines Calder wrote here since you opened it").first).to_be_visible()
        expect(lead.get_by_label("What is done about it")).to_have_value("Flushed monthly")  # hers is not lost
        expect(lead.get_by_label("Who wrote what")).to_contain_text("Exchanged in December")
        self.assertEqual(FollowUp.objects.get().action, "Exchanged in December")
        lead.get_by_role("button", name="Close the follow-up").press("Enter")
        expect(lead.get_by_text("Closed by Marta Calder")).to_be_visible()
        p.goto("/")
        expect(p.get_by_role("heading", name=re.compile("^Today"))).to_be_visible()
        expect(p.get_by_text("Overdue").first.or_(p.get_by_text("Due within 30 days").first).first).to_be_visible()
        expect(p.get_by_text("Found outside, to follow up")).to_have_count(0)
        p.goto("/follow-ups?closed=yes")
        expect(p.get_by_text("Closed by Marta Calder")).to_be_visible()
