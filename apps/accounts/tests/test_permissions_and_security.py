"""Who may do what, as a table, each row tried allowed and refused; and the attacks that must bounce."""

import json
import uuid

from django.test import Client

from apps.accounts.models import Person
from apps.accounts.policy import PERMISSIONS, is_allowed
from apps.runs.models import Run, RunEvent
from apps.runs.tests.base import PASSWORD, PlantTestCase

ROLES = {"ines": "technician", "ruben": "planner", "marta": "reviewer", "holt": "administrator"}
FORM = {"tag": "PT-9", "serial": "S", "service": "Service", "area": "RO", "unit": "kPa", "lrv": "0", "urv": "100", "tolerance_value": "0.5"}


class Permissions(PlantTestCase):
    def test_the_table_holds_for_every_role_and_action(self):
        expected = {
            "start a run": {"technician"},
            "work on a run": {"technician"},
            "sign a run": {"technician"},
            "countersign a record": set(ROLES.values()),
            "void a run": {"technician", "administrator"},
            "end another's hold": {"reviewer", "administrator"},
            "review a record": {"reviewer"},
            "override a reference": {"reviewer"},
            "report what happened": {"technician", "planner"},
            "plan the work": {"planner", "administrator"},
            "approve a deferral": {"reviewer", "administrator"},
            "answer a follow-up": set(ROLES.values()),
            "close a follow-up": {"planner", "reviewer", "administrator"},
            "look after people": {"administrator"},
            "look after the evidence": {"reviewer", "administrator"},
            "give a qualification": {"planner", "administrator"},
            "set a policy": {"reviewer", "administrator"},
            "edit the kit": {"planner", "administrator"},
            "quarantine kit": set(ROLES.values()),
            "check kit in": {"technician", "planner"},
            "edit the plant": {"planner", "administrator"},
            "read": set(ROLES.values()),
        }
        self.assertEqual(set(expected), set(PERMISSIONS))
        for username, role in ROLES.items():
            for action, allowed in expected.items():
                with self.subTest(role=role, action=action):
                    self.assertEqual(is_allowed(getattr(self, username), action), role in allowed)

    def test_every_door_is_shut_to_the_wrong_role(self):
        self.signed_run()
        at = f"runs/{self.run_id}"
        event = {"id": str(uuid.uuid4()), "type": "note_added", "payload": {"text": "hello"}}
        doors = (
            ("runs/", {"tag": "PT-2110"}, {"technician"}),
            (f"{at}/events/", {"expected_seq": self.seq, "events": [event]}, {"technician"}),
            (f"{at}/sign/", {"expected_seq": self.seq, "password": PASSWORD}, {"technician"}),
            (f"{at}/review/", {"expected_seq": self.seq, "verdict": "accept", "password": PASSWORD}, {"reviewer"}),
            (f"{at}/void/", {"expected_seq": self.seq, "reason": "no"}, {"technician", "administrator"}),
            ("instruments/", FORM, {"planner", "administrator"}),
            ("instruments/PT-2110/defer/", {"until": "2030-01-01", "reason": "because"}, {"planner", "administrator"}),
            ("instruments/PT-2110/happened/", {"kind": "moved"}, {"technician", "planner"}),
            (
                "plans/",
                {"day": "2030-01-01", "crew": [{"username": "ines", "start": "07:00", "end": "15:00"}]},
                {"planner", "administrator"},
            ),
            ("kit/reference/", {"values": {}}, {"planner", "administrator"}),
        )
        count = RunEvent.objects.count()
        for path, body, allowed in doors:
            for username, role in ROLES.items():
                if role in allowed:
                    continue
                self.sign_in(getattr(self, username))
                with self.subTest(path=path, role=role):
                    self.assertFailure(self.post(path, body), 403, "not_allowed")
        self.assertEqual(RunEvent.objects.count(), count)

    def test_nothing_is_told_to_a_stranger(self):
        self.signed_run()
        self.client.logout()
        for path in (
            "today/",
            "instruments/",
            "instruments/PT-2110/",
            "references/",
            "records/",
            "holds/",
            f"runs/{self.run_id}/",
            f"runs/{self.run_id}/log/",
            f"runs/{self.run_id}/certificate.pdf",
            f"runs/{self.run_id}/export.csv",
            f"runs/{self.run_id}/export.json",
            "calculators/",
            "due/",
            "plans/",
            "feeds/",
            "kit/",
            "kit/reference/MB-P01/",
            "imports/",
            "exports/instruments/",
            "labels/",
            "find/?code=PT-2110",
        ):
            with self.subTest(path=path):
                self.assertFailure(self.get(path), 401, "not_signed_in")

    def test_a_person_who_left_is_shut_out(self):
        self.ines.is_active = False
        self.ines.save()
        self.assertEqual(self.get("today/").status_code, 401)


