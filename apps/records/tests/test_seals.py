"""A signed record stays what it was: whatever changes afterwards in rules, registers and kit."""

from dataclasses import replace
from io import StringIO
from unittest import mock

from django.core.management import call_command

from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.runs.models import Run, RunEvent
from apps.runs.store import find_broken_link
from apps.runs.tests.base import PlantTestCase
from metrology.judgement import tolerance
from metrology.methods import registry

ACTUAL = tolerance.tolerance_percent


def halved(*args, **kwargs):
    return ACTUAL(*args, **kwargs) / 2


class Seals(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.signed_run()
        self.run = Run.objects.get(pk=self.run_id)

    def surfaces(self):
        """Every surface of the record, as bytes or as the screen gets it."""
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        return (
            self.get(f"runs/{self.run_id}/certificate.pdf").content,
            self.get(f"runs/{self.run_id}/export.csv").content,
            self.get(f"runs/{self.run_id}/export.json").content,
            view,
        )

    def compare(self, *args):
        out = StringIO()
        call_command("compare_seals", *args, stdout=out)
        return out.getvalue()

    def test_the_signature_carries_what_was_judged(self):
        seal = RunEvent.objects.get(run=self.run, type="signed").payload["seal"]
        self.assertEqual(seal["sets"]["as_found"]["verdict"], "pass")
        self.assertEqual(len(seal["sets"]["as_found"]["readings"]), 10)
        self.assertEqual(seal["plant"]["zone"], "Europe/Lisbon")
        self.assertEqual(seal["summary"]["decision"], "leave")
        told = self.get(f"runs/{self.run_id}/").json()["view"]["seal"]
        self.assertTrue(told["is_sealed"])
        self.assertIn("Sealed when it was signed", told["says"])
        self.assertEqual(find_broken_link(self.run), "")

    def test_no_later_change_reaches_the_record(self):
        before = self.surfaces()
        Instrument.objects.update(service="Something else", serial="X", tolerance_value=9.0, urv=900)
        Reference.objects.update(certificate="C-NEW", u_absolute=5.0, laboratory="Elsewhere")
        with mock.patch(RULE, halved), self.settings(PLANT_NAME="Other plant", PLANT_TIME_ZONE="Pacific/Auckland"), raised_revision():
            after = self.surfaces()
        self.assertEqual(before, after)

    def test_lists_are_rebuilt_from_the_seal(self):
        share = self.run.found_share
        with mock.patch(RULE, halved):
            call_command("rebuild_projections", stdout=StringIO())
        self.run.refresh_from_db()
        self.assertEqual(self.run.found_share, share)

    def test_comparing_tells_what_today_would_make_of_it_and_changes_nothing(self):
        self.assertIn("1 sealed records computed anew, 0 would differ", self.compare())
        before = self.surfaces()
        with mock.patch(RULE, halved):
            told = self.compare("--all")
        self.assertIn("a rule was changed without raising either", told)
        self.assertIn("reading 1, tolerance: ±0.50 % on the record, ±0.25 % now", told)
        self.assertIn("1 would differ. Nothing was changed.", told)
        with raised_revision():
            self.assertNotIn("without raising", self.compare())
        self.assertEqual(self.surfaces(), before)

    def test_a_record_from_before_the_seal_says_that_it_is_judged_again(self):
        event = RunEvent.objects.get(run=self.run, type="signed")
        event.payload = {k: v for k, v in event.payload.items() if k != "seal"}
        event.save()
        Run.objects.filter(pk=self.run.pk).update(head="0" * 64)  # what is kept in memory is read anew
        told = self.get(f"runs/{self.run_id}/").json()["view"]["seal"]
        self.assertFalse(told["is_sealed"])
        self.assertIn("judged again with core", told["says"])

    def test_returned_it_is_judged_anew_and_sealed_again(self):
        self.sign_in(self.marta)
        self.assertEqual(self.review("return", "the note is missing").status_code, 200)
        self.sign_in(self.ines)
        self.seq = self.get(f"runs/{self.run_id}/").json()["view"]["seq"]
        self.assertIn("0 sealed records", self.compare())
        self.assertEqual(self.sign().status_code, 200)
        self.assertEqual(RunEvent.objects.filter(run=self.run, type="signed", payload__contains='"seal"').count(), 2)
        self.sign_in(self.marta)
        self.assertEqual(self.review("accept").status_code, 200)
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.assertEqual((view["status"], view["seal"]["is_sealed"], view["reviewed"]["by"]), ("accepted", True, self.marta.name))


RULE = "metrology.methods.trials.curve.tolerance_percent"


def raised_revision():
    """The method of the run at a revision that does not exist yet."""
    return mock.patch.dict(registry.METHODS, {"tx-multipoint": replace(registry.METHODS["tx-multipoint"], revision="99")})
