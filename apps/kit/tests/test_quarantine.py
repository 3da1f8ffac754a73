"""The reason that put an item into quarantine decides who may bring it back, and with what."""

from datetime import timedelta

from django.utils import timezone

from apps.kit.models import GasFitting, KitChange, Reference
from apps.kit.quarantine import quarantine_of
from apps.runs.tests.base import PlantTestCase

GOOD = {
    "certificate": "yes", "accessories": "yes", "self_test": "yes", "fail_point": "does not apply", "zero_source": "yes", "span": "yes", "memory": "yes",
}  # fmt: skip


class Quarantine(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def state(self, state, cause="", reason="as it was found", of="reference/MB-P01"):
        return self.post(f"kit/{of}/state/", {"state": state, "reason": reason, "cause": cause})

    def quarantine(self, cause, of="reference/MB-P01"):
        answer = self.state("quarantined", cause, of=of)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def certificate(self, calibrated_on, number="TP-9"):
        form = self.get("kit/reference/MB-P01/").json()["form"]
        dates = {"calibrated_on": calibrated_on.isoformat(), "due_on": (calibrated_on + timedelta(days=365)).isoformat()}
        data = {"values": {**form, "certificate": number, **dates}, "reason": "back from the laboratory"}
        answer = self.client.put("/api/v1/kit/reference/MB-P01/", data, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def check(self, of="reference/MB-P01", **answers):
        answer = self.post(f"kit/{of}/incoming/", {"values": {**GOOD, **answers}})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_a_dropped_reference_comes_back_with_a_certificate_made_since(self):
        today = timezone.localdate()
        self.assertIn("It comes back with a new certificate", self.quarantine("dropped")["quarantine"])
        self.assertFailure(self.state("in service", reason="looks fine to me"), 400, "needs_certificate")
        self.certificate(today - timedelta(days=1))  # of before it was dropped
        self.assertFailure(self.state("in service", reason="has a certificate"), 400, "needs_certificate")
        self.certificate(today, "TP-10")
        self.assertEqual(self.state("in service", reason="calibrated anew").json()["state"], "in service")

    def test_retired_and_taken_back_it_needs_what_it_needed_before(self):
        self.quarantine("dropped")
        self.state("retired")
        body = self.assertFailure(self.state("in service", reason="found in the store"), 400, "needs_certificate")
        self.assertIn("MB-P01 stays retired.", body["message"])
        self.certificate(timezone.localdate())
        self.assertEqual(self.state("in service", reason="calibrated anew").json()["state"], "in service")
        self.state("retired")
        self.assertEqual(
            self.state("in service", reason="needed again").json()["state"], "in service"
        )  # what was settled before is settled

    def test_the_certificate_that_it_had_does_not_count(self):
        Reference.objects.filter(code="MB-P01").update(calibrated_on=timezone.localdate())
        self.quarantine("doubt")
        self.assertFailure(self.state("in service", reason="it has one of today"), 400, "needs_certificate")

    def test_an_incoming_check_does_not_stand_in_for_a_certificate_and_is_kept(self):
        self.quarantine("dropped")
        self.assertEqual(self.check()["state"], "quarantined")
        told = self.get("kit/reference/MB-P01/").json()
        self.assertIn("passed. MB-P01 stays in quarantine", told["changes"][0]["reason"])
        self.assertIn("Self-test clean after its settling time: yes", told["changes"][0]["what"])
        self.assertIn("new certificate", told["quarantine"])  # the check does not make it less

    def test_what_is_damaged_comes_back_with_a_check(self):
        self.quarantine("damaged")
        self.assertFailure(self.state("in service", reason="is repaired now"), 400, "needs_check")
        self.assertEqual(self.check(self_test="no")["state"], "quarantined")
        self.assertEqual(self.check()["state"], "in service")
        self.assertEqual(self.get("kit/reference/MB-P01/").json()["quarantine"], "")

    def test_a_failed_check_asks_for_one_that_it_passes(self):
        self.assertEqual(self.check(accessories="no")["state"], "quarantined")
        self.assertFailure(self.state("in service", reason="was only the bag"), 400, "needs_check")
        self.assertEqual(self.check()["state"], "in service")

    def test_the_worse_reason_counts_whichever_came_first(self):
        for causes, worst in (
            (("dropped", "other"), "dropped"),
            (("other", "damaged"), "damaged"),
            (("damaged", "dropped", "check"), "dropped"),
        ):
            KitChange.objects.all().delete()
            for cause in causes:
                self.quarantine(cause)
            self.assertEqual(quarantine_of("reference", "MB-P01").cause.key, worst, causes)

    def test_by_a_planner_only_and_for_something_else_with_a_word(self):
        self.quarantine("other")
        self.sign_in(self.ines)
        self.assertFailure(self.state("in service", reason="found again"), 403, "not_allowed")
        self.sign_in(self.ruben)
        self.assertEqual(self.state("in service", reason="found again").json()["state"], "in service")

    def test_a_line_has_no_certificate_and_is_checked(self):
        GasFitting.objects.create(code="L-1", kind="line", material="PTFE-lined", length_m=1)
        for cause in ("damaged", "dropped"):
            self.quarantine(cause, of="fitting/L-1")
            self.assertFailure(self.state("in service", reason="washed it", of="fitting/L-1"), 400, "needs_check")
            self.assertEqual(self.check(of="fitting/L-1")["state"], "in service")
