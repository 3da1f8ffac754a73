"""Follow-ups over HTTP: opened by a record that found its instrument outside, answered by one, closed by another, never overwritten."""

from datetime import timedelta

from django.utils import timezone

from apps.followups.models import FollowUp
from apps.runs.models import Run
from apps.runs.tests.base import CHECKS, PASSWORD, PlantTestCase

OFF = ["4.20", "8.20", "12.20", "16.20", "20.20", "20.20", "16.20", "12.20", "8.20", "4.20"]
FULL = {"impact": "Blend 212 to 219 checked", "told": "Shift lead, 10:15", "cause": "Head filled with salt", "action": "Purge monthly"}


class FollowUps(PlantTestCase):
    def run_outside(self):
        self.prepare()
        self.read(OFF)
        judge = {"step": "judge", "choice": "replace", "reason": "no spare is here"}
        view = self.ok(("decision_made", judge), ("step_confirmed", {"step": "restore", "checks": CHECKS["restore"]}))["view"]
        hold = view["holds"][0]["id"]
        self.ok(("hold_released", {"hold": hold, "values": {"reading": "212", "operator": "Control"}}))
        answer = self.sign()
        self.assertEqual(answer.status_code, 200, answer.content)

    def only(self):
        return FollowUp.objects.get()

    def put(self, values, version=None, of=None):
        of = of or self.only()
        data = {"values": values, "version": of.version if version is None else version}
        return self.client.put(f"/api/v1/follow-ups/{of.pk}/", data, content_type="application/json")

    def close(self, note=""):
        return self.post(f"follow-ups/{self.only().pk}/close/", {"note": note})

    def test_found_inside_opens_nothing(self):
        self.signed_run()
        self.assertFalse(FollowUp.objects.exists())

    def test_found_outside_stays_open_until_another_closes_it(self):
        self.run_outside()
        listed = self.get("follow-ups/").json()
        self.assertEqual((listed["open"], listed["closed"], listed["rows"][0]["tag"]), (1, 0, "PT-2110"))
        self.assertIn("+1.25 % of span", listed["rows"][0]["estimate"])  # 0.20 of 16 mA
        self.assertEqual(len(listed["rows"][0]["missing"]), 4)
        self.assertEqual(self.put(FULL).json()["missing"], [])
        self.assertFailure(self.close(), 403, "not_allowed")  # technicians close none
        self.sign_in(self.ruben)
        self.assertEqual(self.put({"told": "Shift lead and quality"}).status_code, 200)
        self.assertFailure(self.close(), 403, "own_work")
        self.sign_in(self.marta)
        body = self.close("Seen with the shift lead").json()
        self.assertEqual((body["is_open"], body["closed_by"], body["note"]), (False, self.marta.name, "Seen with the shift lead"))
        self.assertEqual(self.get("follow-ups/").json()["open"], 0)
        self.assertEqual(self.get("follow-ups/?closed=1").json()["rows"][0]["number"], Run.objects.get().label)
        self.assertFailure(self.close(), 400, "closed")
        self.assertFailure(self.put({"told": "somebody else"}), 400, "closed")
        self.assertEqual([c["by"] for c in body["changes"]], [self.ines.name, self.ruben.name])

    def test_nothing_is_closed_while_an_answer_is_missing(self):
        self.run_outside()
        for name in FULL:
            self.put({**FULL, name: "no" if name == "cause" else ""})
            self.sign_in(self.marta)
            fault = self.close().json()
            fields = [f["field"] for f in fault["details"]["faults"]] if "faults" in fault["details"] else [fault["field"]]
            self.assertEqual(fields, [name])
            self.sign_in(self.ines)

    def test_what_another_wrote_meanwhile_is_not_overwritten(self):
        self.run_outside()
        self.put({"cause": "Salt in the head"}, version=0)
        self.sign_in(self.ruben)
        answer = self.put({"cause": "Wrong range"}, version=0)
        self.assertFailure(answer, 409, "changed_meanwhile")
        self.assertIn("Ines Calder wrote here", answer.json()["message"])
        self.assertEqual(self.put({"cause": "Salt in the head"}, version=0).status_code, 200)  # the same is no change
        self.assertEqual(self.only().cause, "Salt in the head")

    def test_a_text_that_is_too_long_is_refused_whole(self):
        self.run_outside()
        for length, code in ((4000, 200), (4001, 400)):
            self.assertEqual(self.put({"impact": "x" * length}).status_code, code)

    def test_a_record_that_is_voided_ends_it(self):
        self.run_outside()
        self.sign_in(self.marta)
        self.assertEqual(self.review("return", "The plate is of another one").status_code, 200)
        self.assertEqual(self.get("follow-ups/").json()["open"], 1)  # returned is not ended
        self.sign_in(self.ines)
        self.seq = self.get(f"runs/{self.run_id}/").json()["view"]["seq"]
        answer = self.post(
            f"runs/{self.run_id}/void/", {"expected_seq": self.seq, "reason": "Done on the wrong instrument", "password": PASSWORD}
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(self.only().ended, "Its record was voided.")
        self.assertEqual(self.get("follow-ups/").json()["open"], 0)

    def test_when_it_was_last_good(self):
        self.signed_run()
        Run.objects.update(ended_at=timezone.localtime() - timedelta(days=41))  # by the plant's clock: summer time may have ended since
        self.run_outside()
        self.assertIn("in the 41 days since then", self.only().estimate)

    def test_days_and_a_stranger(self):
        self.run_outside()
        FollowUp.objects.update(opened_at=timezone.localtime() - timedelta(days=12))
        self.assertEqual(self.get("follow-ups/").json()["rows"][0]["days"], 12)
        self.assertFailure(self.client.get("/api/v1/follow-ups/00000000-0000-0000-0000-000000000000/"), 404, "unknown_follow_up")
        self.client.logout()
        self.assertEqual(self.client.get("/api/v1/follow-ups/").status_code, 401)
