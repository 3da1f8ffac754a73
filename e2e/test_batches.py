"""Temperature sensors in blocks together: four picked, placed, begun, taken by themselves, put back and signed in one go, counted."""

import re

from django.utils import timezone
from playwright.sync_api import expect

from apps.batches.models import Batch
from apps.kit.models import Reference
from apps.plant.models import Area, Instrument
from apps.runs.models import Hold, Run
from e2e.base import PASSWORD
from e2e.bench import QUICK, BenchJourney
from e2e.cost import cost, count_from_here

FOUR = ("TE-A", "TE-A2", "TE-B2", "TE-A3")  # the last one's wires carry resistance
MOST = 25


class SensorsTogether(BenchJourney):
    def setUp(self):
        super().setUp()
        Reference.objects.filter(code="MB-B01").update(kind="block", wells=3)
        Reference.objects.filter(code__startswith="MB-T0").update(kind="probe")
        Reference.objects.filter(code="MB-R01").update(kind="meter")
        second = Reference.objects.get(code="MB-B01")
        second.pk, second.code = None, "MB-B02"
        second.save()
        one = Instrument.objects.get(tag="TE-A")
        for tag in FOUR[1:]:
            one.pk, one.tag, one.serial = None, tag, f"SN-{tag}"
            one.save()
        Instrument.objects.filter(tag="TE-B").update(next_due=None)
        Instrument.objects.exclude(tag__in=FOUR).update(policy=QUICK)
        Area.objects.filter(code="RO").update(needs_permit=True)

    def typed(self, label, text, nth=0):
        """One action: a field filled."""
        self.page.get_by_label(label, exact=True).nth(nth).fill(text)
        self.actions += 1

    def tapped(self, what):
        """One action: something pressed."""
        what.click()
        self.actions += 1

    def test_four_sensors_from_today_to_signed_in_at_most_25_actions(self):
        p, self.actions = self.page, 0
        p.goto("/")
        count_from_here(p)
        p.reload()
        self.tapped(p.get_by_role("link", name="Plan", exact=True))
        self.tapped(p.get_by_role("link", name="Several at once on the bench"))
        for tag in FOUR:
            self.tapped(p.get_by_role("checkbox", name=re.compile(f"^{tag},")))
        wells = p.get_by_role("region", name="Wells")
        expect(wells.get_by_text("MB-B02")).to_have_count(4)  # offered in each list of blocks
        expect(wells).to_contain_text(re.compile("TE-B2.*well 1", re.S))
        self.check(p, "a new batch")
        for n, tag in enumerate(FOUR):
            self.typed("Serial on its plate", Instrument.objects.get(tag=tag).serial.lower(), n)
        self.typed("Air temperature, °C", "21")
        self.typed("Operator told (name)", "Control room")
        self.typed("Permit number", "P-7")
        p.get_by_label("How the signals are held").select_option(label="Inhibit: signal held from tripping")
        self.actions += 1
        p.get_by_role("button", name="They stand in their wells: start 4").dblclick()  # a glove that bounces
        self.actions += 1
        expect(p.get_by_role("cell", name=re.compile("at work, on hold"))).to_have_count(4)
        self.assertEqual((Batch.objects.count(), Hold.objects.filter(released_at=None).count()), (1, 4))
        self.check(p, "a batch under way")
        p.reload()  # nothing hangs on the page
        plain = p.get_by_role("cell", name=re.compile("to be put back"))
        expect(plain).to_have_count(3, timeout=240_000)
        expect(p.get_by_role("cell", name=re.compile("to be decided in its run"))).to_have_count(1)
        self.check(p, "a batch to be put back")
        for tag in FOUR[:3]:
            self.typed(f"{tag}: Normal reading seen, in °C", "40")
        self.tapped(p.get_by_role("button", name="They are back, their holds are off"))
        expect(p.get_by_role("cell", name="ready to sign")).to_have_count(3)
        self.tapped(p.get_by_role("button", name="Sign 3 records"))
        self.typed("Password", PASSWORD)
        self.tapped(p.get_by_role("button", name=re.compile("^Sign as")))
        expect(p.get_by_role("cell", name="signed", exact=True)).to_have_count(3)
        cost(p, f"four temperature sensors together ({self.actions} actions)")
        self.assertLessEqual(self.actions, MOST)
        self.assertEqual(Run.objects.filter(status="signed", found_verdict="pass").count(), 3)
        self.assertEqual([h.instrument.tag for h in Hold.objects.filter(released_at=None)], ["TE-A3"])  # what is not plain keeps its hold
        p.goto("/batch")
        expect(p.get_by_role("region", name="Batches under way")).to_contain_text("TE-A3")

    def test_a_wrong_plate_and_a_second_batch_are_refused_and_nothing_is_lost(self):
        p, self.actions = self.page, 0
        p.goto("/batch")
        for tag in FOUR[:2]:
            p.get_by_role("checkbox", name=re.compile(f"^{tag},")).click()
        self.typed("Serial on its plate", Instrument.objects.get(tag=FOUR[0]).serial, 0)
        self.typed("Serial on its plate", "SN-TE-A3", 1)
        self.typed("Operator told (name)", "Control room")
        p.get_by_role("button", name=re.compile("start 2$")).click()
        expect(p.get_by_text("Serial on the plate of TE-A2: 'SN-TE-A3' is not what the register has").first).to_be_visible()
        expect(p.get_by_label("Operator told (name)")).to_have_value("Control room")
        self.assertEqual(Run.objects.count(), 0)
        self.typed("Serial on its plate", "sn te a2", 1)
        self.typed("Air temperature, °C", "21")
        self.typed("Permit number", "P-7")
        p.get_by_label("How the signals are held").select_option(label="Inhibit: signal held from tripping")
        p.get_by_role("button", name=re.compile("start 2$")).click()
        expect(p.get_by_role("cell", name=re.compile("at work, on hold"))).to_have_count(2)
        p.get_by_role("button", name="Stop it").click()
        expect(p.get_by_role("region", name="Capture")).to_contain_text("Stopped by")
        p.get_by_role("button", name="Take the points").click()
        expect(p.get_by_role("button", name="Stop it")).to_be_visible()
        p.goto("/batch")
        expect(p.get_by_role("checkbox", name=re.compile(f"^{FOUR[0]},"))).to_have_count(0)  # under way already
        self.assertEqual(timezone.localdate(Hold.objects.first().placed_at), timezone.localdate())
