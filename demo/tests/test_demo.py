"""Marram Bay: loaded once, of every family, with history that looks real and chains that hold."""

from collections import Counter
from io import StringIO

from django.core.management import CommandError, call_command
from django.test import TestCase
from django.utils import timezone

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.kit.selectors import standing
from apps.plant.models import FAMILIES, Instrument
from apps.runs.models import Hold, Run, RunEvent


class Elsewhere(TestCase):
    def test_a_real_plant_gets_no_made_up_people(self):
        with self.settings(IS_DEMONSTRATION=False), self.assertRaisesRegex(CommandError, "Nothing was loaded"):
            call_command("load_demo", stdout=StringIO())
        self.assertEqual((Person.objects.count(), Instrument.objects.count()), (0, 0))


class Demo(TestCase):
    @classmethod
    def setUpTestData(cls):
        call_command("load_demo", stdout=StringIO())

    def test_the_register_holds_every_family(self):
        self.assertGreaterEqual(Instrument.objects.count(), 40)
        self.assertEqual(set(Instrument.objects.values_list("family", flat=True)), set(FAMILIES))
        for i in Instrument.objects.select_related("area"):
            i.setup()  # raises when it does not hold together

    def test_a_dozen_transmitters_have_two_years_of_history(self):
        by_instrument = Counter(Run.objects.exclude(signed_at=None).values_list("instrument__tag", flat=True))
        self.assertGreaterEqual(len(by_instrument), 12)
        span = timezone.now() - Run.objects.order_by("started_at").first().started_at
        self.assertGreater(span.days, 500)
        verdicts = set(Run.objects.values_list("found_verdict", "left_verdict"))
        self.assertIn(("fail", "pass"), verdicts)
        self.assertIn(("pass", "pass"), verdicts)

    def test_the_chains_hold_and_a_second_load_changes_nothing(self):
        call_command("verify_chain", stdout=StringIO())
        before = RunEvent.objects.count()
        out = StringIO()
        call_command("load_demo", stdout=out)
        self.assertIn("nothing was changed", out.getvalue())
        self.assertEqual(RunEvent.objects.count(), before)

    def test_one_reference_is_expired_and_one_is_too_coarse(self):
        today = timezone.localdate()
        standings = {r.code: standing(r, today) for r in Reference.objects.all()}
        self.assertEqual(Counter(standings.values())["expired"], 1)
        coarse = Reference.objects.get(code="MB-P05").standard()
        self.assertGreater(coarse.expanded(300.0, unit="kPa"), 0.005 * 600)  # more than the tolerance of PT-1101

    def test_people_of_every_role_and_one_hold_past_its_end(self):
        roles = Counter(Person.objects.values_list("role", flat=True))
        self.assertEqual(set(roles), {"technician", "planner", "reviewer", "administrator"})
        self.assertLessEqual(max(roles.values()), 3)
        hold = Hold.objects.get(released_at=None)
        self.assertLess(hold.until, timezone.now())
