"""Signing, reviewing, overriding, voiding: who may, when, and what is printed."""

import uuid
from io import BytesIO

from pypdf import PdfReader

from apps.runs.models import Run
from apps.runs.tests.base import GOOD, PASSWORD, PlantTestCase


class Signing(PlantTestCase):
    def test_signing_is_refused_while_anything_is_open_and_says_what(self):
        self.prepare()
        body = self.assertFailure(self.sign(), 400, "still_open")
        self.assertTrue(any("inhibit" in b for b in body["details"]["blocks"]))
        self.assertTrue(any("As found" in b for b in body["details"]["blocks"]))

    def test_a_wrong_password_signs_nothing_and_many_lock_out(self):
        self.to_sign()
        self.assertFailure(self.sign(password="not-mine"), 400, "wrong_password")
        self.assertEqual(Run.objects.get().status, "open")
        for _ in range(8):
            answer = self.sign(password="not-mine")
        self.assertFailure(answer, 429, "locked_out")
        self.assertFailure(self.sign(), 429, "locked_out")

    def test_an_empty_password_is_asked_for(self):
        self.to_sign()
        self.assertFailure(self.sign(password=""), 400, "missing")

    def test_somebody_who_did_not_work_on_it_cannot_sign_it(self):
        self.to_sign()
        self.sign_in(self.tomas)
        self.assertFailure(self.sign(), 403, "not_yours")

    def test_a_note_does_not_make_a_signer(self):
        self.to_sign()
        self.sign_in(self.tomas)
        self.ok(("note_added", {"text": "seen in passing"}))
        self.assertFailure(self.sign(), 403, "not_yours")
        self.sign_in(self.ines)
        self.assertEqual(self.sign().status_code, 200)

    def test_a_signature_cannot_be_appended_as_an_event(self):
        self.to_sign()
        for kind in ("signed", "countersigned", "reviewed", "returned", "voided", "run_started"):
            self.assertFailure(self.send((kind, {"note": ""})), 400, "unknown_event")

    def test_nothing_can_be_added_after_the_signature_but_a_note(self):
        self.signed_run()
        self.assertFailure(self.send(("step_confirmed", {"step": "restore"})), 400, "signed")
        self.ok(("note_added", {"text": "seen again next day"}))


class Countersigning(PlantTestCase):
    def test_others_put_their_name_under_it_saying_as_what(self):
        self.prepare()
        self.sign_in(self.tomas)
        self.read(GOOD[:2])
        self.assertFailure(self.countersign("part"), 400, "not_signed")
        self.sign_in(self.ines)
        self.read(GOOD[2:], first=2)
        self.put_back()
        self.assertEqual(self.sign().status_code, 200)
        self.assertFailure(self.countersign("part"), 403, "signed_already")
        self.sign_in(self.tomas)
        self.assertFailure(self.countersign("part", password="not-mine"), 400, "wrong_password")
        self.assertFailure(self.countersign(""), 400, "wrong_capacity")
        self.assertFailure(self.countersign("witness"), 400, "wrong_capacity")
        told = self.countersign("part", "readings 1 and 2").json()["view"]
        self.assertEqual(
            [(n["by"], n["kind"], n["text"]) for n in told["countersigned"]],
            [(self.tomas.name, "who did part of the work", "readings 1 and 2")],
        )
        self.assertFailure(self.countersign("part"), 403, "signed_already")
        self.sign_in(self.ruben)
        self.assertFailure(self.countersign("part"), 400, "wrong_capacity")
        self.assertFailure(self.countersign("friend"), 400, "unknown_choice")
        self.assertEqual(len(self.countersign("witness").json()["view"]["countersigned"]), 2)
        pdf = self.get(f"runs/{self.run_id}/certificate.pdf").content
        text = " ".join(" ".join(page.extract_text() for page in PdfReader(BytesIO(pdf)).pages).split())
        self.assertIn(f"Countersigned by {self.tomas.name}, who did part of the work,", text)
        self.assertIn(f"Countersigned by {self.ruben.name}, who saw it done,", text)
        log = [e["what"] for e in self.get(f"runs/{self.run_id}/log/").json()]
        self.assertIn("countersigned, as who did part of the work: readings 1 and 2", log)

    def test_who_countersigned_does_not_review_and_a_return_takes_their_names_off(self):
        self.signed_run()
        self.sign_in(self.marta)
        self.assertEqual(self.countersign("answers").status_code, 200)
        self.assertFailure(self.review("accept"), 403, "own_work")
        self.tomas.role = "reviewer"
        self.tomas.save()
        self.sign_in(self.tomas)
        told = self.review("return", "Which valve?").json()["view"]
        self.assertEqual(told["countersigned"], [])
        self.seq = told["seq"]
        self.sign_in(self.ines)
        self.assertEqual(self.sign().json()["view"]["countersigned"], [])
        self.sign_in(self.marta)
        self.assertEqual(self.countersign("answers").status_code, 200)

    def test_nothing_is_added_to_an_accepted_record(self):
        self.assertEqual([c["value"] for c in self.signed_run()["view"]["can_countersign"]], ["part", "witness", "answers"])
        self.sign_in(self.marta)
        told = self.review("accept").json()["view"]
        self.assertEqual(told["can_countersign"], [])
        self.seq = told["seq"]
        self.sign_in(self.tomas)
        self.assertFailure(self.countersign("witness"), 400, "accepted")


