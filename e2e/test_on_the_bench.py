"""An instrument taken to the bench, and a hold that is placed after all: by the keyboard alone."""

from playwright.sync_api import expect

from apps.runs.models import Hold
from e2e.base import PASSWORD, BrowserTestCase
from e2e.walk import Walk

GOOD = ("4.000", "8.010", "12.000", "16.010", "20.000", "20.000", "16.000", "12.010", "8.000", "4.010")
ANSWERS = {"Air temperature": "21", "Where it goes now": "Rack 3", "Marked with": "Green, today", "Normal reading seen": "212"}


class OnTheBench(BrowserTestCase):
    def to_hold(self):
        self.sign_in(self.page)
        return Walk(self.page, ANSWERS, ("MB-P01", "MB-I01")).start("PT-2110", "MB-2110").to("Tell the operator")

    def choose(self, w, kind, reason_label, reason):
        w.fill(w.answers)
        w.form.get_by_role("radio", name=kind).press("Space")
        w.form.get_by_label(reason_label).press("Control+a")
        self.page.keyboard.type(reason)
        before = w.title.inner_text()
        self.page.keyboard.press("Control+Enter")
        w.arrive(before)

    def test_no_hold_is_pretended_and_it_is_said_where_it_goes(self):
        p = self.page
        w = self.to_hold()
        self.choose(w, "On the bench", "Why it was taken out", "New cell fitted in the shop")
        expect(p.get_by_role("region", name="Open holds")).to_have_count(0)
        w.to("As found").read(*GOOD).decide("Leave as it is").to("Put it back")
        self.check_step(p, "Off the bench")
        expect(p.get_by_label("Normal reading seen")).to_have_count(0)
        w.sign(PASSWORD)
        expect(p.get_by_text("New cell fitted in the shop").first).to_be_visible()
        self.assertEqual(Hold.objects.count(), 0)

    def test_a_hold_is_placed_after_all_and_has_to_come_off(self):
        p = self.page
        w = self.to_hold()
        self.choose(w, "No hold needed", "Why no hold is needed", "The loop is out of use")
        w.to("As found").read(*GOOD)
        p.get_by_role("button", name="Open Place the hold again").press("Enter")
        why = p.get_by_role("dialog").get_by_label("Why it is opened again")
        expect(why).to_be_focused()
        p.keyboard.type("Operations use it again")
        expect(why).to_have_value("Operations use it again")
        p.keyboard.press("Enter")
        expect(w.title).to_have_text("Place the hold")
        self.choose(w, "Inhibit", "Reason", "Calibration")
        expect(p.get_by_role("region", name="Open holds")).to_contain_text("inhibit is on")
        w.decide("Leave as it is").sign(PASSWORD)
        self.assertEqual(Hold.objects.get().released_at is None, False)