class Attacks(PlantTestCase):
    def test_a_post_from_another_site_is_refused_signed_in_or_not(self):
        strict = Client(enforce_csrf_checks=True)
        answer = strict.post("/api/v1/session/", {"username": "ines", "password": PASSWORD}, content_type="application/json")
        self.assertEqual(answer.status_code, 403)
        strict.force_login(self.ines, backend="apps.accounts.sessions.Passwords")
        answer = strict.post("/api/v1/runs/", {"tag": "PT-2110"}, content_type="application/json")
        self.assertEqual(answer.status_code, 403)
        self.assertEqual(Run.objects.count(), 0)

    def test_an_oversized_body_is_refused_before_it_is_read(self):
        answer = self.client.post("/api/v1/runs/", data=b"x" * (1024 * 1024 + 1), content_type="application/json")
        self.assertFailure(answer, 413, "too_large")

    def test_bad_json_gives_a_sentence_and_never_a_500(self):
        self.start()
        for body in (
            b"{",
            b"[1,2",
            b"\xff\xfe",
            b'{"tag": NaN}',
            b"null",
            b'"x"',
            b"[]",
            b"[" * 5000,
            b'{"tag": {"a": 1}}',
            b'{"tag": 1e999}',
        ):
            for path in (
                "runs/",
                f"runs/{self.run_id}/events/",
                f"runs/{self.run_id}/sign/",
                "instruments/",
                "calculators/signal/",
                "session/",
                "plans/",
                "kit/reference/",
                "kit/reference/MB-P01/state/",
                "instruments/PT-2110/happened/",
            ):
                with self.subTest(path=path, body=body[:20]):
                    answer = self.client.post(f"/api/v1/{path}", data=body, content_type="application/json")
                    self.assertIn(answer.status_code, (400, 403, 404), answer.content[:200])
                    self.assertTrue(answer.json()["message" if "message" in answer.json() else "error"])

    def test_payloads_of_the_wrong_shape_never_give_a_500(self):
        self.prepare()
        odd = (
            {},
            {"step": None},
            {"step": ["a"]},
            {"step": "as_found", "slot": "0", "indicated": {"a": 1}},
            {"step": "as_found", "slot": 1e9},
            {"step": "as_found", "slot": 0, "indicated": "9" * 5000},
            {"step": "judge", "choice": {"x": 1}},
            {"values": [1, 2], "step": "restore"},
            {"hold": {"a": 2}},
            {"reading": []},
            {"role": {}, "code": []},
            {"text": {"a": 1}},
            {"step": "hold", "kind": [1]},
            {"step": "as_found", "slot": True, "indicated": "4"},
            {"checks": 3, "step": "cautions"},
            {"text": "\u0000"},
        )
        for kind in (
            "step_confirmed",
            "timer_started",
            "timer_ended",
            "hold_placed",
            "hold_released",
            "reference_assigned",
            "reading_taken",
            "reading_struck",
            "adjustment_made",
            "decision_made",
            "note_added",
            "nonsense",
        ):
            for payload in odd:
                with self.subTest(kind=kind, payload=str(payload)[:60]):
                    answer = self.send((kind, payload))
                    self.assertIn(answer.status_code, (200, 400, 404, 409), answer.content[:300])

    def test_a_script_in_a_note_stays_text_everywhere(self):
        script = "<script>alert(1)</script><b>&amp; =1+1"
        self.to_sign()
        self.ok(("note_added", {"text": script}))
        self.sign()
        self.assertEqual(self.get(f"runs/{self.run_id}/").json()["view"]["notes"][-1]["text"], script)
        self.assertEqual(self.get(f"runs/{self.run_id}/certificate.pdf").status_code, 200)
        page = self.client.get("/records")
        policy = page.headers["Content-Security-Policy"]
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe-inline", policy)

    def test_cells_of_the_export_are_no_formulas(self):
        self.prepare()
        self.read(["4.01"])
        row = self.get(f"runs/{self.run_id}/").json()["view"]["evidence"][0]["rows"][0]
        self.ok(("reading_struck", {"reading": row["id"], "reason": "=cmd|calc"}))
        text = self.get(f"runs/{self.run_id}/export.csv").content.decode("utf-8-sig")
        self.assertIn("'=cmd|calc", text)
        self.assertIn(",4.01,", text)

    def test_safe_headers_and_cookies(self):
        answer = self.client.get("/")
        self.assertEqual(answer.headers["X-Frame-Options"], "DENY")
        self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
        signed_in = Client().post("/api/v1/session/", {"username": "ines", "password": PASSWORD}, content_type="application/json")
        self.assertTrue(signed_in.cookies["sessionid"]["httponly"])
        self.assertEqual(signed_in.cookies["sessionid"]["samesite"], "Lax")

    def test_what_is_somebodys_is_kept_nowhere_on_the_way(self):
        for path in ("today/", "instruments/", "session/", "nothing-there/"):
            self.assertEqual(self.get(path).headers["Cache-Control"], "private, no-store", path)
        self.client.logout()
        self.assertEqual(self.get("today/").headers["Cache-Control"], "private, no-store")

    def test_a_superuser_is_an_administrator(self):
        made = Person.objects.create_superuser("root", password=PASSWORD)
        self.assertEqual((made.role, made.is_superuser), ("administrator", True))

    def test_wrong_passwords_are_throttled(self):
        self.client.logout()
        for _ in range(9):
            answer = self.post("session/", {"username": "ines", "password": "wrong"})
        self.assertFailure(answer, 429, "locked_out")
        self.assertFailure(self.post("session/", {"username": "ines", "password": PASSWORD}), 429, "locked_out")

    def test_odd_addresses_have_an_answer(self):
        for path in (
            "runs/not-a-uuid/",
            f"runs/{uuid.uuid4()}/",
            "nowhere/",
            "records/?page=-1&search=%27%20or%201=1",
            "records/?page=99999999",
            "instruments/?search=%00",
            "instruments/%2e%2e%2f/",
        ):
            with self.subTest(path=path):
                self.assertIn(self.get(path).status_code, (200, 400, 404))
        self.assertEqual(json.loads(self.get("nowhere/").content)["code"], "not_found")
