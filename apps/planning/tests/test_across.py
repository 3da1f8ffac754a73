"""Nobody and nothing in two rounds at a time: at the limits, when two are built beside each other, when one is given out."""

from datetime import timedelta

from django.utils import timezone

from apps.kit.models import Reference
from apps.planning.across import find_overlaps
from apps.planning.models import Round, RoundJob
from apps.plant.models import Area, Instrument
from apps.runs.models import Hold, Run
from apps.runs.tests.base import PlantTestCase, make_reference


class Rounds(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)
        self.day = timezone.localdate()
        Area.objects.create(code="WSH", name="Workshop", east_m=200)
        Instrument.objects.update(next_due=self.day)
        for n in range(3):
            self.instrument.pk, self.instrument.tag, self.instrument.serial = None, f"PT-300{n}", f"S{n}"
            self.instrument.next_due = self.day
            self.instrument.save()
        Reference.objects.all().delete()
        for n in (1, 2):
            make_reference(f"MB-P0{n}")
            make_reference(f"MB-I0{n}", unit="mA", low=0, high=24, u=0.0004)

    def make(self, who="ines", start="07:30", end="15:30", **more):
        day = self.day + timedelta(days=1)
        return self.post("plans/", {"day": day.isoformat(), "crew": [{"username": who, "start": start, "end": end}], "areas": [], **more})

    def made(self, *args, **more):
        answer = self.make(*args, **more)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()

    def solve(self, made):
        answer = self.post(f"plans/{made['id']}/solve/", {"seconds": 2})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def planned(self, made):
        return {j["tag"] for j in made["jobs"] if j["tasks"]}

    def plan(self, name, tag, person, start, end, kit=(), status="planned", day=None):
        """A plan written by hand, past every guard, as two servers might."""
        crew = [{"username": person, "name": person.title(), "start": 400, "end": 1000}]
        found = Round.objects.create(
            name=name, day=day or self.day + timedelta(days=1), status=status, made_by=self.ruben, made_at=timezone.now(), crew=crew
        )
        job = {"start": start, "end": end, "people": [person], "holds": True, "wait": 0}
        RoundJob.objects.create(round=found, instrument=Instrument.objects.get(tag=tag), tasks=[job], kit=list(kit))
        return found


class Across(Rounds):
    def test_a_person_is_on_one_round_at_a_time(self):
        self.made(end="11:00")
        for start, good in (("10:59", False), ("11:00", True)):
            answer = self.make(start=start, end="15:30")
            if good:
                self.assertEqual(answer.status_code, 201, answer.content)
            else:
                self.assertFailure(answer, 400, "on_another_round")
                self.assertIn("Ines Calder is on", answer.json()["message"])
        self.assertEqual(self.make(who="tomas").status_code, 201)

    def test_a_closed_round_frees_its_people_and_its_jobs(self):
        first = self.solve(self.made())
        self.assertFailure(self.make(who="tomas", musts=["PT-3000"]), 400, "on_another_round")
        self.post(f"plans/{first['id']}/", {"status": "closed"})
        again = self.made(musts=["PT-3000"])
        self.assertEqual(again["not_taken"], [])

    def test_what_is_planned_elsewhere_is_not_taken_and_that_is_said(self):
        first = self.solve(self.made(end="09:45"))
        left_out = {j["tag"] for j in first["jobs"]} - self.planned(first)
        self.assertTrue(left_out and self.planned(first))
        second = self.made(who="tomas")
        self.assertEqual({j["tag"] for j in second["jobs"]}, left_out)
        self.assertEqual(second["not_taken"], [f"{tag} is on '{first['name']}'" for tag in sorted(self.planned(first))])

    def test_what_is_under_way_is_not_taken_and_that_is_said(self):
        self.sign_in(self.ines)
        self.post("runs/", {"tag": "PT-3001"})
        self.sign_in(self.ruben)
        self.assertEqual(self.made()["not_taken"], ["PT-3001 is under way and not signed"])

    def test_two_that_are_drafted_beside_each_other_share_the_jobs_when_they_are_built(self):
        first, second = self.made(end="09:45"), self.made(who="tomas")
        a, b = self.solve(first), self.solve(second)
        self.assertTrue(self.planned(a) and self.planned(b), [(j["tag"], j["why_left"], j["kit"]) for j in (*a["jobs"], *b["jobs"])])
        self.assertFalse(self.planned(a) & self.planned(b))
        told = {j["why_left"] for j in b["jobs"] if j["tag"] in self.planned(a)}
        self.assertEqual(told, {f"It is on '{a['name']}'."})
        self.assertEqual((a["overlaps"], b["overlaps"]), ([], []))
        self.assertEqual(find_overlaps(list(Round.objects.all())), [])

    def test_the_checker_finds_people_jobs_and_kit_in_two_places(self):
        a = self.plan("A", "PT-3000", "ines", 480, 520, ["MB-P01"])
        for name, args, told in (
            ("B", ("PT-3001", "ines", 520, 560), []),
            ("C", ("PT-3001", "ines", 519, 560), ["Ines is at PT-3000 and at PT-3001 at 08:39, by 'A' and 'C'."]),
            ("D", ("PT-3000", "tomas", 700, 760), ["PT-3000 is on 'A' and 'D'."]),
            ("E", ("PT-3001", "tomas", 700, 760, ["MB-P01"]), ["MB-P01 is taken by 'A' and 'E'."]),
        ):
            other = self.plan(name, *args)
            self.assertEqual(find_overlaps([a, other]), told, name)
            other.delete()

    def test_a_round_in_two_places_is_not_given_out(self):
        a, b = self.plan("A", "PT-3000", "ines", 480, 520), self.plan("B", "PT-3000", "tomas", 700, 740, status="under way")
        self.assertEqual(self.get(f"plans/{a.pk}/").json()["overlaps"], ["PT-3000 is on 'A' and 'B'."])
        answer = self.post(f"plans/{a.pk}/", {"status": "under way"})
        self.assertFailure(answer, 400, "in_two_places")
        b.status = "closed"
        b.save()
        self.assertEqual(self.post(f"plans/{a.pk}/", {"status": "under way"}).json()["status"], "under way")