class Reviewing(PlantTestCase):
    def test_returned_with_a_reason_answered_signed_again_and_accepted(self):
        self.signed_run()
        self.sign_in(self.marta)
        self.assertFailure(self.review("return"), 400, "missing")
        self.assertFailure(self.review("return", "Which valve?", password="wrong"), 400, "wrong_password")
        answer = self.review("return", "Which valve?")
        self.assertEqual(answer.json()["view"]["status"], "returned")
        self.sign_in(self.ines)
        self.seq = answer.json()["view"]["seq"]
        self.assertEqual(self.sign(note="V-12").status_code, 200)
        self.sign_in(self.marta)
        self.assertEqual(self.review("accept").json()["view"]["status"], "accepted")
        self.assertFailure(self.review("accept"), 409, "stale")

    def test_an_unsigned_run_cannot_be_reviewed(self):
        self.to_sign()
        self.sign_in(self.marta)
        self.assertFailure(self.review("accept"), 400, "not_signed")

    def test_nobody_reviews_their_own_work(self):
        self.signed_run()
        self.ines.role = "reviewer"
        self.ines.save()
        self.assertFailure(self.review("accept"), 403, "own_work")


class Overriding(PlantTestCase):
    def override(self, reviewer="marta", reason="the spare is away", password=PASSWORD):
        return self.post(
            f"runs/{self.run_id}/override-reference/",
            {
                "expected_seq": self.seq,
                "id": str(uuid.uuid4()),
                "role": "applied",
                "code": "MB-P04",
                "reason": reason,
                "reviewer": reviewer,
                "password": password,
            },
        )

    def to_references(self):
        self.start()
        self.ok(("step_confirmed", {"step": "identity", "values": {"tag": "PT-2110", "serial": "MB-1"}}))

    def test_an_expired_reference_is_refused(self):
        self.to_references()
        body = self.assertFailure(self.send(("reference_assigned", {"role": "applied", "code": "MB-P04"})), 400, "expired")
        self.assertIn("reviewer", body["message"])

    def test_a_forged_override_or_certificate_in_the_event_is_not_believed(self):
        self.to_references()
        forged = {
            "role": "applied",
            "code": "MB-P04",
            "override": {"by": "marta", "name": "Marta", "reason": "sure"},
            "reference": {"code": "MB-P04", "due_on": "2999-01-01"},
        }
        self.assertFailure(self.send(("reference_assigned", forged)), 400, "expired")

    def test_a_reviewer_overrides_with_a_reason_and_it_is_printed(self):
        self.to_references()
        self.assertFailure(self.override(reviewer="tomas"), 403, "not_allowed")
        self.assertFailure(self.override(password="wrong"), 400, "wrong_password")
        self.assertFailure(self.override(reason=""), 400, "missing")
        answer = self.override()
        self.assertEqual(answer.status_code, 200, answer.content)
        pdf = self.get(f"runs/{self.run_id}/certificate.pdf").content
        text = " ".join(page.extract_text() for page in PdfReader(BytesIO(pdf)).pages)
        self.assertIn("Marta Calder let it be used: the spare is away", " ".join(text.split()))


