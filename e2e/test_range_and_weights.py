"""A range sent to a smart transmitter only under a hold and read back; a displacer from its weights to the wet proof."""

import re

from playwright.sync_api import expect

from e2e.base import RunSteps
from e2e.bench import BenchJourney


class SmartTransmitter(BenchJourney):
    def test_a_range_change_is_refused_then_sent_and_read_back(self):
        p = self.page
        self.to_edit()
        p.get_by_label("URV, pending").fill("5000")
        p.get_by_role("button", name="Make pending").click()
        expect(p.get_by_text("URV 5000 lies outside the sensor limits -100 to 1000.").first).to_be_visible()
        p.get_by_label("URV, pending").fill("250")
        p.get_by_role("button", name="Make pending").click()
        expect(p.get_by_text("waits to be sent: 250")).to_be_visible()
        self.shot("parameters")
        self.check_step(p, "Set range, damping, trims")
        p.get_by_role("button", name="Set and proved").click()
        expect(p.get_by_text("There are edits that were not sent.").first).to_be_visible()
        # The hold comes off early from another device: nothing can be sent any more, and the device keeps its range.
        self.release_elsewhere(p.url.split("/")[-1])
        expect(p.get_by_text(re.compile("took the .* off while the run was at work: called away"))).to_be_visible()
        expect(p.get_by_role("button", name="Send to the device")).to_have_count(0)
        self.assertEqual(self.bench.hart["PT-2110"].tx.urv, 400.0)
        self.make_safe()
        p.get_by_role("button", name="Send to the device").click()
        expect(p.get_by_text("Read back: the device holds what was sent.").first).to_be_visible()
        self.assertEqual(self.bench.hart["PT-2110"].tx.urv, 250.0)

    def release_elsewhere(self, run_id):
        from datetime import UTC, datetime
        from uuid import UUID, uuid4

        from apps.accounts.models import Person
        from apps.runs.services import NewEvent, append_events
        from apps.runs.store import load_run
        from metrology.run.folding import fold

        state = fold(load_run(UUID(run_id))[1])
        payload = {"hold": state.open_holds[0].id, "values": {"reading": "10", "operator": "Control room"}, "reason": "called away"}
        append_events(
            actor=Person.objects.get(username="ines"),
            run_id=UUID(run_id),
            expected_seq=state.seq,
            events=[NewEvent(uuid4(), "hold_released", payload)],
            now=datetime.now(UTC),
        )

    def test_an_exchanged_device_is_accepted_with_a_reason(self):
        p = self.page
        self.bench.hart["PT-2110"].tx.tag = "SPARE"
        p.goto("/plant/PT-2110")
        p.get_by_role("button", name="Smart transmitter: range, trim, damping").click()
        self.go_on("PT-2110", "MB-2110", {"Output meter": "MB-I01"}, {})
        p.get_by_label("Parameters are").select_option(label="HART")
        p.get_by_role("button", name="Read the device").click()
        expect(p.get_by_text("says it is SPARE; this run is of PT-2110")).to_be_visible()
        self.check_step(p, "Read the device")
        p.get_by_label("Why it is PT-2110 all the same").fill("exchanged today, its tag is not set yet")
        p.get_by_role("button", name="Accept this device").click()
        expect(p.get_by_text("says it is SPARE")).to_be_hidden()
        p.get_by_role("button", name="Read the device").click()
        expect(p.get_by_text("nothing is pending")).to_be_visible()

    def test_what_was_sent_is_read_back_and_the_set_after_closes_it(self):
        p = self.page
        self.to_edit()
        p.get_by_label("URV, pending").fill("250")
        p.get_by_label("Damping, pending").fill("1,5")
        p.get_by_role("button", name="Make pending").click()
        expect(p.get_by_text("waits to be sent: 250")).to_be_visible()
        p.get_by_role("button", name="Send to the device").click()
        expect(p.get_by_text("Read back: the device holds what was sent.")).to_be_visible()
        self.assertEqual((self.bench.hart["PT-2110"].tx.urv, self.bench.hart["PT-2110"].tx.damping), (250.0, 1.5))
        p.get_by_text("Trims, range by live pressure").click()
        p.get_by_role("button", name="Write protection on").click()
        expect(p.get_by_text("put write protection on").first).to_be_visible()
        p.get_by_role("button", name="Set and proved").click()
        expect(p.get_by_role("heading", name="Read the device again")).to_be_visible()
        p.get_by_role("button", name="Read the device").click()
        expect(p.get_by_text("Write protection: off before, on now")).to_be_visible()
        expect(p.get_by_text("URV: the device says 250 kPa, the register 400 kPa.")).to_be_visible()
        p.get_by_role("button", name="Keep it as the set after").click()
        p.get_by_label("Why it stands so").fill("Summer range; the planner brings the register in line")
        p.get_by_role("button", name="Keep it as the set after").click()
        expect(p.get_by_role("heading", name="Put it back")).to_be_visible()


