"""The year over HTTP: everything that must be done stands in its week, hours beside it, and what is planned stays inside its window."""

import io
from datetime import timedelta

from django.utils import timezone
from openpyxl import load_workbook
from pypdf import PdfReader

from apps.accounts.models import Qualification
from apps.followups.models import FollowUp
from apps.kit.models import Buffer, GasBottle, Trap
from apps.planning.models import PlannedWeek, monday
from apps.plant.models import Instrument
from apps.runs.models import Duty, Run
from apps.runs.tests.base import PlantTestCase, make_reference
from metrology.quantities.words import day_words


class Year(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)
        self.today = timezone.localdate()
        self.first = monday(self.today)
        Qualification.objects.all().delete()

    def due(self, tag, days, **more):
        i = self.instrument
        i.pk, i.tag, i.serial, i.next_due = None, tag, tag, self.today + timedelta(days=days)
        for name, value in {"interval_days": 365, "grace_days": 0, "work_min": 60, **more}.items():
            setattr(i, name, value)
        i.save()
        return Instrument.objects.get(tag=tag)

    def year(self, area=""):
        return self.get(f"year/?area={area}").json()

    def week(self, n=0):
        return self.get(f"year/week/?on={self.first + timedelta(weeks=n)}").json()

    def test_each_week_has_its_work_and_what_is_overdue_stands_in_this_one(self):
        Instrument.objects.all().delete()
        self.due("A", -40, interval_days=90)
        self.due("B", 100, people=2)
        d = self.year()
        self.assertEqual(len(d["weeks"]), 53)
        self.assertEqual((d["usual"], d["assumed"]), (40.0, "No usual week is entered: 20 h a technician are assumed."))  # two technicians
        stands = {w["monday"]: w for w in d["weeks"] if w["calibrations"]}
        on = [self.today + timedelta(days=90 * n) for n in range(5)]  # overdue: done now at the earliest, then again in its interval
        self.assertEqual(stands[monday(self.today + timedelta(days=100)).isoformat()]["hours"] >= 2.0, True)
        for day in on:
            if day < self.first + timedelta(weeks=53):
                self.assertIn(monday(day).isoformat(), stands)
        self.assertEqual([j["what"] for j in self.week()["jobs"] if j["kind"] == "calibration"], ["A"])

    def test_everything_else_that_must_be_done_is_among_it(self):
        now = timezone.now()
        soon = self.today + timedelta(days=1)
        i = self.due("AE-1", 200)
        Instrument.objects.filter(pk=i.pk).update(life_ends_on=soon)
        j = self.due("AE-2", 200)
        Instrument.objects.filter(pk=j.pk).update(
            doubt="left outside its limits in VL-1; it stands in: a portable beside it", next_due=soon
        )
        run = Run.objects.create(number=1, instrument=i, technician=self.ines, method="tx-multipoint", revision="1", started_at=now)
        Duty.objects.create(run=run, instrument=i, key="re_zero", title="Zero it again", instruction="once warm", opened_at=now, due_at=now)
        FollowUp.objects.create(run=run, opened_at=now - timedelta(days=29), estimate="It was wrong by up to 3 kPa.")
        make_reference("MB-P09", days=1)
        GasBottle.objects.create(code="G-1", name="Zero air", gases=[], litres=10, expires_on=soon, certificate="C")
        Buffer.objects.create(code="B-7", ph=7, table="nist", lot="1", litres=1, expires_on=soon)
        Trap.objects.create(
            code="X-1", name="Soda lime", opened_on=self.today, open_days=1, is_capped=True, expires_on=soon + timedelta(days=99)
        )
        Qualification.objects.create(person=self.ines, name="gas work", until=soon, given_at=now, given_by=self.ruben)
        others = self.get("year/others/?days=1").json()
        self.assertEqual(
            {(o["kind"], o["what"]) for o in others} - {("kit", "MB-P04")},  # that one is overdue since long
            {
                ("sensor", "AE-1"), ("stand-in", "AE-2"), ("duty", "AE-1"), ("follow-up", "AE-1"), ("kit", "MB-P09"), ("kit", "G-1"),
                ("kit", "B-7"), ("kit", "X-1"),
                ("qualification", "Ines Calder"),
            },
        )  # fmt: skip
        self.assertNotIn("MB-P09", [o["what"] for o in self.get("year/others/?days=0").json()])
        self.assertEqual({o["what"] for o in self.get("year/others/?days=1&area=RO").json()}, {"AE-1", "AE-2"})
        rows = list(load_workbook(io.BytesIO(self.client.get("/api/v1/year/file/?kind=xlsx").content)).active.values)
        self.assertIn("Follow-up", [r[1] for r in rows])
        self.assertIn("Week of,Kind", b"".join(self.client.get("/api/v1/year/file/").streaming_content).decode("utf-8-sig"))

    def test_it_is_printed_with_the_load_of_each_week_and_its_jobs(self):
        self.due("PT-31", 8)
        self.due("PT-32", 40)
        text = self.printed("RO")
        self.assertIn("The year ahead: RO hall", text)
        for tag, days in (("PT-31", 8), ("PT-32", 40)):
            week = self.first + timedelta(days=(self.today + timedelta(days=days) - self.first).days // 7 * 7)
            heading, following = text.split(f"Week of {day_words(week)} to", 1)
            self.assertIn(tag, following.split("Week of", 1)[0])
            self.assertNotIn(tag, heading)
        self.assertNotIn("PT-31", self.printed("ZZ"))

    def printed(self, area):
        pages = PdfReader(io.BytesIO(self.client.get(f"/api/v1/year/file/?kind=pdf&area={area}").content)).pages
        return "".join(page.extract_text() for page in pages)

    def test_hours_of_a_week_and_of_a_usual_one(self):
        post = lambda week, hours: self.post("year/hours/", {"week": week, "hours": hours})  # noqa: E731
        self.assertEqual(post("", "30").json()["usual"], 30.0)
        far = self.first + timedelta(weeks=3, days=2)
        self.assertEqual(post(far.isoformat(), "8").json()["weeks"][3]["there"], 8.0)
        self.assertEqual(post(far.isoformat(), "").json()["weeks"][3]["there"], 30.0)
        for week, hours, field in (
            ("", "", "hours"), ("", "-1", "hours"), ("", "2001", "hours"), ("soon", "3", "week"),
            ((self.first - timedelta(days=1)).isoformat(), "3", "week"),
            ((self.first + timedelta(weeks=53)).isoformat(), "3", "week"),
        ):  # fmt: skip
            with self.subTest(week=week, hours=hours):
                answer = post(week, hours)
                self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(post("", "2000").status_code, 200)
        self.sign_in(self.ines)
        self.assertFailure(post("", "30"), 403, "not_allowed")

    def test_levelled_inside_the_window_and_back(self):
        Instrument.objects.all().delete()
        self.post("year/hours/", {"week": "", "hours": "2"})
        days = (self.first + timedelta(weeks=10, days=2) - self.today).days
        for tag in ("A", "B", "C"):
            self.due(tag, days, grace_days=7)
        d = self.year()
        self.assertEqual((d["weeks"][10]["over"], d["left_over"], len(d["moves"])), (1.0, 0.0, 1))
        move = d["moves"][0]
        self.assertEqual((move["tag"], move["after"]), ("A", (self.first + timedelta(weeks=9)).isoformat()))
        taken = self.post("year/moves/", {"moves": [{"tag": "A", "week": move["after"]}]}).json()
        self.assertEqual((taken["weeks"][9]["planned"], taken["weeks"][10]["over"], taken["moves"]), (1, 0.0, []))
        back = self.post("year/moves/", {"moves": [{"tag": "A", "week": ""}]}).json()
        self.assertEqual(back["weeks"][10]["over"], 1.0)

    def test_planned_only_inside_the_window_all_or_none(self):
        Instrument.objects.all().delete()
        i = self.due("A", 100, interval_days=100, grace_days=7)  # a fifth early: 20 days
        self.due("B", 100)
        for days, status in ((80, 200), (80 - 7, 400), (107, 200), (107 + 7, 400)):
            with self.subTest(days=days):
                PlannedWeek.objects.all().delete()
                week = (self.today + timedelta(days=days)).isoformat()
                answer = self.post("year/moves/", {"moves": [{"tag": "B", "week": i.next_due.isoformat()}, {"tag": "A", "week": week}]})
                self.assertEqual(answer.status_code, status, answer.json())
                self.assertEqual(PlannedWeek.objects.count(), 2 if status == 200 else 0)
        self.assertFailure(self.post("year/moves/", {"moves": [{"tag": "Z", "week": ""}]}), 400, "not_due")
        PlannedWeek.objects.update(week=self.first)
        Instrument.objects.filter(tag="A").update(next_due=self.today + timedelta(days=150))  # done meanwhile: due anew
        self.assertEqual(sum(w["planned"] for w in self.year()["weeks"]), 0)
        self.sign_in(self.ines)
        self.assertFailure(self.post("year/moves/", {"moves": []}), 403, "not_allowed")

    def test_a_plan_of_a_week_that_is_over_is_none_and_a_tag_may_hold_a_slash(self):
        Instrument.objects.all().delete()
        i = self.due("PT 1/2", 30)
        PlannedWeek.objects.create(instrument=i, week=self.first - timedelta(weeks=1), due_on=i.next_due, by=self.ruben, at=timezone.now())
        self.assertEqual(sum(w["planned"] for w in self.year()["weeks"]), 0)
        self.assertIsNone(self.get("due/?days=90").json()["rows"][0]["planned"])
        told = self.get(f"year/week/?on={i.next_due}").json()["jobs"]
        self.assertEqual([j["link"] for j in told if j["kind"] == "calibration"], ["/plant/PT%201%2F2"])
