"""Rounds over HTTP: made of what is due, built, moved and locked by hand, re-planned, followed, handed over."""

import io
from datetime import timedelta

from django.utils import timezone
from pypdf import PdfReader

from apps.accounts.models import Qualification
from apps.kit.models import Buffer, GasBottle, GasFitting, Reference
from apps.planning.models import PlannedWeek, Round
from apps.plant.models import Area, Instrument
from apps.runs.tests.base import PlantTestCase, make_qualified, make_reference

HYDROGEN = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10"}


class Rounds(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)
        self.day = timezone.localdate() + timedelta(days=1)
        Qualification.objects.filter(person=self.tomas).delete()
        self.far = Area.objects.create(code="ECL", name="Electrochlorination", east_m=400, needs_permit=True)
        Area.objects.create(code="WSH", name="Workshop", east_m=200)
        for n in range(4):
            self.instrument.pk, self.instrument.tag, self.instrument.serial = None, f"PT-300{n}", f"S{n}"
            self.instrument.save()

    def detector(self, tag, **more):
        return Instrument.objects.create(
            tag=tag, serial=tag, service="Hydrogen", area=self.area, family="gas detector", method="gas-zero-span", unit="%LEL", lrv=0, urv=100,
            tolerance_value=5, details=HYDROGEN, next_due=timezone.localdate(), voting_group="V-1", **more,
        )  # fmt: skip

    def gas(self, litres=90):
        due = timezone.localdate() + timedelta(days=200)
        for code, gas in (("G-H2", "hydrogen"), ("G-AIR", "")):
            gases = [{"gas": gas, "value": 50.0, "unit": "%LEL", "u_percent": 2.0, "basis": "iec"}] if gas else []
            GasBottle.objects.create(code=code, name="Gas", gases=gases, balance="air", oxygen=20.9, litres=litres, expires_on=due)
        GasFitting.objects.create(code="V-1", kind="regulator", material="stainless steel", flow_l_min=0.5)
        GasFitting.objects.create(code="L-1", kind="line", material="PTFE-lined", length_m=1)

    def make(self, crew=("ines", "tomas"), **more):
        people = [{"username": u, "start": "07:30", "end": "15:30"} for u in crew]
        answer = self.post("plans/", {"day": self.day.isoformat(), "crew": people, "areas": [], **more})
        self.assertEqual(answer.status_code, 201, answer.content)
        self.plan_id = answer.json()["id"]
        return answer.json()

    def solve(self):
        answer = self.post(f"plans/{self.plan_id}/solve/", {"seconds": 3})
        self.assertEqual(answer.status_code, 200, answer.content)
        made = answer.json()
        self.at = {j["tag"]: j for j in made["jobs"]}
        return made

    def change(self, tag, **data):
        return self.post(f"plans/{self.plan_id}/jobs/{tag}/", data)

    def test_what_is_due_is_planned_within_the_shift_with_kit_and_a_bound(self):
        made = self.make()
        self.assertEqual((made["status"], made["total"]), ("draft", 5))
        made = self.solve()
        self.assertEqual((made["status"], made["planned"], made["result"]["is_best"]), ("planned", 5, True))
        for job in made["jobs"]:
            self.assertTrue(all(450 <= t["start"] < t["end"] <= 930 for t in job["tasks"]), job)
            self.assertEqual(set(job["kit"]), {"MB-P01", "MB-I01"})
        people = {p for j in made["jobs"] for t in j["tasks"] for p in t["people"]}
        lunches = {
            c["username"]: c["lunch"] for c in made["crew"]
        }  # one calibrator can be with one person at a time: it changes hands at lunch, or not at all
        for half in (lambda job, noon: job["end"] <= noon, lambda job, noon: job["start"] >= noon):
            self.assertLessEqual(len({p for j in made["jobs"] for t in j["tasks"] for p in t["people"] if half(t, lunches[p])}), 1)
        handed = {k["code"]: k["handed"] for k in made["load"]["kit"]}
        self.assertEqual(all(handed.values()), len(people) > 1)
        self.assertEqual({k["code"] for k in made["load"]["kit"]}, {"MB-P01", "MB-I01"})

    def pack(self, person=""):
        pages = PdfReader(io.BytesIO(self.client.get(f"/api/v1/plans/{self.plan_id}/pack.pdf?person={person}").content)).pages
        return [p.extract_text() for p in pages]

    def test_the_pack_has_the_sheet_and_for_each_person_their_part_in_working_order(self):
        self.gas()
        self.detector("AE-1")
        Instrument.objects.filter(tag="PT-3000").update(method="an-ph", hazards="Acid", unit="pH", lrv=0, urv=14)
        self.make()
        self.solve()
        text = self.pack()
        self.assertIn("Who", text[0])
        self.assertIn("G-H2", "".join(text))
        for tag in self.at:
            self.assertTrue(any(tag in t and "Serial" in t for t in text), tag)
        self.assertIn("Caution: Acid", "".join(text))
        sheet = next(t for t in text if "PT-2110" in t and "Should read" in t)
        for head in ("As found", "As left", "Adjusting", "Before"):
            self.assertIn(head, sheet)
        by_person = {
            u: sorted(
                (min(t["start"] for t in j["tasks"] if u in t["people"]), k)
                for k, j in self.at.items()
                if any(u in t["people"] for t in j["tasks"])
            )
            for u in ("ines", "tomas")
        }
        for username, mine in by_person.items():
            own = "".join(self.pack(username))
            places = [own.index(tag) for _, tag in mine]
            self.assertEqual(places, sorted(places), username)
            for tag in set(self.at) - {tag for _, tag in mine}:
                self.assertNotIn(f"{tag}\n", own)
        self.assertFailure(self.client.get(f"/api/v1/plans/{self.plan_id}/pack.pdf?person=marta"), 404, "unknown_person")

    def test_a_simple_job_is_at_most_one_page_and_two_short_ones_share_theirs(self):
        Instrument.objects.exclude(tag__in=("PT-3000", "PT-3001")).update(next_due=self.day + timedelta(days=300))
        self.make(crew=("ines",))
        self.solve()
        pages = self.pack("ines")
        self.assertLessEqual(len(pages), 3)  # what to do and to take along, and a page a job
        for serial in ("S0", "S1"):  # each begins and ends on one page; the first may follow what is to be taken along
            begun = [t.split(f"Serial {serial}.")[1] for t in pages if f"Serial {serial}." in t]
            self.assertEqual((len(begun), "Sign: name" in begun[0]), (1, True), serial)
        self.assertTrue(all(len(t) > 500 for t in pages), [len(t) for t in pages])  # none near empty

    def test_faults_of_the_form_are_told_together(self):
        crew = [{"username": "marta", "start": "07:30", "end": "15:30"}, {"username": "ines", "start": "7h", "end": "15:30"}]
        answer = self.post("plans/", {"day": "2020-01-01", "crew": crew, "areas": ["XX"], "musts": ["PT-0"]})
        self.assertEqual(
            {f["code"] for f in answer.json()["details"]["faults"]},
            {"in_the_past", "unknown_person", "bad_time", "unknown_area", "unknown_tag"},
        )
        self.assertFalse(Round.objects.exists())
        Instrument.objects.update(next_due=self.day + timedelta(days=300))
        people = [{"username": "ines", "start": "07:30", "end": "15:30"}]
        self.assertFailure(self.post("plans/", {"day": self.day.isoformat(), "crew": people}), 400, "nothing_due")
        self.sign_in(self.ines)
        self.assertFailure(self.post("plans/", {"day": self.day.isoformat(), "crew": people}), 403, "not_allowed")

    def test_gas_work_takes_the_qualified_and_voters_are_never_held_together(self):
        self.gas()
        self.detector("AE-1")
        self.detector("AE-2")
        self.make(crew=("ines", "tomas"))
        self.solve()
        a, b = (self.at[t]["tasks"][-1] for t in ("AE-1", "AE-2"))
        self.assertEqual(a["people"] + b["people"], ["ines", "ines"])
        self.assertTrue(a["end"] <= b["start"] or b["end"] <= a["start"])
        gas = {g["code"]: g for g in self.get(f"plans/{self.plan_id}/").json()["load"]["gas"]}
        self.assertEqual(set(gas), {"G-H2", "G-AIR"})
        self.assertGreater(gas["G-H2"]["litres"], 0)

    def test_kit_too_coarse_for_the_tolerance_is_planned_only_where_nothing_finer_is_to_be_had(self):
        make_reference("MB-COARSE", u=0.9)  # TUR 2.2, 4 is wanted
        make_reference("MB-BLUNT", u=5.0)  # coarser than the tolerance itself
        self.make()
        made = self.solve()
        self.assertEqual({k for j in made["jobs"] for k in j["kit"]}, {"MB-P01", "MB-I01"})
        Reference.objects.filter(code="MB-P01").update(state="quarantined")
        made = self.solve()
        self.assertEqual({k for j in made["jobs"] for k in j["kit"]}, {"MB-COARSE", "MB-I01"})
        Reference.objects.filter(code="MB-COARSE").update(state="retired")
        self.solve()
        self.assertEqual(self.at["PT-2110"]["why_left"], "No kit that is good enough and in date is free for it.")

    def load(self):
        return self.get(f"plans/{self.plan_id}/").json()["load"]

    def test_the_load_has_the_regulator_and_the_line_that_fit_the_bottles(self):
        self.gas()
        GasFitting.objects.create(code="V-2", kind="regulator", material="brass", flow_l_min=1.5)  # another flow
        GasFitting.objects.create(code="L-0", kind="line", material="PTFE-lined", length_m=1, state="quarantined")
        self.detector("AE-1")
        self.make(crew=("ines",))
        self.solve()
        more = {m["code"]: m["words"] for m in self.load()["more"]}
        self.assertEqual(more, {"V-1": "Regulator, stainless steel, 0.5 l/min", "L-1": "Line, PTFE-lined"})
        self.assertEqual({m["code"]: m["who"] for m in self.load()["more"]}["V-1"], [self.ines.name])

    def buffer(self, code, ph, table="nist", days=100, **more):
        Buffer.objects.create(
            code=code, ph=ph, table=table, lot=f"L-{code}", litres=0.5, expires_on=self.day + timedelta(days=days), **more
        )

    def test_the_load_has_buffers_of_one_table_that_bracket_seven_and_are_good_on_the_day(self):
        Instrument.objects.filter(tag="PT-3000").update(method="an-ph", family="analyzer")
        self.buffer("B-4", 4.005)
        self.buffer("B-7", 6.865)
        self.buffer("B-9", 9.18)
        self.buffer("B-7x", 7.0, table="technical", days=-1)  # expired
        self.buffer("B-10", 10.01, table="technical")
        self.buffer("B-7old", 6.865, opened_on=self.day - timedelta(days=200))  # open for too long
        self.make()
        self.solve()
        self.assertEqual({m["code"] for m in self.load()["more"]}, {"B-4", "B-7"})
        self.assertEqual(self.load()["lacks"], [])
        Buffer.objects.filter(code__in=("B-4", "B-9")).update(state="retired")
        self.assertIn("PT-3000 needs buffers for", self.load()["lacks"][0])

    def test_the_load_has_weights_for_a_scale_or_says_that_none_is_in_date(self):
        Instrument.objects.filter(tag="PT-3000").update(
            method="weigh-indicator", family="weighing", unit="kg", urv=40, details={"known_load": "20"}
        )
        self.make()
        self.solve()
        self.assertIn("No kit that is good enough", self.at["PT-3000"]["why_left"])
        self.post(f"plans/{self.plan_id}/", {"status": "closed"})
        weight = make_reference("W-20", unit="kg", low=20.0, high=20.0, u=0.001)
        Reference.objects.filter(pk=weight.pk).update(kind="weight", name="Test weight 20 kg")
        self.make()
        self.solve()
        self.assertIn(("W-20", "Test weight 20 kg"), [(m["code"], m["words"]) for m in self.load()["kit"]])
        self.assertIn("Test weight 20 kg", "".join(self.pack()))

    def test_without_the_qualification_or_the_gas_it_is_left_out_with_the_reason(self):
        self.detector("AE-1")
        self.make(crew=("tomas",))
        self.solve()
        self.assertEqual(self.at["AE-1"]["why_left"], "Nobody on this round is qualified for gas work.")
        self.make(crew=("ines",))
        self.solve()
        self.assertIn("No bottle that fits", self.at["AE-1"]["why_left"])

    def test_what_was_planned_for_a_week_is_in_its_round_and_in_no_earlier_one(self):
        Instrument.objects.exclude(tag__in=("PT-3000", "PT-3001", "PT-3002")).update(next_due=self.day + timedelta(days=200))
        week = self.day - timedelta(days=self.day.weekday())
        for tag, due, planned in (("PT-3000", 40, week), ("PT-3001", 10, week + timedelta(days=7)), ("PT-3002", 40, week)):
            Instrument.objects.filter(tag=tag).update(next_due=self.day + timedelta(days=due))
            i = Instrument.objects.get(tag=tag)
            due_on = i.next_due - timedelta(days=1) if tag == "PT-3002" else i.next_due  # done since it was planned
            PlannedWeek.objects.create(instrument=i, week=planned, due_on=due_on, by=self.ruben, at=timezone.now())
        self.assertEqual([j["tag"] for j in self.make()["jobs"]], ["PT-3000"])
        rows = {r["tag"]: r["planned"] for r in self.get("due/?days=90").json()["rows"]}
        self.assertEqual((rows["PT-3000"], rows["PT-3002"]), (week.isoformat(), None))

    def test_a_qualification_counts_on_the_day_of_the_round(self):
        self.detector("AE-1")
        for until, expected in ((self.day - timedelta(days=1), []), (self.day, ["gas work"])):
            with self.subTest(until=until):
                Qualification.objects.filter(person=self.ines).delete()
                made = Qualification.objects.create(
                    person=self.ines, name="gas work", until=until, given_at=timezone.now(), given_by=self.ruben
                )
                self.assertEqual(self.make(crew=("ines",))["crew"][0]["skills"], expected)
                Round.objects.all().delete()
                made.delete()

    def test_what_an_instrument_and_the_way_to_it_take_is_wanted_too(self):
        self.detector("AE-1", access="height", skills="Breathing air")
        self.make(crew=("ines",))
        self.solve()
        self.assertEqual(self.at["AE-1"]["why_left"], "Nobody on this round is qualified for breathing air, gas work, work at height.")

    def test_a_bottle_planned_in_another_round_of_that_day_is_not_there(self):
        self.gas()
        self.detector("AE-1")
        self.make(crew=("ines",))
        self.solve()
        self.assertTrue(self.at["AE-1"]["tasks"])
        self.detector("AE-2")
        make_qualified(self.tomas, "gas work")
        self.make(crew=("tomas",))
        made = self.solve()
        self.assertIn("No bottle that fits", self.at["AE-2"]["why_left"])
        self.assertIn("G-H2", made["load"]["elsewhere"])

    def test_a_must_that_can_t_be_done_tells_the_smallest_clash_and_keeps_the_plan(self):
        self.detector("AE-1")
        self.make(crew=("tomas",))
        self.solve()
        self.change("AE-1", is_must=True)
        made = self.solve()
        self.assertEqual(made["result"]["clash"], ["AE-1 must be done.", "AE-1 needs somebody qualified for gas work."])
        self.assertEqual(made["planned"], 5)

    def test_what_was_moved_stays_there_when_it_is_planned_anew_and_a_bad_move_is_refused(self):
        self.make()
        self.solve()
        tags = sorted(self.at, key=lambda t: self.at[t]["tasks"][0]["start"])
        self.assertIn(
            "can't be at",
            self.assertFailure(
                self.change(
                    tags[0], start=f"{self.at[tags[1]]['tasks'][0]['start'] // 60:02d}:{self.at[tags[1]]['tasks'][0]['start'] % 60:02d}"
                ),
                400,
                "breaks",
            )["message"],
        )
        start, who = self.at[tags[1]]["tasks"][0]["start"], self.at[tags[1]]["tasks"][0]["people"][0]
        wish = {"person": who, "start": f"{start // 60:02d}:{start % 60:02d}"}
        refused = self.assertFailure(self.change(tags[0], **wish), 400, "breaks")
        self.assertIn("It can with this exchange:", refused["message"])
        made = self.change(tags[0], **wish, with_swap=True).json()
        at = {j["tag"]: j for j in made["jobs"]}
        self.assertEqual((at[tags[0]]["tasks"][0]["start"], at[tags[0]]["is_locked"]), (start, True))
        self.assertEqual({t for t, j in at.items() if j["tasks"]}, {t for t, j in self.at.items() if j["tasks"]})
        self.assertTrue(any(t in refused["message"] for t in self.at if at[t]["tasks"] != self.at[t]["tasks"] and t != tags[0]))
        self.assertEqual(self.change(tags[0], is_locked=False).status_code, 200)
        moved = self.change(tags[0], person=who, start="14:30", with_swap=True)
        self.assertEqual(moved.status_code, 200, moved.content)
        self.solve()
        self.assertEqual((self.at[tags[0]]["tasks"][0]["start"], self.at[tags[0]]["is_locked"]), (870, True))
        self.assertFailure(self.change(tags[1], start="25:00"), 400, "bad_time")
        self.assertFailure(self.change("PT-0", is_must=True), 404, "unknown_job")
        self.assertEqual(self.change(tags[1], remove=True).json()["total"], 4)

    def test_a_permit_is_kept_and_a_round_half_done_is_planned_on(self):
        Instrument.objects.filter(tag="PT-3000").update(area=self.far)
        self.make(permits=[{"area": "ECL", "start": "13:00", "end": "14:30"}])
        self.solve()
        task = self.at["PT-3000"]["tasks"][-1]
        self.assertTrue(task["start"] >= 780 and task["end"] <= 870)
        self.assertEqual(self.post(f"plans/{self.plan_id}/", {"status": "under way"}).json()["status"], "under way")
        Round.objects.update(day=timezone.localdate())
        self.sign_in(self.ines)
        self.signed_run()  # PT-2110
        self.start("PT-3001")
        self.sign_in(self.ruben)
        body = self.get(f"plans/{self.plan_id}/").json()
        states = {j["tag"]: j["state"] for j in body["jobs"]}
        self.assertEqual((states["PT-2110"], states["PT-3001"], states["PT-3002"]), ("done", "under way", "to do"))
        self.assertEqual(body["hand_over"][0]["tag"], "PT-3001")
        self.assertNotIn("PT-2110", [h["tag"] for h in body["hand_over"]])
        self.assertFailure(self.post(f"plans/{self.plan_id}/", {"status": "under way"}), 400, "not_now")
