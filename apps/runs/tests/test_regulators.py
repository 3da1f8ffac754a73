"""Where a regulator is and whether it keeps its purge: by what was told last, whatever is projected again afterwards."""

from datetime import timedelta

from django.utils import timezone

from apps.kit.models import GasFitting
from apps.kit.register import edit_item
from apps.runs.projections import _project_fittings
from apps.runs.tests.base import PlantTestCase
from metrology.tests.test_trace_oxygen import TracePlay, span


class Regulators(PlantTestCase):
    def setUp(self):
        GasFitting.objects.create(code="R-S", kind="regulator", material="stainless steel", flow_l_min=0.5)

    def run_on(self, bottle="B-O2", left="", later_days=0):
        """A run with the regulator on a bottle, ended where it is told how that was left."""
        p = TracePlay(gas=span(code=bottle))
        p.now += timedelta(days=later_days)
        p.at_readings()
        if left:
            p.expose("80").decide("leave")
            p.forward("sign", regulator_left=left)
        _project_fittings(p.state)
        return p

    @property
    def fitting(self):
        return GasFitting.objects.get(code="R-S")

    def test_left_on_it_keeps_its_purge_and_taken_off_it_does_not(self):
        for left, stays in (("", ""), ("on", "B-O2"), ("off", "")):
            with self.subTest(left=left):
                GasFitting.objects.update(stays_on="", purged_on=None, place_told_at=None)
                self.run_on(left=left)
                self.assertEqual((self.fitting.stays_on, self.fitting.purged_on is not None), (stays, bool(stays)))

    def test_a_review_of_the_earlier_run_does_not_bring_back_a_purge_that_was_lost(self):
        earlier = self.run_on(left="on")
        self.run_on("B-OTHER", later_days=1)
        self.assertEqual(self.fitting.stays_on, "")
        _project_fittings(earlier.state)  # as it is reviewed, or everything is rebuilt
        self.assertEqual((self.fitting.stays_on, self.fitting.purged_on), ("", None))

    def test_it_keeps_the_day_of_its_purge_while_it_stays(self):
        self.run_on(left="on")
        day = self.fitting.purged_on
        self.run_on(left="on", later_days=30)
        self.assertEqual((self.fitting.stays_on, self.fitting.purged_on), ("B-O2", day))

    def test_taken_off_outside_a_run_it_is_told_so_by_hand(self):
        earlier = self.run_on(left="on")
        edit_item(
            actor=self.ruben,
            group="fitting",
            code="R-S",
            data={"stays_on": "", "reason": "taken off"},
            now=timezone.now() + timedelta(days=3650),
        )
        _project_fittings(earlier.state)
        self.assertEqual(self.fitting.stays_on, "")
