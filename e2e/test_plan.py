"""Planning in the browser: a round built, moved, locked, planned anew and run; put off with approval; paper typed in."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.kit.models import Reference
from apps.planning.models import Round
from apps.plant.models import Area, Instrument
from e2e.base import BrowserTestCase


class PlanJourney(BrowserTestCase):
    def setUp(self):
        super().setUp()
        Area.objects.create(code="WSH", name="Workshop", east_m=150)
        for n in range(4):
            found = Instrument.objects.get(tag="PT-2111")
            found.pk, found.tag, found.serial = None, f"PT-300{n}", f"S{n}"
            found.save()

    def make(self, *people):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plan")
        p.get_by_role("link", name="Make a round").click()
        for name in people:
            p.get_by_role("checkbox", name=name).click()
        p.reload()
        expect(p.get_by_text("What you typed here before stands in the form")).to_be_visible()
        p.get_by_role("button", name="Make it").click()
        p.get_by_role("button", name="Build the round").click()
        expect(p.get_by_role("button", name="Build it anew")).to_be_visible(timeout=60_000)

    def test_a_round_is_built_moved_planned_anew_and_run(self):
        p = self.page
        self.make("Ines", "Tomas")
        expect(p.get_by_text("6 of 6 jobs")).to_be_visible()
        expect(p.get_by_text("No other plan does more that is urgent.")).to_be_visible()
        self.check(p, "round")
        expect(p.get_by_label("Load list").get_by_text("MB-P01")).to_be_visible()
        p.get_by_label("Timeline").get_by_role("button", name=re.compile("^PT-2110")).first.click()
        panel = p.get_by_label("Job PT-2110")
        panel.get_by_label("Start").fill("7 o'clock")
        panel.get_by_role("button", name="Move it there").click()
        expect(panel.get_by_text("write it like 07:30")).to_be_visible()
        first = p.get_by_label("Jobs in order").get_by_role("row", name=re.compile("PT-3001")).inner_text()[:5]  # where another stands
        panel.get_by_label("Start").fill(first)
        panel.get_by_role("button", name="Move it there").click()
        expect(panel.get_by_text("It can with this exchange:")).to_be_visible()
        panel.get_by_role("button", name="Move it, with the exchange").press("Enter")
        expect(p.get_by_label("Timeline").get_by_role("button", name=re.compile(f"PT-2110, {first} to .* locked"))).to_be_visible()
        expect(p.get_by_text("6 of 6 jobs")).to_be_visible()
        panel.get_by_label("Start").fill("14:10")
        panel.get_by_role("button", name="Move it there").click()
        moved = p.get_by_label("Timeline").get_by_role("button", name=re.compile("PT-2110, 14:10 to .* locked"))
        exchange = panel.get_by_role("button", name="Move it, with the exchange")
        expect(moved.or_(exchange)).to_be_visible()
        if exchange.count():  # the calibrator is with the other after lunch
            exchange.press("Enter")
        expect(moved).to_be_visible()
        with p.expect_response("**/solve/", timeout=60_000):
            p.get_by_role("button", name="Build it anew").click()
        expect(p.get_by_role("button", name="Build it anew")).to_be_enabled()
        expect(moved).to_be_visible()
        p.get_by_role("button", name="Give it out").click()
        expect(p.get_by_role("button", name="Plan on from now")).to_be_visible()
        Round.objects.update(day=timezone.localdate())
        tech = self.open_browser()
        self.sign_in(tech, "ines")
        expect(tech.get_by_label("Your round").get_by_text("PT-2110")).to_be_visible()
        tech.get_by_role("link", name=re.compile("Round of")).click()
        row = tech.get_by_role("row", name=re.compile("PT-3000"))
        row.get_by_role("button", name="Start").click()
        expect(tech.get_by_role("heading", name="Right instrument")).to_be_visible()
        p.reload()
        expect(p.get_by_text("PT-3000 was begun and is not signed.")).to_be_visible()

    def test_what_must_be_done_and_can_t_be_is_told_as_the_smallest_clash(self):
        p = self.page
        Instrument.objects.filter(tag="PT-3000").update(people=2)
        self.make("Ines")
        p.get_by_label("Left out").get_by_role("button", name="PT-3000").click()
        p.get_by_label("Job PT-3000").get_by_role("button", name="Must be done").click()
        p.get_by_role("button", name="Build it anew").click()
        expect(p.get_by_text("These can't hold together:")).to_be_visible(timeout=60_000)
        expect(p.get_by_text("PT-3000 must be done.")).to_be_visible()

    def test_a_second_round_gets_neither_the_people_nor_the_jobs_of_the_first(self):
        p = self.page
        self.make("Ines")
        p.goto("/plan")
        p.get_by_role("link", name="Make a round").click()
        p.get_by_role("checkbox", name="Ines").click()
        p.get_by_role("button", name="Make it").click()
        expect(p.get_by_text(re.compile("Ines Calder is on 'Round of .*' that day from 07:30 to 15:30")).first).to_be_visible()
        p.get_by_role("checkbox", name="Ines").click()
        p.get_by_role("checkbox", name="Tomas").click()
        p.get_by_role("button", name="Make it").click()
        expect(p.get_by_text("Nothing is due there").first).to_be_visible()  # all of it is on the first

    def test_kit_that_was_dropped_is_exchanged_before_the_round_is_given_out(self):
        like = Reference.objects.get(code="MB-P01")
        like.pk, like.code, like.serial = None, "MB-P02", "S-P02"
        like.save()
        p = self.page
        self.make("Ines")
        used = next(c for c in Round.objects.get().jobs.first().kit if c.startswith("MB-P"))
        other = {"MB-P01": "MB-P02", "MB-P02": "MB-P01"}[used]
        Reference.objects.filter(code=used).update(state="quarantined")
        p.get_by_role("button", name="Give it out").click()
        expect(p.get_by_text(re.compile(f"{used} .* is quarantined. It is planned for")).first).to_be_visible()
        p.reload()
        expect(p.get_by_text("Kit that must not be used")).to_be_visible()
        expect(p.get_by_label("Jobs in order").get_by_text(f"{used} \u2715 not to be used").first).to_be_visible()
        self.check(p, "round with kit that must not be used")
        p.get_by_role("button", name=f"Take {other} instead").press("Enter")
        expect(p.get_by_text("Kit that must not be used")).to_have_count(0)
        p.get_by_role("button", name="Give it out").press("Enter")
        expect(p.get_by_role("button", name="Plan on from now")).to_be_visible()

    def test_begun_work_leaves_a_round_with_a_reason_and_is_handed_over(self):
        p = self.page
        self.make("Ines")
        p.get_by_role("button", name="Give it out").press("Enter")
        expect(p.get_by_role("button", name="Plan on from now")).to_be_visible()
        Round.objects.update(day=timezone.localdate())
        tech = self.open_browser()
        self.sign_in(tech, "ines")
        tech.goto("/plant/PT-3000")
        tech.get_by_role("button", name="Start a calibration").press("Enter")
        expect(tech.get_by_role("heading", name="Right instrument")).to_be_visible()
        p.reload()
        p.get_by_label("Jobs in order").get_by_role("button", name=re.compile("PT-3000")).press("Enter")
        panel = p.get_by_label("Job PT-3000")
        panel.get_by_role("button", name="Take it out", exact=True).press("Enter")
        expect(panel.get_by_text("PT-3000 was begun by Ines Calder and is not signed")).to_be_visible()
        expect(panel.get_by_label("Why it leaves this round")).to_be_focused()
        p.keyboard.type("The pump is needed until noon")
        p.keyboard.press("Enter")
        expect(panel).to_have_count(0)
        told = p.get_by_text("For the next shift, open loops first").locator("xpath=..")
        expect(told).to_contain_text("taken out of this round by Ruben")
        expect(told).to_contain_text("The pump is needed until noon")
        expect(told).to_contain_text(re.compile("PT-3000 was begun and is not signed .*not of this round"))

    def test_work_is_put_off_by_one_and_approved_by_another(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plan")
        expect(p.get_by_text("overdue", exact=True).first).to_be_visible()
        self.check(p, "plan")
        p.get_by_role("button", name=re.compile(r"^\d{4}-\d\d-\d\d: \d+ due, \d+ of them overdue")).click()
        expect(p.get_by_role("heading", name=re.compile("Due on"))).to_be_visible()
        p.reload()
        expect(p.get_by_role("heading", name=re.compile("Due on"))).to_be_visible()  # it stands in the address
        p.get_by_role("button", name="Put off").first.click()
        dialog = p.get_by_role("dialog")
        until = (timezone.localdate() + timedelta(days=25)).isoformat()
        dialog.get_by_label("Until").fill(until)
        p.reload()  # what was typed is kept on the device
        p.get_by_role("button", name="Put off").first.click()
        expect(dialog.get_by_label("Until")).to_have_value(until)
        dialog.get_by_label(re.compile("Why it can wait")).fill("Line is shut until then")
        dialog.get_by_role("button", name="Ask for it").click()
        expect(p.get_by_text("waits for approval")).to_be_visible()
        other = self.open_browser()
        self.sign_in(other, "marta")
        other.goto("/plan")
        other.get_by_role("button", name="Approve").click()
        expect(other.get_by_text("approved by Marta Calder").first).to_be_visible()
        expect(other.get_by_text("overdue", exact=True)).to_have_count(0)

    def test_a_calendar_link_is_made_and_revoked(self):
        p = self.page
        self.sign_in(p)
        p.goto("/plan")
        p.get_by_role("button", name="Calendars").click()
        p.get_by_role("button", name="Make a link").click()
        link = p.get_by_label("Link").input_value()
        self.assertIn("BEGIN:VCALENDAR", p.request.get(link).text())
        p.get_by_role("button", name="Revoke it").click()
        expect(p.get_by_label("Link")).to_have_count(0)
        self.assertEqual(p.request.get(link).status, 404)
