"""Flow meters in the browser, by the keyboard alone: a zero that is kept, a leak that a second valve shows, electronics with a wire forgotten."""

from datetime import timedelta

from django.utils import timezone
from playwright.sync_api import expect

from apps.plant.models import Area, Instrument
from e2e.base import PASSWORD, BrowserTestCase
from e2e.cost import cost, count_from_here
from e2e.walk import Walk

ZERO = {
    "Zero stored in it": "0.2", "A severe alarm is on": "No", "Temperature it shows": "-20", "Flow it shows": "5900", "It is full of liquid": "Yes",
    "It flashes": "No", "A second valve is shut": "Yes", "Normal reading seen": "5900", "What was seen": "The hand valve beside it",
}  # fmt: skip
MAGNETIC = {
    "Liquid": "Permeate", "Its conductivity": "480", "Pipe": "Steel, rubber", "Flow it shows": "320", "It acted": "Yes", "Coil, reconnected": "82.1",
    "An alarm is on": "No", "Normal reading seen": "320",
}  # fmt: skip
WIRES = ("coil 1", "coil 2", "electrode A", "electrode B", "electrode reference", "current output +")
CORIOLIS = {
    "stability": "1.2", "normal_flow": "6000", "minimum_flow": "600", "tolerance_minimum": "0.5", "process_c": "-20", "warm_min": "0", "count": "3",
}  # fmt: skip


class FlowMeters(BrowserTestCase):
    def setUp(self):
        super().setUp()
        area = Area.objects.get(code="RO")
        for tag, method, unit, top, details in (
            ("FIT-5401", "flow-coriolis-zero", "kg/h", 8000, CORIOLIS),
            ("FIT-2302", "flow-mag-verify", "m3/h", 700, {"coil_ohm": "82", "electrode_a_kohm": "11.5", "electrode_b_kohm": "11.5"}),
        ):
            Instrument.objects.create(
                tag=tag, serial=f"S-{tag}", service="Flow", area=area, family="flow meter", method=method, unit=unit, lrv=0, urv=top, tolerance_value=0.5,
                details=details, next_due=timezone.localdate() - timedelta(days=1),
            )  # fmt: skip
        self.sign_in(self.page)

    def window(self, w, *flows):
        ends = {"Density": "1030.2", "Drive gain": "4.1", "Temperature it shows": "-20"}
        rows = [{"Flow it shows": f, **ends} if n in (0, len(flows) - 1) else f for n, f in enumerate(flows)]
        return w.read(*rows)

    def zero(self):
        w = Walk(self.page, ZERO).start("FIT-5401", "S-FIT-5401").to("Shut the downstream valve")
        self.move(w, "Downstream valve: moved to test").pass_step()
        self.move(w, "Upstream valve: moved to test").pass_step()
        w.to("Low-flow cut-off off")
        self.move(w, "Low-flow cut-off: moved to test").pass_step()
        return w

    def move(self, w, name):
        w.form.get_by_role("button", name=name).press("Enter")
        expect(w.form.get_by_role("button", name=name)).to_have_count(0)
        return w

    def open_again(self, w):
        for pair in ("Low-flow cut-off", "Upstream valve", "Downstream valve"):
            self.move(w, f"{pair}: moved back").pass_step()

    def test_a_stored_zero_is_kept(self):
        p = self.page
        count_from_here(p)
        w = self.zero()
        self.check_step(p, "Stored zero verified")
        self.window(w, "0.31", "0.24", "0.28")
        expect(p.get_by_text("The stored zero holds. Leave it")).to_be_visible()
        w.decide("Leave the stored zero")
        self.open_again(w)
        w.sign(PASSWORD)
        expect(p.get_by_text("Observed less stored zero").first).to_be_visible()
        self.check(p, "record of a zero")
        told = cost(p, "a stored zero verified and kept")
        self.assertLessEqual(told["taps"], 1)

    def test_a_leak_is_told_from_a_shift_by_a_second_valve(self):
        p = self.page
        w = self.zero()
        self.window(w, "6.42", "6.31", "6.40")
        expect(p.get_by_text("Proposed: Check the block-in, once more")).to_be_visible()
        w.decide("Check the block-in").to("Stored zero verified, take 2")
        self.window(w, "0.31", "0.24", "0.28")
        expect(p.get_by_text("Something flowed through a shut valve").first).to_be_visible()
        w.form.get_by_role("radio", name="Set a new zero").press("Space")
        w.fill({"Why not as proposed": "It was off before"})
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("A zero set on that is wrong as soon as it is gone").first).to_be_visible()
        w.decide("Leave it, find the cause")
        self.open_again(w)
        w.sign(PASSWORD)

    def test_electronics_to_the_end_with_a_wire_forgotten(self):
        p = self.page
        w = Walk(p, MAGNETIC, ("MB-I01",)).start("FIT-2302", "S-FIT-2302").to("Wires to the test card")
        self.check_step(p, "Wires to the test card")
        for n in range(41, 41 + len(WIRES)):
            expect(w.form.locator("input:focus")).to_have_count(1)
            p.keyboard.type(str(n))
            p.keyboard.press("Enter")
            expect(w.form.get_by_text(f"from terminal {n}")).to_be_visible()
        self.shot("wires")
        w.pass_step()
        for rows in (("82.1", "450"), ("12.1", "11.9")):
            w.read(*rows)
        w.to("Simulated flow").read("0.5", "1.001", "3.002", "10.01").read("4.002", "12.003", "20.004").read("100.0", "1000.0")
        w.to("Wires back")
        for n, wire in enumerate(WIRES[:-1], 41):
            field = w.form.get_by_role("listitem").filter(has_text=f"Wire {wire}").get_by_label("Back on terminal")
            field.press("Control+a")
            p.keyboard.type("48" if n == 43 else str(n))
            p.keyboard.press("Enter")
            if n == 43:
                expect(p.get_by_text("'Wire electrode A' came from terminal 43, not 48")).to_be_visible()
                field.press("Control+a")
                p.keyboard.type("43")
                p.keyboard.press("Enter")
            expect(w.form.get_by_text(f"from terminal {n}")).to_have_count(0)
        p.keyboard.press("Control+Enter")
        expect(p.get_by_text("Still in the test position: 'Wire current output +'")).to_be_visible()
        w.form.get_by_label("Back on terminal").press("Control+a")
        p.keyboard.type("46")
        p.keyboard.press("Enter")
        expect(p.get_by_text("Everything is back in service.")).to_be_visible()
        w.pass_step()
        w.to("Judge the verification", Flow_it_shows="-318")
        expect(p.get_by_text("A wire is loose or exchanged").first).to_be_visible()
        w.decide("Look at the wires, check again")
        w.to("Judge the verification")
        expect(p.get_by_text("Every group is inside its limits and the reconnection check passed.")).to_be_visible()
        w.decide("Verified")
        w.sign(PASSWORD)
        expect(p.get_by_text("Electrode A").first).to_be_visible()
        self.check(p, "record of a verification")