class Displacer(BenchJourney):
    def test_from_the_weights_to_the_wet_proof(self):
        p, steps = self.page, RunSteps(self.page)
        self.forward(
            "LT-5501", "MB-5501", {"Weights": "MB-W01", "Output meter": "MB-I01"}, {"Weights on hand": "1 0.5 0.2 0.2 0.1 0.05 0.02 0.02"}
        )
        expect(p.get_by_role("heading", name="As found, dry")).to_be_visible()
        expect(p.get_by_text("Hang 2.0000 kg (1 + 0.5 + 0.2 + 0.2 + 0.1).")).to_be_visible()
        self.read_with_error(0.25)
        expect(p.get_by_role("heading", name="Judge as found")).to_be_visible()
        p.get_by_role("radio", name="Adjust zero and span").click()
        p.get_by_role("button", name="Decide").click()
        expect(p.get_by_text("At least 2 full passes are made.")).to_be_visible()
        for screw in ("zero", "span", "zero", "span"):
            ideal = "4.000" if screw == "zero" else p.locator("p", has_text="Ideal, aim").inner_text().split("\n")[1].split()[0]
            p.get_by_label("Before turning").fill(ideal)
            p.get_by_role("button", name=f"Record {screw}").click()
            expect(p.get_by_label("Before turning").or_(p.get_by_text("neither disturbed the other"))).to_have_count(1)
            p.wait_for_timeout(300)
        p.get_by_role("button", name="Adjusting is finished").click()
        expect(p.get_by_role("heading", name="As left, dry")).to_be_visible()
        self.read_with_error(0.01)
        p.get_by_role("radio", name="Accept as left").click()
        p.get_by_role("button", name="Decide").click()
        expect(p.get_by_role("heading", name="Mount the displacer")).to_be_visible()
        for box in p.get_by_role("checkbox").all():
            box.click()
        p.get_by_role("button", name="Ready to fill").click()
        expect(p.get_by_role("heading", name="Wet proof", exact=True)).to_be_visible()
        self.shot("wet-proof")
        self.read_with_error(0.02)
        p.get_by_role("radio", name="Accept").click()
        p.get_by_role("button", name="Decide").click()
        steps.restore_any()
        steps.sign()

    def read_with_error(self, error):
        """All readings of the set, each off its ideal by `error` mA."""
        p = self.page
        for n in range(1, 11):
            expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_visible()
            # The field may be typed in before the point is shown; what is looked up on the page has to be its own.
            expect(p.locator("p", has_text=re.compile(rf"{n}\s*of 10")).first).to_be_visible()
            ideal = float(p.locator("p", has_text="Ideal").last.inner_text().split("\n")[1].split()[0])
            p.get_by_label("Reading, mA").fill(f"{ideal + error:.3f}")
            p.get_by_label("Reading, mA").press("Enter")
        expect(p.get_by_role("button", name="Record reading 10", exact=True)).to_have_count(0)

    def test_a_set_that_cannot_make_a_point_is_refused(self):
        p = self.page
        p.get_by_role("button", name="LT-5501").first.click()
        p.get_by_label("Tag on the plate").fill("LT-5501")
        p.get_by_label("Serial on the plate").fill("MB-5501")
        for region, code in (("Weights", "MB-W01"), ("Output meter", "MB-I01")):
            p.get_by_role("region", name=region).get_by_role("button", name=code).click()
            expect(p.get_by_role("region", name=region).get_by_role("button", name=code, pressed=True)).to_be_visible()
        p.get_by_label("Air temperature").fill("21")
        p.get_by_role("button", name="Check the plate").click()
        expect(p.get_by_role("heading", name="Weights for each level")).to_be_visible()
        expect(p.get_by_role("cell", name="25.26 %")).to_be_visible()
        self.check_step(p, "Weights for each level")
        p.get_by_label("Weights on hand").fill("1 1")
        p.get_by_role("button", name="Use these loads").click()
        expect(p.get_by_text("bring smaller weights").first).to_be_visible()
        expect(p.get_by_role("heading", name="Weights for each level")).to_be_visible()
