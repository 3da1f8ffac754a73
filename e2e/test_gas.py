"""Gas in the browser: a bump that becomes a calibration, a wrong bottle, forcing with two, holds that insist, sensor life."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.kit.models import GasBottle, GasFitting
from apps.plant.models import Area, Instrument
from apps.runs.models import Hold, Result, Run
from e2e.base import PASSWORD, BrowserTestCase
from e2e.cost import cost, count_from_here

HYDROGEN = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10", "signal_unit": "mV", "new_sensitivity": "0.5"}


class GasJourney(BrowserTestCase):
    def setUp(self):
        super().setUp()
        area = Area.objects.get(code="RO")
        for tag in ("AE-A", "AE-B"):
            Instrument.objects.create(
                tag=tag, serial=f"S-{tag}", service="Hydrogen", area=area, family="gas detector", method="gas-zero-span", unit="%LEL",
                lrv=0, urv=100, tolerance_value=5, details=HYDROGEN, voting_group="V-1", feeds="Cell trip", next_due=timezone.localdate(),
                policy={"countdown_s": 0, "forced": "second-person"},
            )  # fmt: skip
        due = timezone.localdate() + timedelta(days=200)
        for code, gas in (("G-H2", "hydrogen"), ("G-CH4", "methane"), ("G-AIR", "")):
            gases = [{"gas": gas, "value": 50.0, "unit": "%LEL", "u_percent": 2.0, "basis": "iec"}] if gas else []
            GasBottle.objects.create(code=code, name="Gas", gases=gases, balance="air", oxygen=20.9, litres=90, expires_on=due)
        GasFitting.objects.create(code="V-1", kind="regulator", material="stainless steel", flow_l_min=0.5)
        GasFitting.objects.create(code="L-1", kind="line", material="PTFE-lined", length_m=1, is_conditioned=True)
        self.sign_in(self.page)

    def at_gas(self, tag="AE-A", method=""):
        """From the instrument's page to the choice of gas."""
        p = self.page
        p.goto(f"/plant/{tag}")
        p.get_by_role("button", name=method or "Start a calibration").click()
        p.get_by_label("Tag on the plate").fill(tag)
        if "check" not in method:
            p.get_by_label("Serial on the plate").fill(f"S-{tag}")
        expect(p.get_by_label("Exposed since last time to")).to_have_value("none")  # as it mostly is, to be changed where it is not
        p.get_by_role("button", name="Looked at").click()
        p.get_by_label("Air temperature").fill("20")
        p.get_by_role("button", name="Confirm").click()
        expect(p.get_by_role("heading", name="Gas", exact=True).first).to_be_visible()

    def choose_gas(self, *codes):
        p = self.page
        for code in codes:
            p.get_by_role("button", name=f"Use {code}").click()
            expect(p.get_by_label("Gas in use").get_by_text(code)).to_be_visible()
        p.get_by_role("button", name="Use these").click()
        p.get_by_label("Operator told (name)").fill("Control room")

    def hold(self):
        p = self.page
        expect(p.get_by_role("radio", name="Inhibit: signal held from tripping")).to_be_checked()
        p.get_by_role("button", name="Hold is on").click()

    def ready(self):
        p = self.page
        self.hold()
        expect(p.get_by_role("heading", name="Before you touch it")).to_be_visible()
        p.get_by_role("button", name=re.compile("^All of these")).click()
        p.get_by_role("button", name="Safe to start").click()
        expect(p.get_by_role("heading", name="As found", exact=True)).to_be_visible()

    def read(self, *texts):
        p = self.page
        for text in texts:
            n = p.get_by_text(re.compile(r"^Record reading \d+$")).inner_text()
            p.get_by_label(re.compile("^Display")).fill(text)
            p.keyboard.press("Enter")
            expect(p.get_by_text(n, exact=True)).to_be_hidden()

    def decide(self, choice, reason=""):
        p = self.page
        radio = p.get_by_role("radio", name=choice)
        expect(radio).to_be_visible()
        if not radio.is_checked():  # what is proposed is chosen already
            radio.click()
        if reason:
            p.get_by_label(re.compile("reason", re.I)).first.fill(reason)
        p.get_by_role("button", name="Decide").click()

    def give_back(self, *, slips=True, reminder=False):
        """Purge, restore, release; with slips that are refused."""
        p = self.page
        expect(p.get_by_role("heading", name="Purge", exact=True)).to_be_visible()
        if slips:
            p.get_by_label("Reading after purging").fill("9")
            p.get_by_role("button", name="It is purged").click()
            expect(p.get_by_text("Gas is still there").first).to_be_visible()
        p.get_by_label("Reading after purging").fill("0.5")
        p.get_by_role("button", name="It is purged").click()
        expect(p.get_by_role("heading", name="Put it back")).to_be_visible()
        if reminder:
            p.get_by_label("The detector's own reminder").select_option("reset")
        p.get_by_role("button", name=re.compile("^All of these")).click()
        p.get_by_role("button", name="It is back").click()
        expect(p.get_by_role("heading", name="Release the hold")).to_be_visible()
        p.get_by_label("Operator told (name)").fill("Control room")
        if slips:
            p.get_by_label(re.compile("Normal reading seen")).fill("30")
            p.get_by_role("button", name="Hold is off").click()
            expect(p.get_by_text("the hold does not come off").first).to_be_visible()
        p.get_by_label(re.compile("Normal reading seen")).fill("0")
        p.get_by_role("button", name="Hold is off").click()
        expect(p.get_by_role("heading", name="Sign", exact=True)).to_be_visible()

    def sign(self):
        p = self.page
        p.get_by_label("Password").fill(PASSWORD)
        p.get_by_role("button", name=re.compile("^Sign as")).click()
        expect(p.get_by_role("heading", name="Sign", exact=True)).to_be_hidden()

    def counted(self, job, most):
        told = cost(self.page, job)
        self.assertLessEqual(told["taps"], most)

    def test_a_function_check_by_itself(self):
        count_from_here(self.page)
        self.at_gas(method="Gas detector, function check")
        self.choose_gas("G-H2")
        self.ready()
        self.read("49")
        self.decide("Leave as it is")
        self.give_back(slips=False, reminder=True)
        self.sign()
        self.counted("a function check by itself", 18)

    def test_zero_and_span_without_adjusting(self):
        count_from_here(self.page)
        self.at_gas()
        self.choose_gas("G-AIR", "G-H2")
        self.ready()
        self.read("0", "50")
        self.decide("Leave as it is")
        self.give_back(slips=False)
        self.sign()
        self.counted("zero and span without adjusting", 25)

    def test_a_bump_that_fails_becomes_a_calibration(self):
        p = self.page
        count_from_here(p)
        self.at_gas(method="Gas detector, function check")
        self.check_step(p, "Gas")
        self.choose_gas("G-H2")
        self.ready()
        self.read("33")
        expect(p.get_by_text("Calibrate it.").first).to_be_visible()
        self.decide("Calibrate it now: zero, then span")
        p.get_by_label("Serial on the plate").fill("S-AE-A")  # read before anything is set
        p.get_by_role("button", name="Check the plate").click()
        p.get_by_role("button", name="Use G-AIR").click()
        expect(p.get_by_label("Gas in use").get_by_text("G-AIR")).to_be_visible()
        p.get_by_role("button", name="It is here").click()
        for screw, before, after in (("zero", "0.5", "0"), ("span", "33", "50")):
            expect(p.get_by_role("button", name=f"Record {screw}")).to_be_visible()
            p.get_by_label("Before accepting").fill(before)
            p.get_by_label("After accepting").fill(after)
            p.keyboard.press("Enter")
        p.get_by_role("button", name="Adjusting is finished").click()
        self.read("0", "50")
        self.decide("Accept as left")
        self.give_back(reminder=True)
        self.sign()
        self.counted("a check that becomes a calibration", 40)

    def test_a_wrong_bottle_is_refused_with_its_reason(self):
        p = self.page
        self.at_gas()
        p.get_by_role("button", name="Use G-AIR").click()
        span = p.get_by_role("region", name="Span gas", exact=True)
        span.get_by_role("button", name=re.compile("^Show .* can.t be used, and why")).click()
        row = p.get_by_role("listitem").filter(has_text="G-CH4").first
        expect(row.get_by_text("hydrogen is needed")).to_be_visible()
        p.get_by_role("button", name="Try G-CH4").click()
        expect(p.get_by_role("alert").get_by_text("hydrogen is needed")).to_be_visible()
        p.get_by_role("button", name="Use these").click()
        expect(p.get_by_text("Choose the span gas first.")).to_be_visible()
        p.reload()
        expect(p.get_by_label("Gas in use").get_by_text("G-AIR")).to_be_visible()

    def test_a_failed_check_stays_in_service_only_with_a_stand_in(self):
        p = self.page
        self.at_gas(method="Gas detector, function check")
        self.choose_gas("G-H2")
        self.ready()
        self.read("20")
        p.get_by_role("radio", name="Mark for replacement").click()
        p.get_by_label(re.compile("Why not as proposed|Why it is to be replaced")).fill("no sensor in store")
        p.get_by_role("button", name="Decide").click()
        expect(p.get_by_text("It would stay in service outside its limits").first).to_be_visible()
        p.get_by_label("What stands in for it").fill("portable with its alarm at the cells")
        p.get_by_label("For how long").fill("24")
        p.get_by_label("Second person").fill("tomas")
        p.get_by_label("Their password").fill(PASSWORD)
        self.check(p, "stand-in")
        p.get_by_role("button", name="It stays in service, with this in its place").click()
        expect(
            p.get_by_label("Flags").get_by_text(re.compile("portable with its alarm at the cells, until .* agreed by Tomas Calder"))
        ).to_be_visible()

    def test_another_regulator_after_the_bottle_is_judged_again(self):
        GasFitting.objects.create(code="V-9", kind="regulator", material="brass", flow_l_min=2.0)
        p = self.page
        self.at_gas()
        p.get_by_role("button", name="Use G-AIR").click()
        expect(p.get_by_label("Gas in use").get_by_text("G-AIR")).to_be_visible()
        p.get_by_role("button", name=re.compile("^Zero gas")).click()
        zero = p.get_by_role("region", name="Zero gas", exact=True)
        zero.get_by_label("Regulator").select_option("V-9")
        expect(zero.get_by_role("alert").get_by_text("this detector is calibrated at 0.5 l/min")).to_be_visible()
        expect(zero.get_by_label("Regulator")).to_have_value("V-1")
        self.assertEqual(Run.objects.get().events.filter(type="gas_assigned").count(), 1)

    def test_a_zero_is_forced_with_a_second_person(self):
        p = self.page
        self.at_gas()
        self.choose_gas("G-AIR", "G-H2")
        self.ready()
        self.read("8", "58")
        self.decide("Calibrate: zero, then span")
        p.get_by_label("Before accepting").fill("8")
        p.get_by_label("After accepting").fill("0")
        p.get_by_role("button", name="Record zero").click()
        expect(p.get_by_text("gas may still be there").first).to_be_visible()
        p.get_by_label("Why it must be forced").fill("zero gas proved with a second bottle")
        p.get_by_label("How the gas was proved").fill("G-H2B reads the same")
        p.get_by_label("Second person").fill("tomas")
        p.get_by_label("Their password").fill(PASSWORD)
        p.get_by_role("button", name="Force it, flagged on the record").click()
        expect(p.get_by_label("Flags").get_by_text("with Tomas Calder")).to_be_visible()

    def test_a_voting_pair_is_refused_without_an_agreement(self):
        p = self.page
        self.at_gas("AE-A")
        self.choose_gas("G-AIR", "G-H2")
        self.ready()
        self.at_gas("AE-B")
        self.choose_gas("G-AIR", "G-H2")
        self.hold()
        expect(p.get_by_text("AE-A (voting group V-1)").first).to_be_visible()
        p.get_by_label(re.compile("Who agreed")).fill("Holt, shift lead: portable monitor stands in")
        p.get_by_role("button", name="Hold is on").click()
        expect(p.get_by_role("heading", name="Before you touch it")).to_be_visible()
        p.goto("/holds")
        expect(p.get_by_text("portable monitor stands in")).to_be_visible()
        self.check(p, "holds")
        p.goto("/wall")
        expect(p.get_by_text("AE-A", exact=True)).to_be_visible()

    def release_on_the_board(self, page, reason):
        page.goto("/holds")
        page.get_by_role("button", name="Release", exact=True).click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label(re.compile("Normal reading seen")).fill("0")
        dialog.get_by_label("Latched alarms").select_option("none")
        dialog.get_by_label("Operator told (name)").fill("Control room")
        dialog.get_by_label("Why it comes off before the run is through").fill(reason)
        dialog.get_by_role("button", name="Hold is off").click()
        return dialog

    def test_a_hold_does_not_end_under_somebodys_hands_and_the_run_goes_on_under_another(self):
        p = self.page
        self.at_gas()
        self.choose_gas("G-AIR", "G-H2")
        self.ready()
        self.read("0")
        tomas = self.open_browser()
        self.sign_in(tomas, "tomas")
        dialog = self.release_on_the_board(tomas, "it is wanted back")
        expect(dialog.get_by_text(re.compile("Ines Calder is at work on AE-A: the run is at 'As found'"))).to_be_visible()
        self.assertIsNone(Hold.objects.get().released_at)
        lead = self.open_browser()
        self.sign_in(lead, "marta")
        dialog = self.release_on_the_board(lead, "the cell trip must be armed at once")
        expect(dialog).to_have_count(0)
        # Whoever is at the detector is told at once, on the page that is open, and goes on under a new hold.
        expect(
            p.get_by_text(re.compile("Marta .* took the inhibit off while the run was at work: the cell trip must be armed"))
        ).to_be_visible()
        expect(p.get_by_role("heading", name="Tell the operator")).to_be_visible()
        self.check_step(p, "Tell the operator")
        self.shot("hold-lost")
        p.get_by_label("Operator told (name)").fill("Control room")
        self.ready()
        expect(p.get_by_text("Record reading 2")).to_be_visible()

    def test_an_overdue_hold_insists_until_something_is_done(self):
        p = self.page
        self.at_gas()
        self.choose_gas("G-AIR", "G-H2")
        self.ready()
        Hold.objects.update(until=timezone.now() - timedelta(minutes=7))
        p.goto("/kit")
        dialog = p.get_by_role("dialog")
        expect(dialog.get_by_text("AE-A is still on hold")).to_be_visible()
        dialog.get_by_role("button", name="It takes longer").click()
        dialog.get_by_label("Why it takes longer").fill("sensor is slow")
        dialog.get_by_role("button", name="Set the new end").click()
        expect(p.get_by_text("overdue by")).to_be_hidden()
        expect(dialog).to_be_hidden()
        self.assertGreater(Hold.objects.get().until, timezone.now())
        p.goto("/holds")
        p.get_by_role("button", name="Hand over").click()
        p.get_by_label("Who shall answer for it").select_option("tomas")
        p.get_by_label("What the next one must know").fill("zero done, span next")
        p.get_by_role("button", name="Hand it over").click()
        expect(p.get_by_text("Handed over to Tomas Calder, who has not accepted it yet.")).to_be_visible()
        tomas = self.open_browser()
        self.sign_in(tomas, "tomas")
        strip = tomas.get_by_role("region", name="Open holds")
        expect(strip.get_by_text(re.compile("Ines Calder hands it over to you"))).to_be_visible()
        self.assertLessEqual(strip.bounding_box()["height"], 49)
        strip.get_by_role("link", name="AE-A").click()
        expect(tomas.get_by_text("To know: zero done, span next")).to_be_visible()
        tomas.get_by_role("button", name="Take it over").click()
        expect(tomas.get_by_text("Tomas Calder (you): Calibration")).to_be_visible()
        expect(tomas.get_by_text("sensor is slow").first).to_be_visible()
        self.check(tomas, "holds, handed over")
        self.assertEqual(Hold.objects.get().holder, "tomas")

    def test_a_hold_outlives_its_voided_run(self):
        p = self.page
        self.at_gas()
        self.choose_gas("G-AIR", "G-H2")
        self.ready()
        p.get_by_role("button", name="Void").click()
        dialog = p.get_by_role("dialog")
        dialog.get_by_role("checkbox").click()
        dialog.get_by_label("Reason").fill("adapter does not fit")
        dialog.get_by_role("button", name="Void it").click()
        expect(p).to_have_url(re.compile("/records/"))
        expect(p.get_by_label("Gas in use").get_by_text("G-H2")).to_be_visible()
        p.goto("/holds")
        expect(p.get_by_text("was voided; the hold is still on")).to_be_visible()
        p.get_by_role("button", name="Release").click()
        dialog = p.get_by_role("dialog")
        dialog.get_by_label(re.compile("Normal reading seen")).fill("0")
        dialog.get_by_label("Latched alarms").select_option("none")
        dialog.get_by_label("Operator told (name)").fill("Control room")
        dialog.get_by_role("button", name="Hold is off").click()
        expect(p.get_by_role("heading", name="Holds: none on")).to_be_visible()

    def test_a_sensors_life_is_shown_with_a_date(self):
        p = self.page
        self.at_gas()
        from apps.runs.models import Run

        run = Run.objects.get()
        for n, share in enumerate((1.0, 0.9, 0.81, 0.72)):
            run.pk, run.number, run.status = None, 100 + n, "signed"
            run.id = None
            made = Run.objects.create(
                number=100 + n, instrument=run.instrument, method="gas-zero-span", revision="1", technician=run.technician,
                status="signed", started_at=timezone.now(),
            )  # fmt: skip
            at = timezone.now() - timedelta(days=100 * (4 - n))
            more = {"t90_s": None, "signal": 25 * share, "sensitivity": 0.5 * share, "dose": 0.0, "hours": 0.0}
            Result.objects.create(
                run=made, instrument=run.instrument, kind="reading", name="exposure", phase="as left", at=at, life="first", more=more
            )
        p.goto("/plant/AE-A")
        p.get_by_role("link", name="Sensor life").click()
        expect(p.get_by_text("72 %", exact=True)).to_be_visible()
        expect(p.get_by_text(re.compile("As of the last calibration 72 %"))).to_be_visible()
        expect(p.get_by_role("img", name=re.compile("Sensitivity of the sensor"))).to_be_visible()
        self.check(p, "sensor life")
