"""Five points up and down without adjustment, from Today to the signature: what it costs when the kit is the usual one."""

from playwright.sync_api import expect

from apps.plant.models import Instrument
from apps.runs.models import Run
from e2e.base import PASSWORD, BrowserTestCase, RunSteps
from e2e.cost import cost, count_from_here

READ = ("4.01", "8.01", "12.00", "16.01", "20.01", "20.00", "16.00", "12.01", "8.00", "4.01")
MOST_KEYS, MOST_SCREENS = 90, 8  # keys with the ten readings, each number and Enter, and the password; screens from Today to the signature


class ShortRun(BrowserTestCase):
    def test_five_points_up_and_down_cost_few_keys(self):
        p, steps = self.page, RunSteps(self.page)
        self.sign_in(p)
        steps.to_as_found()
        steps.read(list(READ))
        p.get_by_role("button", name="Decide: Leave as it is").click()
        steps.restore()
        steps.sign()
        Instrument.objects.filter(tag="PT-2110").update(next_due=Run.objects.get().started_at.date())
        count_from_here(p)
        p.goto("/")
        keys = p.keyboard
        expect(p.get_by_role("heading", name="Today")).to_be_visible()
        p.get_by_role("button", name="PT-2110").click()
        expect(p.get_by_label("Tag on the plate")).to_be_focused()
        chosen = p.get_by_role("region", name="References")
        expect(chosen.get_by_role("button", name="MB-P01", pressed=True)).to_contain_text("in date")
        expect(chosen.get_by_role("button", name="MB-I01", pressed=True)).to_contain_text("TUR")
        keys.type("pt2110")
        p.get_by_label("Serial on the plate").click()
        keys.type("mb2110")
        p.get_by_label("Air temperature").click()
        keys.type("21")
        p.get_by_role("button", name="Check the plate").click()
        expect(p.get_by_label("Operator told")).to_be_focused()
        p.get_by_role("button", name="Use Control room").click()  # told an hour ago on this device
        p.get_by_role("radio", name="Inhibit: signal held from tripping").click()
        expect(p.get_by_label("Reason")).to_have_value("Calibration")
        p.get_by_role("button", name="Hold is on").click()
        expect(p.get_by_role("button", name="All of these 3 are so")).to_be_focused()
        p.get_by_role("button", name="All of these 3 are so").click()
        p.get_by_role("button", name="Safe to start").click()
        for n, text in enumerate(READ, 1):
            expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_visible()
            keys.type(text)
            keys.press("Enter")
        expect(p.get_by_role("heading", name="Judge as found")).to_be_visible()
        p.get_by_role("button", name="Decide: Leave as it is").click()
        expect(p.get_by_role("button", name="All of these 5 are so")).to_be_focused()
        p.get_by_role("button", name="All of these 5 are so").click()
        p.get_by_label("Normal reading seen").click()
        expect(p.get_by_label("Operator told")).to_have_value("Control room")
        keys.type("212")
        p.get_by_role("button", name="Hold is off").click()
        expect(p.get_by_label("Your password")).to_be_focused()
        keys.type(PASSWORD)
        keys.press("Enter")
        expect(p.get_by_text("signed, waiting for review")).to_be_visible()
        self.assertEqual(Run.objects.filter(status="signed").count(), 2)
        told = cost(p, "five points up and down without adjustment")
        self.assertLessEqual(told["keys"], MOST_KEYS)
        self.assertLessEqual(told["screens"] - 1, MOST_SCREENS)  # the record itself comes after it
