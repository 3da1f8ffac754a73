"""A small plant, people of every role, and a client that plays a run over HTTP."""

import uuid
from datetime import timedelta

from django.core.cache import cache
from django.test import TestCase
from django.utils import timezone

from apps.accounts.models import Person, Qualification
from apps.kit.models import Reference
from apps.plant.models import Area, Instrument

PASSWORD = "a-long-password"
MODEL_BACKEND = "apps.accounts.sessions.Passwords"
GOOD = ["4.01", "8.01", "12.01", "16.01", "20.01", "20.00", "16.01", "12.01", "8.01", "4.01"]
CHECKS = {"cautions": ["isolated", "safe", "untouched"], "restore": ["test_gear", "valves", "write_lock", "covers", "tidy"]}


def make_reference(code, unit="kPa", low=0.0, high=1000.0, u=0.1, days=100):
    due = timezone.localdate() + timedelta(days=days)
    return Reference.objects.create(
        code=code,
        name="Reference",
        serial=code,
        unit=unit,
        low=low,
        high=high,
        u_absolute=u,
        resolution=0.001,
        certificate="C-1",
        laboratory="Tern Point",
        traceability="SI",
        calibrated_on=due - timedelta(days=365),
        due_on=due,
    )


def make_qualified(person, *names):
    """What somebody may do, without an end."""
    for name in names:
        Qualification.objects.create(person=person, name=name, given_at=timezone.now(), given_by=person)


