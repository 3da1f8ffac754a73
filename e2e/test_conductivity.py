"""A conductivity cell in the browser: the wrong compensation found, put right, the constant set; live on the bench; counted in keys."""

import re
from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.kit.models import Solution
from apps.plant.models import Area, Instrument
from apps.runs.models import KitUse, Run
from e2e.cost import cost, count_from_here
from e2e.test_ph_and_belt import QUICK, Journey

TAG = "AIT-2401"


class ConductivityJourney(Journey):
    maps = ("conductivity",)

    def setUp(self):
        super().setUp()
        Instrument.objects.create(
            tag=TAG, serial=f"S-{TAG}", service="Permeate", area=Area.objects.get(code="RO"), family="analyzer", method="an-conductivity",
            unit="uS/cm", lrv=0, urv=2000, tolerance_value=2, details={"sensor_serial": "CC-1"}, policy=QUICK, next_due=timezone.localdate(),
        )  # fmt: skip
        due = timezone.localdate() + timedelta(days=200)
        for code, value, table in (("S-1", 1413.0, "kcl-0.01"), ("S-2", 12880.0, "kcl-0.1")):
            Solution.objects.create(code=code, us_cm=value, table=table, lot=f"L-{code}", litres=1, expires_on=due, u_percent=0.5)
        count_from_here(self.page)
        self.sign_in(self.page)

    def at_readings(self, c="20", set_now="1"):
        p = self.page
        self.start(TAG)
        self.heading("Standard solution")
        bottles = p.get_by_role("region", name="Conductivity standard")
        bottles.get_by_role("button", name=re.compile("Show 1 that")).click()
        expect(bottles.get_by_text("where this analyzer reads it").first).to_be_visible()  # the strong one says why it won't do
        bottles.get_by_role("button", name="Use S-1").click()
        expect(bottles.get_by_text("in use")).to_be_visible()
        field = p.get_by_label("Temperature of the solution")
        field.fill("31")
        field.press("Enter")
        expect(p.get_by_text(re.compile("0 to 30 °C.*Nothing was stored")).first).to_be_visible()
        expect(field).to_have_value("31")
        field.fill(c)
        self.check_step(p, "Standard solution")
        field.press("Enter")
        self.heading("Set in it now")
        p.get_by_label("Cell constant set in it").fill(set_now)
        p.get_by_label("Cell constant set in it").press("Enter")
        self.hold()
        self.tick_all("Safe to start")
        for n in range(2):
            p.get_by_role("button", name=re.compile("moved to")).first.click()
            expect(p.get_by_role("button", name=re.compile("moved back"))).to_have_count(n + 1)
        p.get_by_role("button", name="It is out").click()
        self.heading("As found")

    def reading(self, n, *values):
        """One reading by the keyboard alone: the fields in their order, then Enter."""
        p = self.page
        expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_enabled()
        expect(p.get_by_label(re.compile("^Reads"), exact=False).first).to_be_focused()
        for k, value in enumerate(values):
            if k:
                p.keyboard.press("Tab")
            p.keyboard.type(value)
        p.keyboard.press("Enter")

    def decide(self, name):
        p = self.page
        p.get_by_role("radio", name=re.compile(name)).click()
        p.get_by_role("button", name=re.compile("^Decide")).click()

    def test_the_wrong_compensation_is_put_right_and_the_constant_set(self):
        p = self.page
        self.at_readings()
        self.reading(1, "1000.2", "1000")
        self.reading(2, "0.3")
        self.reading(3, "1225.0", "1225.0")
        self.heading("Judge as found")
        expect(p.get_by_text("Another temperature compensation works in it").first).to_be_visible()
        self.check_step(p, "Judge as found")
        p.get_by_role("radio", name=re.compile("Set zero and cell constant")).click()
        p.get_by_label(re.compile("Reason|Why")).first.fill("quicker")
        p.get_by_role("button", name=re.compile("^Decide")).click()
        expect(p.get_by_text("would hide it").first).to_be_visible()
        self.decide("Put right what is wrong")
        self.heading("Correct the cause")
        p.get_by_label("What was done").fill("Compensation was off; linear, 2 %/°C set again")
        p.get_by_role("button", name="Work is done").click()
        self.heading("As left")
        self.reading(1, "1000.2", "1000")
        self.reading(2, "0.3")
        self.reading(3, "1225.0", "1361.1")
        self.heading("Judge as left")
        expect(p.get_by_text("It reads low in the solution").first).to_be_visible()
        self.decide("Set zero and cell constant")
        self.heading("Set zero and cell constant, round 2")
        self.shot("conductivity-adjust")
        for what, before, after in (("Zero", "0.3", "0.0"), ("Cell constant", "1225", "1278")):
            expect(p.get_by_role("button", name=f"Record {what}")).to_be_visible()
            p.get_by_label("Before accepting").fill(before)
            p.get_by_label("After accepting").fill(after)
            p.keyboard.press("Enter")
        expect(p.get_by_text("All are inside the aim").first).to_be_visible()
        p.get_by_role("button", name="Adjusting is finished").click()
        self.heading("Cell constant set in it now")
        p.get_by_role("textbox", name="Cell constant set in it").fill("1.043")
        p.keyboard.press("Enter")
        self.heading("As left, take 2")
        self.reading(1, "1043.2", "1000")
        self.reading(2, "0.1")
        self.reading(3, "1278.2", "1420.2")
        self.decide("Leave as it is")
        self.heading("Cell in, sample open")
        for n in (1, 0):
            p.get_by_role("button", name=re.compile("moved back")).first.click()
            expect(p.get_by_role("button", name=re.compile("moved back"))).to_have_count(n)
        p.get_by_role("button", name="All is back").click()
        self.heading("Put it back")
        self.tick()
        self.release_and_sign()
        expect(p.get_by_text("Cell constant").first).to_be_visible()
        run = Run.objects.get(instrument__tag=TAG)
        self.assertEqual((run.found_verdict, run.left_verdict), ("fail", "pass"))
        self.assertEqual(KitUse.objects.get(run=run, item="S-1").amount, 4)  # three readings and one adjustment, a portion each
        self.assertLess(cost(p, "a conductivity cell read twice and set")["screens"], 60)

    def test_live_the_cell_is_led_from_the_resistor_to_air_to_the_solution(self):
        p = self.page
        world = self.bench(
            points=[
                {"tag": TAG, "kind": "cell", "set": {"constant": 1.02, "lag_s": 0.2, "places": {"air": [0, 20], "solution": [1278, 20]}}}
            ]
        )
        self.at_readings()
        p.get_by_role("button", name="Read live").click()
        p.get_by_role("button", name=f"Use what is wired to {TAG}").click()
        keys = {"Resistor": "Resistor in place of the cell", "Dry air": "Cell dry in air", "Solution": "Cell into the solution"}
        for n, (place, key) in enumerate(keys.items(), 1):
            expect(p.get_by_text(place, exact=True).first).to_be_visible()
            p.get_by_role("button", name=key).click()
            expect(p.get_by_text(f"pressed '{key}'")).to_be_visible()
            after = list(keys)[n] if n < len(keys) else "Judge as found"
            done = p.get_by_text(after, exact=True).first if n < len(keys) else p.get_by_role("heading", name=after, exact=True)
            self.capture_until(n, done)
        self.heading("Judge as found")
        self.assertEqual(world.points[0].analyzer.at, "solution")
        expect(p.get_by_role("table", name="As found: judged by").get_by_text(re.compile(r"^1\.0(19|20|21) /cm"))).to_be_visible()
