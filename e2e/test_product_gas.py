"""Several components in the browser: by the keyboard, round twice, a gain that is barred, left above zero with a reason, and a zero that stays due."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.kit.models import GasBottle, GasFitting
from apps.plant.models import Area, Instrument
from apps.runs.models import Duty, Run
from e2e.cost import cost, count_from_here
from e2e.test_ph_and_belt import QUICK, Journey

TAG = "AIT-5302"
COMPONENTS = (
    "CO2, carbon dioxide, 100, % vol, 1, A; O2, oxygen, 5, % vol, 2, A; "
    "CO, carbon monoxide, 1000, ppm, 2, A, slow; CO high, carbon monoxide, 10000, ppm, 3, B, from 9000"
)
GASES = (
    ("B-N2", [], 0.0),
    ("B-MIX", [("carbon dioxide", 80.0, "% vol"), ("oxygen", 4.0, "% vol"), ("carbon monoxide", 800.0, "ppm")], 4.0),
    ("B-CO", [("carbon monoxide", 8000.0, "ppm")], 0.0),
    ("B-LACKS", [("carbon dioxide", 80.0, "% vol"), ("oxygen", 4.0, "% vol")], 4.0),
)


class ProductGasJourney(Journey):
    maps = ("product-gas",)

    def setUp(self):
        super().setUp()
        Instrument.objects.create(
            tag=TAG, serial=f"S-{TAG}", service="Product gas", area=Area.objects.get(code="RO"), family="analyzer", method="an-multigas",
            unit="% vol", lrv=0, urv=100, tolerance_value=1, output_lo=0, output_hi=100, output_unit="% vol",
            details={"components": COMPONENTS, "effects": "CO on CO2 0.004", "t90_s": "1", "flow_l_min": "0.5", "mode_shows": "RUN in its top line"},
            next_due=timezone.localdate(), policy={**QUICK, "zero_window_s": 1, "span_window_s": 2, "give_up_s": 60},
        )  # fmt: skip
        for code, gases, oxygen in GASES:
            made = [{"gas": g, "value": v, "unit": u, "u_percent": 1.0, "basis": ""} for g, v, u in gases]
            GasBottle.objects.create(
                code=code, name="Gas", gases=made, balance="nitrogen", oxygen=oxygen, litres=110, litres_drawn=5,
                expires_on=timezone.localdate() + timedelta(days=300), certificate="C-1", laboratory="Tern Point",
            )  # fmt: skip
        GasFitting.objects.create(code="R-S", kind="regulator", material="stainless steel", flow_l_min=0.5)
        GasFitting.objects.create(code="L-S", kind="line", material="stainless steel", length_m=2)
        count_from_here(self.page)
        self.sign_in(self.page)

    def gas(self, region, code):
        self.page.get_by_role("region", name=region).get_by_role("button", name=f"Use {code}").press("Enter")
        expect(self.page.get_by_role("button", name=f"{region}: {code}")).to_be_visible()

    def at_mode(self):
        p = self.page
        self.start(TAG)
        self.heading("Gas")
        self.gas("Zero gas", "B-N2")
        mixture = p.get_by_role("region", name="Mixture A")
        mixture.get_by_role("button", name=re.compile("^Show .* can.t be used, and why")).press("Enter")
        mixture.get_by_role("button", name="Try B-LACKS").press("Enter")
        expect(p.get_by_text(re.compile("carbon monoxide is needed")).first).to_be_visible()
        self.gas("Mixture A", "B-MIX")
        self.gas("Mixture B", "B-CO")
        p.get_by_role("button", name="Use these").click()
        self.heading("What disturbs what")
        expect(p.get_by_text(re.compile("CO, then CO2")).first).to_be_visible()
        expect(p.get_by_text(re.compile("may only be set above 9000 ppm; B-CO gives 8000 ppm")).first).to_be_visible()
        p.get_by_role("button", name="Seen").press("Enter")
        self.hold()
        self.tick_all("Safe to start")
        self.heading("Measuring mode")

    def type(self, text, then="Enter"):
        """Into the field that has the focus, by keys alone."""
        self.page.keyboard.type(text)
        self.page.keyboard.press(then)

    def read(self, values):
        p = self.page
        for n, value in enumerate(values, 1):
            expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_enabled()
            expect(p.get_by_label(re.compile("^Display")).first).to_be_focused()
            self.type(value)
            if p.get_by_role("button", name="It really is so").is_visible():
                p.get_by_role("button", name="It really is so").press("Enter")
        expect(p.get_by_role("button", name=f"Record reading {len(values)}", exact=True)).to_have_count(0)

    def adjust(self, what, before, after=""):
        p = self.page
        expect(p.get_by_role("button", name=f"Record {what}", exact=True)).to_be_visible()
        expect(p.get_by_label(re.compile("^Before"))).to_be_focused()
        expect(p.get_by_label(re.compile("^Before"))).to_have_value("")
        p.keyboard.type(before)
        if after:
            p.keyboard.press("Tab")
            p.keyboard.type(after)
        p.keyboard.press("Enter")

    def decide(self, name):
        p = self.page
        p.get_by_role("radio", name=re.compile(name)).first.click()
        p.get_by_role("button", name=re.compile("^Decide")).press("Enter")

    def test_by_the_keyboard_round_twice_barred_left_with_a_reason_and_zeroed_again(self):
        p = self.page
        self.at_mode()
        p.get_by_label("It is in").select_option("single")
        p.get_by_role("button", name="It measures continuously").press("Enter")
        expect(p.get_by_text(re.compile("Its keys are refused in this mode")).first).to_be_visible()
        self.check_step(p, "Measuring mode")
        p.get_by_label("It is in").select_option("continuous")
        p.get_by_role("button", name="It measures continuously").press("Enter")
        self.heading("Sample flow")
        self.type("0.3")
        expect(p.get_by_text(re.compile("set the flow first")).first).to_be_visible()
        p.get_by_label("Sample flow, l/min").fill("")
        self.type("0.5")
        self.heading("As found")
        self.check_step(p, "As found")
        self.read(["0", "0", "1", "0", "80", "4", "740", "740", "0", "0", "8000"])
        self.heading("Judge as found")
        self.decide("Set zero and gains")
        for what in ("zero of CO2", "zero of O2", "zero of CO", "zero of CO high"):
            self.adjust(what, "0")
        self.adjust("gain of O2", "4")
        self.adjust("gain of CO", "740", "800")
        self.adjust("gain of O2", "4")
        self.adjust("gain of CO2", "80.6", "80")
        expect(p.get_by_text("setting CO2 may have moved it").first).to_be_visible()
        self.adjust("gain of O2", "4")
        self.adjust("gain of CO", "812")  # moved beyond its aim: it can't be left
        expect(p.get_by_text(re.compile("is not within")).first).to_be_visible()
        p.get_by_label(re.compile("^After")).fill("800")
        p.get_by_label(re.compile("^After")).press("Enter")
        self.adjust("gain of O2", "4")
        self.adjust("gain of CO2", "80.1")
        expect(p.get_by_text("All are inside their aims").first).to_be_visible()
        expect(p.get_by_text(re.compile("may only be set above 9000")).first).to_be_visible()
        self.check_step(p, "Set zero and gains")
        p.get_by_role("button", name="Adjusting is finished").press("Enter")
        self.heading("As left")
        self.read(["0", "0", "0", "0", "80", "4", "800", "800", "0", "0", "8000"])
        self.decide("Leave|Accept")
        self.heading("Come-down of CO")
        self.type("60", "Tab")
        self.type("50", "Tab")
        self.type("45")
        self.heading("CO back at zero")
        expect(p.get_by_text(re.compile("will end at about 40 ppm")).first).to_be_visible()
        self.type("44")
        expect(p.get_by_text(re.compile("wait, or write why it is left like that")).first).to_be_visible()
        p.get_by_label(re.compile("Why it is left above zero")).fill("the loading waits, a day's run clears it")
        p.get_by_role("button", name="Leave it so").press("Enter")
        self.heading("Back to measuring")
        self.tick_all("It measures")
        self.heading("Put it back")
        self.tick()
        self.release_and_sign()
        p.get_by_role("button", name="What was entered, step by step").click()
        expect(p.get_by_text("a day's run clears it").first).to_be_visible()
        told = cost(p, "a multi-component adjustment that goes round twice")
        self.assertLess(told["screens"], 30)
        self.duty_is_done()

    def duty_is_done(self):
        p = self.page
        p.goto("/")
        due = p.get_by_role("region", name="To be done soon")
        expect(due.get_by_role("timer")).to_contain_text(re.compile(r"1\d:\d\d left"))
        due.get_by_role("button", name="Do it").click()
        for label, value in (("CO2 on zero gas", "0"), ("O2 on zero gas", "0"), ("CO on zero gas", "40"), ("CO high on zero gas", "0")):
            due.get_by_label(re.compile(f"^{label}")).fill(value)
        self.check(p, "Today, to be done soon")
        due.get_by_role("button", name="It is done").click()
        expect(due.get_by_text(re.compile("zero it again and read it")).first).to_be_visible()
        due.get_by_label(re.compile("^CO on zero gas")).fill("3")
        due.get_by_role("button", name="It is done").click()
        expect(due).to_have_count(0)
        duty = Duty.objects.get()
        self.assertEqual((duty.outcome, duty.values["zero:CO"]), ("done", "3"))
        p.goto(f"/plant/{TAG}")
        expect(p.get_by_text(re.compile("Zero again done by Ines Calder")).first).to_be_visible()

    def press(self, name):
        p = self.page
        p.get_by_role("button", name=name, exact=True).click()
        expect(p.get_by_text(f"pressed '{name}'").first).to_be_visible()

    def test_live_each_gas_is_waited_for_once_and_an_automatic_zero_begins_it_anew(self):
        p = self.page
        told = {
            "components": [{"name": n, "top": top, "lag_s": 0.3} for n, top in (("CO2", 100), ("O2", 5), ("CO", 1000), ("CO high", 10000))],
            "gases": {"mix:A": {"CO2": 80, "O2": 4, "CO": 800, "CO high": 800}, "mix:B": {"CO": 8000, "CO high": 8000}},
            "sample": {"CO2": 99}, "set_flow": 0.5, "mode": "single", "auto_zero_s": 3600, "noise": 0.00005,
        }  # fmt: skip
        told["components"][2]["gain"] = 0.93
        world = self.bench(
            points=[{"tag": "X", "kind": "cell"}, {"tag": "Y", "kind": "cell"}, {"tag": TAG, "kind": "mixture", "set": told}]
        )
        analyzer = world.points[2].analyzer
        self.at_mode()
        self.press("Continuous measuring")
        p.get_by_label("It is in").select_option("continuous")
        p.get_by_role("button", name="It measures continuously").click()
        self.heading("Sample flow")
        self.press("Zero gas")
        p.get_by_label("Sample flow, l/min").fill("0.5")
        p.get_by_role("button", name="Flow is right").click()
        self.heading("As found")
        p.get_by_role("button", name="Read live").click()
        p.get_by_role("button", name=f"Use what is wired to {TAG}").click()
        expect(p.get_by_role("button", name="Capture reading 1", exact=True)).to_be_enabled(timeout=30_000)
        analyzer.auto_zero()
        expect(p.get_by_text("Automatic zero of the analyzer").first).to_be_visible(timeout=30_000)
        analyzer.auto_zero_s = 0.0
        analyzer.auto_zero()  # it ends once it was seen, however long that took
        for n in range(1, 5):
            self.capture_until(
                n, p.get_by_role("button", name=re.compile(f"reading {n + 1}$|Not ready")).first if n < 1 else self.at_slot(n + 1)
            )
        self.press("Mixture A")
        p.get_by_role("button", name="Gas is on now").click()
        for n in range(5, 9):
            self.capture_until(n, self.at_slot(n + 1))
        self.press("Mixture B")
        p.get_by_role("button", name="Gas is on now").click()
        for n in range(9, 11):
            self.capture_until(n, self.at_slot(n + 1))
        self.capture_until(11, p.get_by_role("heading", name="Judge as found", exact=True))
        run = Run.objects.get(instrument__tag=TAG)
        captured = [e.payload for e in run.events.filter(type="reading_taken")]
        self.assertTrue(any("Automatic zero" in str(c["captured"]["indicated"].get("interrupted")) for c in captured[:4]))
        self.assertAlmostEqual(float(captured[6]["indicated"]), 0.93 * 800, delta=3)
        self.assertTrue(all(c["source"] == "live" for c in captured))

    def at_slot(self, n):
        return self.page.get_by_role("form").get_by_text(re.compile(rf"^\s*{n}\s*of 11")).first
