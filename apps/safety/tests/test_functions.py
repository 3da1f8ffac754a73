"""Safety functions over HTTP: entered and changed with a reason, proved by runs, due by the shorter of interval and proof test, in figures."""

import io
from datetime import timedelta

from django.core.management import call_command
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone
from pypdf import PdfReader

from apps.followups.models import FollowUp
from apps.plant.models import Instrument
from apps.runs.models import Run
from apps.runs.tests.base import PASSWORD, PlantTestCase
from apps.safety.models import FunctionMember, ProofTest, SafetyFunction

FORM = {
    "code": "SIF-1", "name": "High pressure", "level": "2", "mode": "low", "voting": "1oo1", "proof_days": "90", "coverage_percent": "90",
    "life_years": "20", "beta_percent": "0", "rate_per_hour": "3e-7", "other": "0.001", "prevents": "", "source": "",
}  # fmt: skip


class Functions(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def add(self, **more):
        return self.post("functions/", {**FORM, **more})

    def put(self, path, data):
        return self.client.put(f"/api/v1/{path}", data, content_type="application/json")

    def member(self, code="SIF-1", tag="PT-2110", **more):
        return self.put(f"functions/{code}/members/{tag}/", {"trip": "300", "within": "2", "direction": "rising", "since": "", **more})

    def calibrate(self, found, left=None, proved="whole", errors="0.01"):
        """A run of the transmitter from its plate to its signature, with its proof test."""
        self.sign_in(self.ines)
        self.start()
        view = self.forward({"applied": "MB-P01", "indicated": "MB-I01"})
        while view["step"]["kind"] == "readings":
            at = view["step"]["readings"]["next"]
            indicated = f"{float(at['ideal'].split()[0]) + float(errors):.3f}"
            view = self.ok(("reading_taken", {"step": view["step"]["key"], "slot": at["slot"], "indicated": indicated}))["view"]
        self.ok(("step_confirmed", {"step": "proof_found", "values": {"proof:SIF-1": proved, "trip:SIF-1": found}}))
        self.ok(("decision_made", {"step": "judge", "choice": "leave", "reason": "inside"}))
        if proved != "none":
            self.ok(("step_confirmed", {"step": "proof_left", "values": {**({"trip:SIF-1": left} if left else {}), "bypass_min": "30"}}))
        self.ok(("step_confirmed", {"step": "restore", "checks": ["test_gear", "valves", "write_lock", "covers", "tidy"]}))
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": {"reading": "200", "operator": "Control room"}}))
        signed = self.post(f"runs/{self.run_id}/sign/", {"password": PASSWORD, "note": "", "expected_seq": self.seq})
        self.assertEqual(signed.status_code, 200, signed.content)
        return signed.json()["view"]

    def figures(self):
        return {f["name"]: f for f in self.get("functions/SIF-1/").json()["figures"]}

    def test_every_field_is_checked_and_named(self):
        for more, field in (
            ({"code": ""}, "code"), ({"code": "SIF 1"}, "code"), ({"code": "S" * 25}, "code"),
            ({"name": ""}, "name"), ({"level": "5"}, "level"), ({"mode": "often"}, "mode"), ({"voting": "3oo2"}, "voting"),
            ({"proof_days": "0"}, "proof_days"), ({"proof_days": "30.5"}, "proof_days"), ({"proof_days": "3651"}, "proof_days"),
            ({"coverage_percent": "0"}, "coverage_percent"), ({"coverage_percent": "101"}, "coverage_percent"), ({"rate_per_hour": ""}, "rate_per_hour"),
            ({"rate_per_hour": "0.02"}, "rate_per_hour"), ({"other": "0.1"}, "other"), ({"beta_percent": "-1"}, "beta_percent"),
        ):  # fmt: skip
            with self.subTest(**more):
                answer = self.add(**more)
                self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(self.add(other="0.0999").status_code, 201)
        self.assertFailure(self.add(code="sif-1"), 400, "exists")
        self.sign_in(self.ines)
        self.assertFailure(self.add(code="SIF-2"), 403, "not_allowed")

    def test_a_change_wants_its_reason_and_two_editors_do_not_overwrite_each_other(self):
        self.add()
        seen = self.get("functions/SIF-1/").json()["form"]
        self.assertFailure(self.put("functions/SIF-1/", {**seen, "proof_days": "180", "seen": seen}), 400, "missing")
        self.assertEqual(self.put("functions/SIF-1/", {**seen, "prevents": "Burst", "seen": seen}).status_code, 200)  # decides nothing
        changed = self.put("functions/SIF-1/", {**seen, "proof_days": "180", "reason": "SRS rev. 3", "seen": seen})
        self.assertEqual(changed.json()["form"]["prevents"], "Burst")
        self.assertEqual(changed.json()["changes"][0]["what"], "Proof test every: 90 to 180")
        self.assertFailure(self.put("functions/SIF-1/", {**seen, "code": "SIF-9", "reason": "new numbers"}), 400, "code_stays")
        late = self.put("functions/SIF-1/", {**seen, "proof_days": "365", "reason": "SRS rev. 3", "seen": seen})
        self.assertFailure(late, 409, "changed_meanwhile")

    def test_a_member_must_be_able_to_trip_there(self):
        self.add()
        tomorrow = (timezone.localdate() + timedelta(days=1)).isoformat()
        for more, field in (
            ({"trip": "400.1"}, "trip"), ({"trip": ""}, "trip"), ({"within": "-1"}, "within"), ({"direction": "up"}, "direction"),
            ({"since": tomorrow}, "since"), ({"since": "yesterday"}, "since"),
        ):  # fmt: skip
            with self.subTest(**more):
                answer = self.member(**more)
                self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(self.member(trip="400").status_code, 200)
        self.assertFailure(self.member(trip="399"), 400, "missing")
        self.assertEqual(self.member(trip="399", reason="SRS rev. 2").status_code, 200)
        told = self.get("instruments/PT-2110/").json()
        self.assertEqual(told["functions"], [{"code": "SIF-1", "says": "High pressure, SIL 2: trips at 399 ±2 kPa rising"}])
        self.assertFailure(self.post("functions/SIF-1/members/PT-2110/", {"reason": ""}), 400, "missing")
        self.assertEqual(self.post("functions/SIF-1/members/PT-2110/", {"reason": "Replaced by a switch"}).json()["members"], [])

    def test_due_by_the_shorter_of_interval_and_proof_test(self):
        self.add()
        today = timezone.localdate()
        for since, days in ((today - timedelta(days=80), 10), (today - timedelta(days=100), -10)):
            self.member(since=since.isoformat(), reason="as tested")
            due = Instrument.objects.get(tag="PT-2110")
            wanted = min(today, since + timedelta(days=90))  # the register's own date is today
            self.assertEqual(due.next_due, wanted)
            if days < 0:
                self.assertIn("proof test of SIF-1 every 90 days, none since", due.due_why)
        view = self.calibrate("301")
        due = Instrument.objects.get(tag="PT-2110")
        self.assertEqual(due.next_due, today + timedelta(days=90))  # its interval is 365 days
        self.assertIn("proof test of SIF-1 every 90 days, last on", due.due_why)
        self.assertEqual(view["seal"]["plant"]["next_due"], due.next_due.isoformat())
        self.sign_in(self.ruben)
        self.put("functions/SIF-1/", {**self.get("functions/SIF-1/").json()["form"], "proof_days": "400", "reason": "SRS rev. 3"})
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, today + timedelta(days=365))

    def test_what_was_never_calibrated_is_due_as_before_once_no_proof_test_hurries_it(self):
        self.add()
        later = timezone.localdate() + timedelta(days=300)
        Instrument.objects.filter(tag="PT-2110").update(next_due=later)
        self.member(since=(timezone.localdate() - timedelta(days=80)).isoformat())
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, timezone.localdate() + timedelta(days=10))
        self.put("functions/SIF-1/", {**self.get("functions/SIF-1/").json()["form"], "proof_days": "200", "reason": "SRS rev. 3"})
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, timezone.localdate() + timedelta(days=120))
        self.post("functions/SIF-1/members/PT-2110/", {"reason": "Replaced by a switch"})
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, later)

    def test_a_run_without_a_proof_test_leaves_it_due(self):
        self.add()
        since = timezone.localdate() - timedelta(days=60)
        self.member(since=since.isoformat())
        self.calibrate("", proved="none")
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, since + timedelta(days=90))
        self.assertEqual(ProofTest.objects.count(), 0)

    def test_what_was_found_stands_beside_what_was_assumed(self):
        self.add()
        self.member(since=(timezone.localdate() - timedelta(days=365)).isoformat())
        told = self.figures()
        self.assertNotIn("Found failed", told)
        # 3e-7/h: 0.9 x 2160 h + 0.1 x 175 200 h = 19 464 h; half of it and 0.001 of the rest
        assumed = "Average probability of failure on demand, assumed"
        self.assertTrue(told[assumed]["value"].startswith("0.0039, SIL 2: as required"), told[assumed])
        self.calibrate("305", left="300")
        told = self.figures()
        self.assertIn("1 of 1 tests: 100 %", told["Found failed"]["value"])
        self.assertIn("Between 5.1 and 100 %", told["Found failed"]["says"])
        found = told["Average probability of failure on demand, from what was found"]
        self.assertFalse(found["is_met"])
        self.assertIn("1 found failed in 1 sensor years", found["says"])
        self.assertEqual(told["In bypass, last 12 months"]["value"], "0.5 h")

    def test_late_as_found_fails_the_record_opens_a_follow_up_and_is_printed(self):
        self.add()
        self.member()
        view = self.calibrate("305", left="300.5")
        run = Run.objects.get(pk=self.run_id)
        self.assertEqual((run.found_verdict, run.left_verdict), ("fail", "pass"))
        told = FollowUp.objects.get(run=run).estimate
        self.assertTrue(told.startswith("SIF-1: 5 kPa late: on the dangerous side. Its readings were inside their limits."), told)
        self.assertEqual(view["proofs"][0]["found_says"], "5 kPa late: on the dangerous side")
        table = self.client.get(f"/api/v1/runs/{self.run_id}/export.csv").content.decode()
        found, left = (next(line for line in table.splitlines() if f'as {phase}",trip' in line) for phase in ("found", "left"))
        self.assertIn(',305,,,300 ±2 kPa rising,,fail,,,,"SIF-1, SIL 2, whole path",kPa,,bypass 30 min', found)
        self.assertIn(",300.5,,,300 ±2 kPa rising,,pass", left)
        paper = "".join(
            p.extract_text() for p in PdfReader(io.BytesIO(self.client.get(f"/api/v1/runs/{self.run_id}/certificate.pdf").content)).pages
        )
        self.assertIn("5 kPa late: on the", " ".join(paper.split()))
        row = self.get("functions/SIF-1/").json()["tests"][0]
        self.assertEqual((row["found"], row["is_dangerous"], row["left"], row["bypass"]), ("305 kPa", True, "300.5 kPa", "30 min"))

    def test_a_late_trip_is_a_fail_to_the_staircase(self):
        self.add(proof_days="3000")
        self.member()
        Instrument.objects.filter(tag="PT-2110").update(due_rule="staircase", interval_days=200)
        for found, days in (("301", 200), ("305", 100)):
            Run.objects.filter(instrument__tag="PT-2110").update(ended_at=timezone.localtime() - timedelta(days=200))
            self.calibrate(found, left="300" if found == "305" else None)
            self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, timezone.localdate() + timedelta(days=days))

    def test_tests_are_made_anew_from_the_records_and_a_voided_one_is_none(self):
        self.add()
        self.member()
        self.calibrate("300")
        ProofTest.objects.all().delete()
        call_command("rebuild_projections", verbosity=0)
        self.assertEqual(ProofTest.objects.get().found, 300.0)
        self.sign_in(self.marta)
        self.seq += 1
        self.review("return", reason="Wrong instrument")
        self.sign_in(self.holt)
        voided = self.post(f"runs/{self.run_id}/void/", {"reason": "Wrong instrument stood there", "expected_seq": self.seq + 1})
        self.assertEqual(voided.status_code, 200, voided.content)
        self.assertEqual(ProofTest.objects.count(), 0)

    def test_the_queries_of_the_list_do_not_grow_with_it(self):
        self.add()
        self.member()
        with CaptureQueriesContext(connection) as few:
            self.get("functions/")
        for n in range(2, 6):
            self.add(code=f"SIF-{n}")
            self.member(code=f"SIF-{n}")
        with CaptureQueriesContext(connection) as many:
            self.assertEqual(len(self.get("functions/").json()["rows"]), 5)
        self.assertEqual(len(many), len(few))

    def test_the_list_tells_what_is_overdue_first(self):
        self.add(code="SIF-0")
        self.add()
        self.member(since=(timezone.localdate() - timedelta(days=90)).isoformat())
        self.assertEqual([(f["code"], f["overdue"]) for f in self.get("functions/").json()["rows"]], [("SIF-0", 0), ("SIF-1", 0)])
        FunctionMember.objects.update(since=timezone.localdate() - timedelta(days=91))
        self.assertEqual([(f["code"], f["overdue"]) for f in self.get("functions/").json()["rows"]], [("SIF-1", 1), ("SIF-0", 0)])
        self.assertFailure(self.get("functions/SIF-9/"), 404, "unknown_function")
        self.assertEqual(SafetyFunction.objects.count(), 2)
