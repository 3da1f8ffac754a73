"""What a run leaves to be done soon, and what it stands for: who may close it, limits, the end of a day, a lost power, a returned record."""

import json
import math
import uuid
from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone

from apps.accounts.models import Person
from apps.plant.models import Area, Instrument
from apps.runs import outside, vouching
from apps.runs.duties import open_duties
from apps.runs.models import Duty, Run, Sample, Validity
from apps.runs.tests.base import PASSWORD
from metrology.methods.method import Vouched

FIELDS = [
    {
        "name": "zero:CO", "label": "CO on zero gas", "kind": "number", "unit": "ppm", "required": True, "options": [], "expected": "", "hint": "",
        "low": -10.0, "high": 10.0, "why": "Zero it again.", "unless": ["", ""], "excused_by": "",
    }
]  # fmt: skip


class Plant(TestCase):
    def setUp(self):
        self.people = {r: Person.objects.create_user(r, password=PASSWORD, first_name=r, role=r) for r in ("technician", "reviewer")}
        area = Area.objects.create(code="FG", name="Flue gas")
        self.instrument = Instrument.objects.create(
            tag="AIT-1", serial="S", service="Gas", area=area, unit="ppm", lrv=0, urv=100, tolerance_value=5, method="an-duplicate-blank"
        )
        self.now = timezone.now()
        self.run = Run.objects.create(
            number=1, instrument=self.instrument, method="an-duplicate-blank", revision="1", technician=self.people["technician"],
            started_at=self.now, status="signed",
        )  # fmt: skip

    def sign_in(self, role):
        self.client.force_login(self.people[role])


class Duties(Plant):
    def setUp(self):
        super().setUp()
        self.duty = Duty.objects.create(
            run=self.run, instrument=self.instrument, key="re-zero", title="Zero again", instruction="Zero it.", fields=FIELDS,
            opened_at=self.now, opened_by="Ines", due_at=self.now + timedelta(minutes=20),
        )  # fmt: skip

    def close(self, **body):
        return self.client.post(f"/api/v1/duties/{self.duty.pk}/", json.dumps(body), content_type="application/json")

    def test_done_inside_its_limits_just_inside_at_and_just_outside(self):
        self.sign_in("technician")
        for value, status in (("10.01", 400), ("10", 200)):
            with self.subTest(value=value):
                self.assertEqual(self.close(outcome="done", values={"zero:CO": value}).status_code, status)
        self.duty.refresh_from_db()
        self.assertEqual((self.duty.outcome, self.duty.values), ("done", {"zero:CO": "10"}))

    def test_excused_with_a_reason_only(self):
        self.sign_in("technician")
        self.assertEqual(self.close(outcome="excused", reason="").status_code, 400)
        self.assertEqual(self.close(outcome="excused", reason="the line is being opened").status_code, 200)
        self.assertEqual(self.client.get("/api/v1/duties/").json(), [])
        told = self.client.get("/api/v1/duties/?tag=AIT-1").json()
        self.assertEqual((told[0]["outcome"], told[0]["reason"]), ("excused", "the line is being opened"))

    def test_once_and_by_technicians(self):
        self.sign_in("reviewer")
        self.assertEqual(self.close(outcome="excused", reason="none of mine").status_code, 403)
        self.sign_in("technician")
        self.close(outcome="excused", reason="the line is open")
        self.assertEqual(self.close(outcome="done", values={"zero:CO": "0"}).json()["code"], "already_closed")
        self.assertEqual(self.client.post(f"/api/v1/duties/{uuid.uuid4()}/", "{}", content_type="application/json").status_code, 400)

    def test_a_step_that_was_opened_again_moves_it_and_what_is_closed_stays_closed(self):
        class State:
            duties = {
                "re-zero": {
                    "title": "Zero again",
                    "instruction": "i",
                    "fields": FIELDS,
                    "minutes": 20,
                    "at": self.now + timedelta(minutes=5),
                    "by": "Oda",
                }
            }

        open_duties(self.run, State)
        self.duty.refresh_from_db()
        self.assertEqual(self.duty.due_at, self.now + timedelta(minutes=25))
        Duty.objects.update(outcome="done")
        State.duties["re-zero"]["at"] = self.now + timedelta(minutes=50)
        open_duties(self.run, State)
        self.duty.refresh_from_db()
        self.assertEqual(self.duty.due_at, self.now + timedelta(minutes=25))


