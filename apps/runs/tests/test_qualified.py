"""Work that takes a qualification: refused, taken under a supervisor by policy, and gone on with by those who may."""

from datetime import timedelta

from django.utils import timezone

from apps.accounts.models import Qualification
from apps.plant.policies import set_policies
from apps.runs.tests.base import PlantTestCase, make_qualified


class Qualified(PlantTestCase):
    def setUp(self):
        super().setUp()
        Qualification.objects.all().delete()
        self.instrument.skills = "Breathing air; breathing AIR"
        self.instrument.save()

    def give(self, person, days, name="breathing air"):
        until = timezone.localdate() + timedelta(days=days)
        return Qualification.objects.create(person=person, name=name, until=until, given_at=timezone.now(), given_by=self.ruben)

    def ask(self, **more):
        self.sign_in(self.ines)
        return self.post("runs/", {"tag": "PT-2110", **more})

    def allow(self):
        set_policies(actor=None, method="", values={"qualified": "supervised"}, reason="Few are qualified yet", now=timezone.now())

    def test_it_counts_to_the_end_of_its_last_day(self):
        for days, status in ((-1, 400), (0, 201)):
            with self.subTest(days=days):
                Qualification.objects.all().delete()
                self.give(self.ines, days)
                answer = self.ask()
                self.assertEqual(answer.status_code, status)
                if days < 0:
                    self.assertIn("breathing air (it ended on ", answer.json()["message"])

    def test_refused_by_policy_nobody_is_offered(self):
        make_qualified(self.tomas, "breathing air")
        failure = self.assertFailure(self.ask(supervisor="tomas"), 400, "not_qualified")
        self.assertIn("A planner enters it under People", failure["message"])
        self.assertEqual(failure["details"]["supervisors"], [])

    def test_under_a_supervisor_who_has_it_it_is_flagged_on_the_record(self):
        self.allow()
        self.assertIn("Nobody else here has it", self.assertFailure(self.ask(), 400, "not_qualified")["message"])
        make_qualified(self.tomas, "breathing air")
        self.give(self.marta, -1)
        asked = self.assertFailure(self.ask(), 400, "not_qualified")
        self.assertEqual([p["username"] for p in asked["details"]["supervisors"]], ["tomas"])
        for who in ("marta", "ines", "nobody"):
            self.assertIn("can't answer for it", self.assertFailure(self.ask(supervisor=who), 400, "not_qualified")["message"])
        made = self.ask(supervisor="tomas")
        self.assertEqual(made.status_code, 201)
        self.assertIn("Ines Calder is not qualified for breathing air; Tomas Calder answers for the work.", made.json()["view"]["flags"])

    def test_another_goes_on_only_who_has_it_but_a_hold_is_anybodys(self):
        make_qualified(self.ines, "breathing air")
        self.sign_in(self.ines)
        self.start()
        self.sign_in(self.tomas)
        plate = ("step_confirmed", {"step": "identity", "values": {"tag": "PT-2110", "serial": "MB-1"}})
        self.assertFailure(self.send(plate), 400, "not_qualified")
        self.ok(("note_added", {"text": "Seen from outside"}))
        make_qualified(self.tomas, "breathing air")
        self.ok(plate)


class Given(PlantTestCase):
    def setUp(self):
        super().setUp()
        Qualification.objects.all().delete()
        self.sign_in(self.ruben)

    def give(self, who="ines", **more):
        return self.post(f"people/{who}/qualifications/", {"name": "Gas  work", "until": "", "proof": "HR-7", **more})

    def test_given_renewed_and_taken_away_each_stays_told(self):
        day = timezone.localdate() + timedelta(days=60)
        row = self.of(self.give(until=day.isoformat()), "ines")
        self.assertEqual(
            [(q["name"], q["standing"], q["given_by"]) for q in row["qualifications"]], [("gas work", "ends soon", "Ruben Calder")]
        )
        row = self.of(self.give(until=(day + timedelta(days=1)).isoformat()), "ines")
        self.assertEqual([q["standing"] for q in row["qualifications"]], ["good"])
        self.assertIn("Renewed until", row["before"][0]["why"])
        held = row["qualifications"][0]["id"]
        self.assertFailure(self.post(f"qualifications/{held}/end/", {"why": "no"}), 400, "missing")
        row = self.of(self.post(f"qualifications/{held}/end/", {"why": "Left the gas crew"}), "ines")
        self.assertEqual((row["qualifications"], len(row["before"])), ([], 2))
        self.assertFailure(self.post(f"qualifications/{held}/end/", {"why": "Left the gas crew"}), 404, "unknown_qualification")

    def of(self, answer, username):
        self.assertEqual(answer.status_code, 200, answer.content)
        return next(p for p in answer.json()["people"] if p["username"] == username)

    def test_what_can_t_be_is_refused_with_its_field(self):
        today = timezone.localdate()
        for more, field in (
            ({"name": " "}, "name"),
            ({"name": "gas work; heights"}, "name"),
            ({"name": "x" * 61}, "name"),
            ({"until": "1.12.2027"}, "until"),
            ({"until": (today - timedelta(days=1)).isoformat()}, "until"),
            ({"until": f"{today.year + 21}-01-01"}, "until"),
            ({"proof": "x" * 121}, "proof"),
        ):
            with self.subTest(**more):
                answer = self.give(**more)
                self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(self.give(until=today.isoformat()).status_code, 200)
        self.assertFailure(self.give("nobody"), 404, "unknown_person")
        self.assertFailure(self.give("ruben"), 400, "own_work")
        self.sign_in(self.ines)
        self.assertFailure(self.give("tomas"), 403, "not_allowed")
        names = self.get("people/").json()["names"]
        self.assertLessEqual({"gas work", "lock-out", "work at height", "confined space"}, set(names))