class Begun(Rounds):
    """Work that was begun does not leave a round unseen."""

    def setUp(self):
        super().setUp()
        self.found = self.plan("A", "PT-3000", "ines", 0, 60, status="under way", day=self.day)
        self.sign_in(self.ines)
        self.run_id = self.post("runs/", {"tag": "PT-3000"}).json()["id"]
        self.sign_in(self.ruben)

    def take_out(self, **more):
        return self.post(f"plans/{self.found.pk}/jobs/PT-3000/", {"remove": True, **more})

    def hold(self):
        now = timezone.now()
        run = Run.objects.get(pk=self.run_id)
        return Hold.objects.create(
            event_id=self.run_id, run=run, instrument=run.instrument, kind="inhibit", reason="Calibration", placed_by="Ines Calder", placed_at=now,
            until=now + timedelta(hours=1),
        )  # fmt: skip

    def test_a_begun_job_leaves_with_a_reason_that_is_written_down(self):
        for reason in ("", "late"):
            self.assertFailure(self.take_out(reason=reason), 400, "begun")
        answer = self.take_out(reason="Pump is needed")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(answer.json()["jobs"], [])
        said = [h["says"] for h in answer.json()["hand_over"]]
        self.assertTrue(any("taken out of this round by Ruben" in s and s.endswith("Pump is needed") for s in said), said)
        self.assertTrue(any("PT-3000 was begun and is not signed" in s and "not of this round" in s for s in said), said)

    def test_a_job_on_hold_stays_whatever_is_said(self):
        hold = self.hold()
        self.assertFailure(self.take_out(reason="Pump is needed"), 400, "on_hold")
        hold.released_at = timezone.now()
        hold.save()
        self.assertEqual(self.take_out(reason="Pump is needed").status_code, 200)

    def test_open_loops_of_other_rounds_are_handed_over_first(self):
        self.hold()
        other = self.plan("B", "PT-3001", "tomas", 0, 60, status="under way", day=self.day)
        told = self.get(f"plans/{other.pk}/").json()["hand_over"]
        self.assertEqual((told[0]["tag"], told[0]["what"]), ("PT-3000", "open"))
        self.assertIn("not of this round", told[0]["says"])
        self.assertEqual(told[1]["tag"], "PT-3001")


class Unfit(Rounds):
    """Kit that was put into quarantine, or goes out of date, after a round was built with it."""

    def setUp(self):
        super().setUp()
        self.id = self.solve(self.made())["id"]
        kit = {code for j in self.read()["jobs"] for code in j["kit"]}
        self.used = next(c for c in sorted(kit) if c.startswith("MB-P"))
        self.other = {"MB-P01": "MB-P02", "MB-P02": "MB-P01"}[self.used]

    def read(self):
        return self.get(f"plans/{self.id}/").json()

    def give_out(self):
        return self.post(f"plans/{self.id}/", {"status": "under way"})

    def test_quarantined_kit_marks_its_jobs_blocks_giving_out_and_is_exchanged(self):
        answer = self.post(f"kit/reference/{self.used}/state/", {"state": "quarantined", "reason": "fell off the van", "cause": "dropped"})
        self.assertEqual(answer.status_code, 200, answer.content)
        (row,) = self.read()["unfit"]
        self.assertEqual((row["code"], row["says"], row["instead"]), (self.used, f"{self.used} Reference is quarantined.", [self.other]))
        self.assertEqual(row["tags"], sorted(self.planned(self.read())))
        self.assertFailure(self.give_out(), 400, "unfit_kit")
        self.assertFailure(self.post(f"plans/{self.id}/kit/", {"code": self.used, "take": "MB-I01"}), 400, "unknown_choice")
        made = self.post(f"plans/{self.id}/kit/", {"code": self.used, "take": self.other}).json()
        self.assertEqual(made["unfit"], [])
        self.assertTrue(all(self.other in j["kit"] and self.used not in j["kit"] for j in made["jobs"] if j["tasks"]))
        self.assertFailure(self.post(f"plans/{self.id}/kit/", {"code": self.used, "take": self.other}), 400, "not_now")
        self.assertEqual(self.give_out().json()["status"], "under way")

    def test_nothing_is_proposed_that_another_round_has(self):
        self.plan("B", "PT-2110", "tomas", 0, 30, [self.other])
        Reference.objects.filter(code=self.used).update(state="quarantined")
        self.assertEqual(self.read()["unfit"][0]["instead"], [])

    def test_out_of_date_on_the_day_of_the_round(self):
        day = self.day + timedelta(days=1)
        for due, fit in ((day, True), (day - timedelta(days=1), False)):
            Reference.objects.filter(code=self.used).update(due_on=due)
            self.assertEqual(not self.read()["unfit"], fit, due)

    def test_what_is_done_needs_nothing_any_more(self):
        Reference.objects.filter(code=self.used).update(state="quarantined")
        Round.objects.filter(pk=self.id).update(day=self.day)
        before = self.read()["unfit"][0]["tags"]
        done = Instrument.objects.get(tag=before[0])
        Run.objects.create(
            instrument=done, method="tx-multipoint", technician=self.ines, started_at=timezone.now(), status="signed", number=900
        )
        self.assertEqual(self.read()["unfit"][0]["tags"], before[1:])
