"""What went wrong in a real day, one journey each: an output left held, a probe in two blocks, a step taken back, a device exchanged."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.runs.models import Run, RunEvent
from e2e.base import PASSWORD, BrowserTestCase
from e2e.bench import BenchJourney
from e2e.walk import Walk

ANSWERS = {"Air temperature": "21", "Normal reading seen": "212", "Sensor's temperature": "21"}
BOWED = ("4.00", "8.60", "13.10", "16.60", "20.00", "20.00", "16.60", "13.10", "8.60", "4.00")
GOOD = ("4.00", "8.01", "12.00", "16.01", "20.00", "20.00", "16.00", "12.01", "8.00", "4.01")


class RealDay(BrowserTestCase):
    def walk(self, **answers):
        self.sign_in(self.page)
        return Walk(self.page, {**ANSWERS, **answers}, ("MB-P01", "MB-I01")).start("PT-2110", "MB-2110")

    def test_what_cannot_be_cured_is_exchanged_proved_and_known_to_the_register(self):
        p = self.page
        w = self.walk(**{"Where the old one went": "scrapped", "Its model": "P4", "Serial on the plate of the new one": "MB-2110"})
        w.to("As found").read(*BOWED)
        w.decide("Exchange it now")
        expect(w.title).to_have_text("Exchange it")
        self.check_step(p, "Exchange it")
        w.fill(w.answers)
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("that of the old one").first).to_be_visible()
        w.answers["Serial on the plate of the new one"] = "NEW-77"
        w.to("As left").read(*GOOD).decide("Accept as left").sign(PASSWORD)
        expect(p.get_by_text("P4, serial NEW-77").first).to_be_visible()
        expect(p.get_by_text("As left, serial NEW-77").first).to_be_visible()
        p.goto("/plant/PT-2110")
        expect(p.get_by_text("NEW-77").first).to_be_visible()
        self.assertEqual(Instrument.objects.get(tag="PT-2110").serial, "NEW-77")

    def test_what_is_marked_for_replacement_stays_due(self):
        p = self.page
        w = self.walk()
        w.to("As found").read(*BOWED)
        w.decide("Mark for replacement", "no spare is here")
        w.sign(PASSWORD)
        p.goto("/")
        expect(p.get_by_role("main")).to_contain_text(re.compile("PT-2110.*marked for replacement", re.S))

    def test_a_step_is_taken_back_with_a_reason_and_both_stand_on_the_record(self):
        p = self.page
        w = self.walk()
        w.to("As found")
        p.get_by_role("button", name="Open References again").or_(p.get_by_role("button", name="Open Surroundings again")).first.press(
            "Enter"
        )
        why = p.get_by_role("dialog").get_by_label("Why it is opened again")
        expect(why).to_be_focused()
        p.keyboard.type("the thermometer stood in the sun")
        p.keyboard.press("Enter")
        expect(p.get_by_role("dialog")).to_have_count(0)
        w.answers["Air temperature"] = "24"
        w.to("As found").read(*GOOD).decide("Leave as it is").sign(PASSWORD)
        expect(p.get_by_text("the thermometer stood in the sun").first).to_be_visible()

    def test_paper_of_before_the_run_is_asked_about_once_and_keeps_its_date(self):
        p = self.page
        w = self.walk()
        w.to("As found")
        p.get_by_role("button", name="From paper").press("Enter")
        day = timezone.localtime() - timedelta(days=1)
        p.get_by_label("Read at, as written on the paper").fill(f"{day:%Y-%m-%d} 10:32")
        w.form.locator("input[inputmode=decimal]").first.focus()
        p.keyboard.type("4.00")
        p.keyboard.press("Enter")
        expect(p.get_by_text(f"The paper says {day:%-d %b %Y} 10:32; this run was begun at").first).to_be_visible()
        p.get_by_role("button", name="It really is so").press("Enter")
        expect(p.get_by_text(f"on paper {day:%-d %b %Y}, 10:32").first).to_be_visible()
        p.get_by_label("Read at, as written on the paper").fill(f"{day:%Y-%m-%d} 10:31")
        w.form.locator("input[inputmode=decimal]").first.focus()
        p.keyboard.type("8.01")
        p.keyboard.press("Enter")
        expect(p.get_by_text("the reading before it was read at 10:32, later than that").first).to_be_visible()

    def test_a_choice_made_on_purpose_is_not_replaced_by_tabbing_on(self):
        p = self.page
        like = Reference.objects.get(code="MB-P01")
        like.pk, like.code, like.serial = None, "MB-P02", "MB-P02"
        like.save()
        self.walk()
        chosen = p.get_by_role("region", name="References")
        chosen.get_by_role("button", name=re.compile("^MB-P02")).press("Enter")
        expect(chosen.get_by_role("button", name=re.compile("^MB-P02"), pressed=True)).to_be_visible()
        p.get_by_label("Tag on the plate").focus()
        for _ in range(25):
            p.keyboard.press("Tab")
        expect(chosen.get_by_role("button", name=re.compile("^MB-P02"), pressed=True)).to_be_visible()
        expect(chosen.get_by_role("button", name=re.compile("^MB-P01"), pressed=True)).to_have_count(0)

    def test_the_loop_must_carry_the_alarm_current(self):
        Instrument.objects.filter(tag="PT-2110").update(details={"supply_v": "24", "loop_ohm": "600"})
        p = self.page
        w = self.walk()
        w.to("Loop budget")
        expect(p.get_by_label("Supply, V")).to_have_value("24")
        expect(p.get_by_label("Lift-off voltage of the transmitter, V")).to_have_value("")  # not known, so not filled in
        p.get_by_label("Lift-off voltage of the transmitter, V").fill("12")
        p.get_by_label("Its alarm current, mA").fill("22")
        p.keyboard.press("Control+Enter")
        expect(
            p.get_by_text("At 22 mA the transmitter is 1.20 V short.").first
        ).to_be_visible()  # 24 V less 22 mA through 600 ohm, 12 V wanted


class RealDayOnTheBench(BenchJourney):
    def test_an_output_left_held_ends_by_itself_and_is_told_meanwhile(self):
        p = self.page
        self.to_edit()
        w = Walk(p, ANSWERS)
        expect(p.get_by_text("nothing to report").first).to_be_visible()
        p.get_by_text("Trims, range by live pressure, loop test, write protection").click()
        hold = p.get_by_role("button", name="Loop test: hold the output at")
        hold.locator("xpath=..").get_by_label("mA").fill("12")
        hold.click()
        strip = p.get_by_role("region", name="Open holds")
        expect(p.get_by_text(re.compile("held the output at 12 mA; it shows")).first).to_be_visible()
        p.reload()
        expect(strip).to_contain_text("Its output is held at 12 mA.")
        tx = self.bench.hart["PT-2110"].tx
        self.assertEqual(tx.fixed_ma, 12.0)
        p.get_by_role("button", name="Set and proved").click()
        expect(w.title).not_to_have_text("Set range, damping, trims")
        for _ in range(150):
            if not tx.fixed_ma:
                break
            p.wait_for_timeout(200)
        self.assertIsNone(tx.fixed_ma)
        p.reload()
        expect(strip).to_contain_text("PT-2110")
        expect(strip).not_to_contain_text("held at")
        words = RunEvent.objects.filter(type="device_acted").latest("seq").payload["words"]
        self.assertRegex(words, "^let the output follow the process again, by itself; it shows")

    def test_a_probe_is_not_in_two_blocks_in_typed_runs_either(self):
        p = self.page
        Reference.objects.filter(code__startswith="MB-T0").update(kind="probe")
        Reference.objects.filter(code="MB-B01").update(kind="block")
        second = Reference.objects.get(code="MB-B01")
        second.pk, second.code = None, "MB-B02"
        second.save()
        self.forward("TE-A", "MB-TEA", {"Reference probe": "MB-T01", "Block or bath": "MB-B01", "Readout of the sensor": "MB-R01"})
        expect(p.get_by_role("heading", name="As found", exact=True)).to_be_visible()
        p.goto("/")
        p.get_by_role("button", name="TE-B").first.click()
        p.get_by_role("region", name="Block or bath").get_by_role("button", name="MB-B02").click()
        expect(p.get_by_role("region", name="Block or bath").get_by_role("button", name="MB-B02", pressed=True)).to_be_visible()
        p.get_by_role("region", name="Reference probe").get_by_role("button", name="MB-T01").click()
        p.get_by_role("region", name="Readout of the sensor").get_by_role("button", name="MB-R01").click()
        for label, text in (("Tag on the plate", "TE-B"), ("Serial on the plate", "MB-TEB"), ("Air temperature", "21")):
            p.get_by_label(label).fill(text)
        p.get_by_role("button", name="Check the plate").click()
        expect(p.get_by_text("MB-T01 stands in MB-B01, in the run of TE-A").first).to_be_visible()
        self.assertEqual(Run.objects.filter(status="open").count(), 2)

    def test_a_unit_is_changed_and_configuring_is_not_calibrating(self):
        p = self.page
        due = Instrument.objects.get(tag="PT-2110").next_due
        self.to_edit()
        w = Walk(p, ANSWERS)
        p.get_by_label("Unit, pending").select_option(label="bar")
        p.get_by_role("button", name="Make pending").click()
        expect(p.get_by_text("waits to be sent: 4").first).to_be_visible()  # 400 kPa, carried over
        p.get_by_role("button", name="Send to the device").click()
        expect(p.get_by_text("Read back: the device holds what was sent.")).to_be_visible()
        self.assertEqual(self.bench.hart["PT-2110"].unit, "bar")
        p.get_by_role("button", name="Set and proved").click()
        p.get_by_role("button", name="Read the device").click()
        p.get_by_role("button", name="Keep it as the set after").click()
        expect(p.get_by_role("heading", name="Put it back").or_(p.get_by_label("Why it stands so"))).to_be_visible()
        if p.get_by_label("Why it stands so").count():
            p.get_by_label("Why it stands so").fill("The control system is set to bar too")
            p.get_by_role("button", name="Keep it as the set after").click()
        w.sign(PASSWORD)
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, due)
        self.assertEqual(Run.objects.get().status, "signed")

    def test_what_is_proposed_can_be_chosen(self):
        p = self.page
        self.forward("TE-A", "MB-TEA", {"Reference probe": "MB-T01", "Block or bath": "MB-B01", "Readout of the sensor": "MB-R01"})
        w = Walk(p, ANSWERS)
        w.read("103.00", "122.90", "142.20")  # 3 ohm too many everywhere
        expect(w.title).to_have_text("Judge as found")
        proposed = p.get_by_text(re.compile("^Proposed: ")).inner_text().removeprefix("Proposed: ")
        expect(w.form.get_by_role("radio", name=re.compile(f"^{re.escape(proposed)}"), checked=True)).to_have_count(1)
        expect(w.form.get_by_role("radio", name=re.compile("Adjust|Trim"))).to_have_count(0)