class PlantClient:
    """People, a plant, and a client that plays runs over HTTP, for any kind of test case."""

    @classmethod
    def make_plant(cls):
        for username, role in (
            ("ines", "technician"),
            ("tomas", "technician"),
            ("ruben", "planner"),
            ("marta", "reviewer"),
            ("holt", "administrator"),
        ):
            setattr(
                cls,
                username,
                Person.objects.create_user(username, password=PASSWORD, first_name=username.capitalize(), last_name="Calder", role=role),
            )
        for person in (cls.ines, cls.tomas):
            make_qualified(person, "gas work", "lock-out")
        cls.area = Area.objects.create(code="RO", name="RO hall")
        cls.instrument = Instrument.objects.create(
            tag="PT-2110",
            serial="MB-1",
            service="Permeate pressure",
            area=cls.area,
            unit="kPa",
            lrv=0,
            urv=400,
            tolerance_value=0.5,
            next_due=timezone.localdate(),
        )
        make_reference("MB-P01")
        make_reference("MB-P04", days=-10)
        make_reference("MB-I01", unit="mA", high=24.0, u=0.002)

    def sign_in(self, person):
        self.client.force_login(person, backend=MODEL_BACKEND)

    def post(self, path, data=None, **more):
        return self.client.post(f"/api/v1/{path}", data if data is not None else {}, content_type="application/json", **more)

    def get(self, path):
        return self.client.get(f"/api/v1/{path}")

    def start(self, tag="PT-2110", method=""):
        answer = self.post("runs/", {"tag": tag, "method": method})
        self.assertEqual(answer.status_code, 201, answer.content)
        self.run_id, self.seq = answer.json()["id"], answer.json()["view"]["seq"]
        return answer.json()

    def send(self, *events, seq=None):
        """Append (type, payload) pairs; keeps the sequence when it worked."""
        body = {
            "expected_seq": self.seq if seq is None else seq,
            "events": [{"id": str(uuid.uuid4()), "type": kind, "payload": payload} for kind, payload in events],
        }
        answer = self.post(f"runs/{self.run_id}/events/", body)
        if answer.status_code == 200:
            self.seq = answer.json()["view"]["seq"]
        return answer

    def ok(self, *events):
        answer = self.send(*events)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def forward(self, references, **values):
        """Confirm step after step until readings or a parameter set is asked for; the view then."""
        for _ in range(20):
            view = self.get(f"runs/{self.run_id}/").json()["view"]
            self.seq, step = view["seq"], view["step"]
            key, given = step["key"], {"operator": "Control room", "temperature": "21", **values}
            if step["kind"] in ("readings", "compare"):
                return view
            if key == "identity":
                i = view["instrument"]
                self.ok(("step_confirmed", {"step": key, "values": {"tag": i["tag"], "serial": i["serial"]}}))
            elif key == "references":
                for role, code in references.items():
                    self.ok(("reference_assigned", {"role": role, "code": code, "reason": "best there is"}))
                self.ok(("step_confirmed", {"step": key}))
            elif step["kind"] == "timer":
                self.ok(("timer_started", {"step": key}))
            elif step["kind"] == "hold":
                self.ok(("hold_placed", {"step": key, "kind": "inhibit", "reason": "Calibration", "minutes": "60"}))
            else:
                mine = {f["name"]: given[f["name"]] for f in step["fields"] if f["name"] in given}
                self.ok(("step_confirmed", {"step": key, "values": mine, "checks": [c["key"] for c in step["checks"]]}))
        raise AssertionError(f"stuck at {key}")

    def prepare(self):
        self.start()
        self.ok(("step_confirmed", {"step": "identity", "values": {"tag": "PT-2110", "serial": "MB-1"}}))
        self.ok(
            ("reference_assigned", {"role": "applied", "code": "MB-P01"}), ("reference_assigned", {"role": "indicated", "code": "MB-I01"})
        )
        self.ok(
            ("step_confirmed", {"step": "references"}),
            ("step_confirmed", {"step": "environment", "values": {"temperature": "21"}}),
            ("step_confirmed", {"step": "operator", "values": {"operator": "Control room"}}),
            ("hold_placed", {"step": "hold", "kind": "inhibit", "reason": "Calibration", "minutes": "60"}),
        )
        return self.ok(("step_confirmed", {"step": "cautions", "checks": CHECKS["cautions"]}))

    def read(self, texts, step="as_found", first=0):
        return self.ok(*[("reading_taken", {"step": step, "slot": first + n, "indicated": t}) for n, t in enumerate(texts)])

    def to_sign(self):
        self.prepare()
        self.read(GOOD)
        return self.put_back()

    def put_back(self):
        """Left as found, restored, its hold off."""
        view = self.ok(
            ("decision_made", {"step": "judge", "choice": "leave"}), ("step_confirmed", {"step": "restore", "checks": CHECKS["restore"]})
        )["view"]
        return self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": {"reading": "212", "operator": "Control"}}))

    def sign(self, password=PASSWORD, **more):
        answer = self.post(f"runs/{self.run_id}/sign/", {"expected_seq": self.seq, "password": password, "note": "", **more})
        if answer.status_code == 200:
            self.seq = answer.json()["view"]["seq"]
        return answer

    def signed_run(self):
        self.to_sign()
        answer = self.sign()
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def review(self, verdict, reason="", password=PASSWORD):
        return self.post(
            f"runs/{self.run_id}/review/", {"expected_seq": self.seq, "verdict": verdict, "reason": reason, "password": password}
        )

    def countersign(self, capacity, note="", password=PASSWORD):
        told = {"expected_seq": self.seq, "capacity": capacity, "note": note, "password": password}
        answer = self.post(f"runs/{self.run_id}/countersign/", told)
        if answer.status_code == 200:
            self.seq = answer.json()["view"]["seq"]
        return answer

    def assertFailure(self, answer, status, code):
        self.assertEqual(answer.status_code, status, answer.content)
        body = answer.json()
        self.assertEqual(body["code"], code, body)
        self.assertTrue(body["message"].strip())
        return body


class PlantTestCase(PlantClient, TestCase):
    """Everything a test of the server needs."""

    @classmethod
    def setUpTestData(cls):
        cls.make_plant()

    def setUp(self):
        cache.clear()
        self.sign_in(self.ines)
