"""Incoming checks over HTTP: a run whose subject is an item of the kit, its record, and where it puts the item."""

from datetime import timedelta
from io import StringIO

from django.core.management import call_command
from django.db import IntegrityError, transaction
from django.utils import timezone

from apps.kit.models import KitChange, Reference
from apps.runs.models import KitUse, Run
from apps.runs.tests.base import PASSWORD, PlantTestCase, make_reference
from apps.runs.tests.test_gas_and_holds import make_gas

LOOKED = {"certificate": "yes", "accessories": "yes"}


class KitCheckCase(PlantTestCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.item = make_reference("MB-D01", unit="%LEL", low=0.0, high=100.0, u=1.0)
        Reference.objects.filter(pk=cls.item.pk).update(kind="portable", gas="methane", name="Portable leak detector", state="quarantined")
        make_gas("G-CH4", "methane")
        make_gas("G-AIR", gas="")

    def setUp(self):
        super().setUp()
        self.sign_in(self.ines)

    def begin(self):
        answer = self.post("runs/", {"item": "MB-D01"})
        self.assertEqual(answer.status_code, 201, answer.content)
        self.run_id, self.seq = answer.json()["id"], answer.json()["view"]["seq"]
        return answer.json()

    def confirm(self, step, **values):
        return self.ok(("step_confirmed", {"step": step, "values": values}))

    def ok(self, *events):
        answer = self.send(*events)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def play(self, *, alarm="6", span="50", self_test="yes"):
        self.begin()
        self.confirm("identity", code="MB-D01", serial="MB-D01")
        self.confirm("papers", **LOOKED)
        self.confirm("self_test", self_test=self_test)
        self.confirm("inlet", threshold="60", alarm_s=alarm)
        self.ok(("timer_started", {"step": "settling"}), ("timer_ended", {"step": "settling", "reason": "Was in this room all day"}))
        for role, code in (("zero", "G-AIR"), ("span", "G-CH4")):
            self.ok(("gas_assigned", {"role": role, "bottle": code, "regulator": "", "line": "", "reason": "No regulator is kept for it"}))
        self.confirm("gas")
        self.ok(*(("reading_taken", {"step": "as_found", "slot": n, "indicated": text}) for n, text in enumerate(("0", span))))
        self.confirm("memory", no_readings="yes", memory_clear="yes")
        return self.confirm("battery", samples="3000", interval_s="10", longest_gap_s="10")

    def decide(self, choice, **more):
        self.ok(("decision_made", {"step": "judge", "choice": choice, **more}))
        return self.post(f"runs/{self.run_id}/sign/", {"expected_seq": self.seq, "password": PASSWORD})


class KitChecks(KitCheckCase):
    def test_a_portable_is_accepted_with_a_signed_record(self):
        begun = self.begin()
        self.assertEqual(begun["view"]["instrument"]["subject"], "kit")
        page = self.get("kit/reference/MB-D01/").json()
        self.assertEqual(page["check_in"]["open_run"], self.run_id)
        self.post(f"runs/{self.run_id}/void/", {"expected_seq": self.seq, "reason": "Only looked"})
        self.play()
        self.assertEqual(self.decide("accept").status_code, 200)
        self.item.refresh_from_db()
        self.assertEqual(self.item.state, "in service")
        page = self.get("kit/reference/MB-D01/").json()
        self.assertIsNone(page["check_in"]["open_run"])
        self.assertEqual([r["decision"] for r in page["check_in"]["results"]], ["accepted into service"])
        self.assertIn("Incoming check VL-", page["changes"][0]["reason"])
        rows = self.get("records/?search=MB-D01&status=signed").json()["rows"]
        self.assertEqual([(r["tag"], r["service"], r["area"]) for r in rows], [("MB-D01", "Portable leak detector", "Kit")])
        pdf = self.get(f"runs/{self.run_id}/certificate.pdf")
        self.assertEqual((pdf.status_code, pdf["Content-Type"]), (200, "application/pdf"))
        self.assertEqual(self.get(f"runs/{self.run_id}/export.csv").status_code, 200)
        self.assertEqual(dict(KitUse.objects.values_list("item", "amount")), {"G-AIR": 1.5, "G-CH4": 1.5})

    def test_one_that_fails_is_quarantined_and_can_not_be_accepted(self):
        Reference.objects.update(state="in service")
        self.play(self_test="no")
        refused = self.send(("decision_made", {"step": "judge", "choice": "accept", "reason": "We need it"}))
        self.assertFailure(refused, 400, "refused_choice")
        self.assertEqual(self.decide("quarantine").status_code, 200)
        self.item.refresh_from_db()
        self.assertEqual(self.item.state, "quarantined")
        told = KitChange.objects.get(code="MB-D01", values__has_key="incoming")
        self.assertIn("self-test is not clean", told.reason)

    def test_what_was_done_to_it_later_stays_when_the_lists_are_made_anew(self):
        self.play()
        self.decide("accept")
        Reference.objects.filter(code="MB-D01").update(state="retired")
        call_command("rebuild_projections", verbosity=0)
        self.item.refresh_from_db()
        self.assertEqual(self.item.state, "retired")
        self.assertEqual(KitChange.objects.filter(code="MB-D01", values__has_key="incoming").count(), 1)

    def test_there_is_one_check_of_an_item_at_a_time(self):
        self.begin()
        self.sign_in(self.tomas)
        told = self.post("runs/", {"item": "MB-D01"})
        self.assertFailure(told, 409, "run_open")
        self.assertEqual(told.json()["details"]["run"], self.run_id)

    def test_it_shows_on_today_without_hiding_what_is_due(self):
        self.begin()
        today = self.get("today/").json()
        self.assertEqual([r["tag"] for r in today["open_mine"]], ["MB-D01"])
        self.assertIn("PT-2110", [r["tag"] for r in today["due"]])

    def test_what_can_not_be_checked_in_by_a_run_says_so(self):
        self.assertFailure(self.post("runs/", {"item": "MB-P01"}), 400, "no_check")
        self.assertFailure(self.post("runs/", {"item": "MB-X"}), 404, "unknown_item")
        Reference.objects.update(gas="")
        self.assertFailure(self.post("runs/", {"item": "MB-D01"}), 400, "no_gas")
        self.assertFailure(self.post("kit/reference/MB-D01/incoming/", {"values": {}}), 400, "check_is_a_run")
        self.sign_in(self.marta)
        Reference.objects.update(gas="methane")
        self.assertFailure(self.post("runs/", {"item": "MB-D01"}), 403, "not_allowed")

    def test_the_plants_own_limits_count(self):
        call_command("set_policy", "alarm_within_s=5", "--method", "kit-incoming", stdout=StringIO())
        self.begin()
        self.confirm("identity", code="MB-D01", serial="MB-D01")
        self.confirm("papers", **LOOKED)
        self.confirm("self_test", self_test="yes")
        self.confirm("inlet", threshold="60", alarm_s="5.1")
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.assertEqual(view["step"]["key"], "inlet_2")
        self.confirm("inlet_2", threshold_2="50", alarm_s_2="5")
        self.assertEqual(self.get(f"runs/{self.run_id}/").json()["view"]["step"]["key"], "settling")

    def test_a_run_has_one_subject(self):
        common = {"technician": self.ines, "method": "kit-incoming", "revision": "1", "started_at": timezone.now() - timedelta(days=1)}
        for n, subject in enumerate(({}, {"instrument": self.instrument, "item": "MB-D01"})):
            with self.subTest(n), transaction.atomic(), self.assertRaises(IntegrityError), transaction.atomic():
                Run.objects.create(number=90 + n, **common, **subject)