class Validities(Plant):
    def setUp(self):
        super().setUp()
        self.validity = Validity.objects.create(
            run=self.run, instrument=self.instrument, since=self.now - timedelta(hours=1), until=self.now + timedelta(hours=1),
            vouched=[{"name": "H2", "unit": "ppm", "top": 100.0, "u_percent": 3.0, "u_absolute": 0.4, "factor": 2.0}],
        )  # fmt: skip
        self.sign_in("technician")

    def sample(self, name="TR-1", values=None, file=None):
        body = {"name": name, "values": json.dumps({"H2": "40"} if values is None else values)}
        return self.client.post("/api/v1/instruments/AIT-1/samples/", {**body, **({"file": file} if file else {})})

    def test_a_sample_keeps_its_u(self):
        self.assertEqual(self.sample().status_code, 201)
        told = Sample.objects.get().results[0]
        self.assertAlmostEqual(float(told["u"]), math.sqrt((0.03 * 40) ** 2 + 0.4**2), delta=0.1)
        self.assertEqual(vouching.result_of(Vouched("H2", "ppm", 100, 0, 0), 40)["value"], "40.00")

    def test_up_to_what_it_was_calibrated(self):
        for value, status in (("110", 201), ("110.1", 400), ("-2", 201), ("-2.1", 400), ("forty", 400)):
            with self.subTest(value=value):
                self.assertEqual(self.sample(values={"H2": value}).status_code, status)

    def test_nothing_without_a_name_or_a_value(self):
        self.assertEqual(self.sample(name="").status_code, 400)
        self.assertEqual(self.sample(values={}).json()["code"], "missing")
        self.assertEqual(self.sample(file=SimpleUploadedFile("x.csv", b"\xff\xfe\x00")).json()["code"], "not_text")

    def test_the_end_of_its_day_just_before_at_and_after(self):
        for left, status in ((5, 201), (0, 400), (-5, 400)):
            with self.subTest(left=left):
                Validity.objects.update(until=timezone.now() + timedelta(seconds=left), ended_at=None)
                self.assertEqual(self.sample().status_code, status)

    def test_told_by_hand_it_ends_at_once(self):
        url = "/api/v1/instruments/AIT-1/validity/"
        self.assertEqual(self.client.post(url, json.dumps({"why": ""}), content_type="application/json").status_code, 400)
        told = self.client.post(url, json.dumps({"why": "breaker fell"}), content_type="application/json").json()
        self.assertEqual((told["why"], told["ended_by"]), ("breaker fell", self.people["technician"].name))
        refused = self.sample().json()
        self.assertEqual(refused["code"], "not_valid")
        self.assertIn("breaker fell", refused["message"])

    def test_a_device_that_tells_for_how_long_it_is_on_ends_it_by_itself(self):
        for powered, status in ((3700.0, 201), (3500.0, 400), (None, 201)):
            with self.subTest(powered=powered):
                Validity.objects.update(ended_at=None, why="")
                before, outside.POWERED[:] = list(outside.POWERED), [lambda _tag, s=powered: s]
                self.addCleanup(outside.POWERED.__setitem__, slice(None), before)
                self.assertEqual(self.sample().status_code, status)
                outside.POWERED[:] = before

    def test_a_returned_record_stands_for_nothing(self):
        self.run.status = "returned"
        vouching.project_validity(self.run, None)
        self.assertEqual(self.sample().json()["code"], "not_valid")

    def test_an_instrument_that_vouches_for_nothing(self):
        Instrument.objects.filter(tag="AIT-1").update(method="tx-multipoint")
        self.assertFalse(self.client.get("/api/v1/instruments/AIT-1/validity/").json()["vouches"])
        Validity.objects.all().delete()
        self.assertEqual(self.sample().status_code, 404)