class Voiding(PlantTestCase):
    def void(self, **more):
        return self.post(f"runs/{self.run_id}/void/", {"expected_seq": self.seq, "reason": "wrong day", **more})

    def test_a_run_with_an_open_hold_is_voided_only_with_its_release(self):
        self.prepare()
        self.assertFailure(self.void(), 400, "hold_open")
        self.assertFailure(self.void(release={"reading": "", "operator": ""}), 400, "several_faults")
        self.assertEqual(self.void(release={"reading": "210", "operator": "Control"}).json()["view"]["status"], "voided")
        self.assertEqual(self.get("holds/").json(), [])
        self.start()  # the instrument is free again

    def test_another_technician_cannot_void_it(self):
        self.prepare()
        self.sign_in(self.tomas)
        self.assertFailure(self.void(), 403, "not_yours")


class Certificate(PlantTestCase):
    def text(self):
        pdf = self.get(f"runs/{self.run_id}/certificate.pdf").content
        return " ".join(" ".join(page.extract_text() for page in PdfReader(BytesIO(pdf)).pages).split())

    def test_it_carries_everything_an_auditor_asks_for(self):
        self.prepare()
        self.read(GOOD[:2])
        taken = self.get(f"runs/{self.run_id}/").json()["view"]["evidence"][0]["rows"][1]["id"]
        self.ok(("reading_struck", {"reading": taken, "reason": "valve was passing"}))
        self.read(GOOD[1:], first=1)
        view = self.ok(
            ("decision_made", {"step": "judge", "choice": "leave"}),
            ("step_confirmed", {"step": "restore", "checks": ["test_gear", "valves", "write_lock", "covers", "tidy"]}),
        )["view"]
        self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": {"reading": "212", "operator": "Control room"}}))
        head = self.sign().json()["head"]
        text = self.text()
        for words in (
            "PT-2110",
            "MB-1",
            "0 to 400 kPa",
            "±0.5 % of span",
            "As found: PASS",
            "as found stands as as left",
            "valve was passing",
            "MB-P01",
            "C-1",
            "Tern Point",
            "Pass rule: plain limit",
            "air temperature 21 °C",
            "inhibit: on",
            "normal reading seen: 212 kPa",
            "Signed by Ines Calder",
            head,
            "hysteresis",
            "JCGM 100:2008",
            "page 1 of",
        ):
            self.assertIn(words, text)

    def test_the_passes_of_adjusting_are_printed_as_read_and_in_percent(self):
        self.prepare()
        self.read([f"{4 + 4 * n + 0.128:.3f}" for n in (0, 1, 2, 3, 4, 4, 3, 2, 1, 0)])
        self.ok(
            ("decision_made", {"step": "judge", "choice": "adjust"}),
            ("adjustment_made", {"step": "adjust", "screw": "zero", "before": "4.128", "after": "4.001"}),
            ("adjustment_made", {"step": "adjust", "screw": "span", "before": "20.002", "after": ""}),
        )
        text = self.text()
        self.assertIn("pass 1 zero 4.128 to 4.001 mA (+0.80 % to +0.006 %)", text)
        self.assertIn("pass 1 span 20.002 mA (+0.012 %), left alone", text)

    def test_an_unsigned_run_is_marked_so(self):
        self.prepare()
        self.assertIn("NOT SIGNED", self.text())

    def test_names_and_notes_in_other_alphabets_are_printed(self):
        self.ines.last_name = "Śćibor-Őry"
        self.ines.save()
        self.prepare()
        self.ok(("note_added", {"text": "Клапан → 50 Ω ≤ β"}))
        text = self.text()
        self.assertIn("Śćibor-Őry", text)
        self.assertIn("Клапан → 50 Ω ≤ β", text)
