"""Instruments taken out of use and back, renamed, and begun with a history: nothing due is lost, nothing that is not there is due."""

from datetime import timedelta

from django.utils import timezone

from apps.planning.models import Round, RoundJob
from apps.plant.models import Instrument, InstrumentChange
from apps.runs.models import Hold, Run
from apps.runs.tests.base import PlantTestCase


class Use(PlantTestCase):
    def setUp(self):
        super().setUp()
        Instrument.objects.update(next_due=timezone.localdate() - timedelta(days=3))

    def use(self, state, reason="Line is mothballed", tag="PT-2110"):
        self.sign_in(self.ruben)
        answer = self.post(f"instruments/{tag}/use/", {"state": state, "reason": reason})
        self.sign_in(self.ines)
        return answer

    def it(self):
        return Instrument.objects.get(tag="PT-2110")

    def due(self):
        return {r["tag"] for r in self.get("due/").json()["rows"]}

    def test_out_of_use_it_is_due_nowhere_and_not_started_and_back_it_is_due_at_once(self):
        self.assertIn("PT-2110", self.due())
        body = self.use("out of use").json()
        self.assertEqual((body["state"], body["next_due"]), ("out of use", None))
        self.assertNotIn("PT-2110", self.due())
        self.assertNotIn("PT-2110", [r["tag"] for r in self.get("today/").json()["overdue"]])
        page = self.get("instruments/PT-2110/").json()
        self.assertIn("Out of use, or in the store since", page["due_reason"])
        self.assertIn("Line is mothballed. It is not due.", page["due_reason"])
        self.assertFailure(self.post("runs/", {"tag": "PT-2110"}), 400, "out_of_use")
        self.use("in use", "Line starts again")
        self.assertEqual(self.it().next_due, timezone.localdate())
        self.assertIn("taken back into use", self.it().due_why)
        self.assertEqual(InstrumentChange.objects.filter(instrument=self.it(), values__has_key="state").count(), 2)

    def test_back_in_use_it_stays_due_until_it_is_calibrated_whatever_is_edited(self):
        self.signed_run()
        self.use("out of use")
        self.use("in use", "Line starts again")
        self.sign_in(self.ruben)
        form = self.get("instruments/PT-2110/").json()["form"]
        self.client.put(
            "/api/v1/instruments/PT-2110/", {**form, "interval_days": "400", "reason": "as the others"}, content_type="application/json"
        )
        self.assertEqual(self.it().next_due, timezone.localdate())
        self.sign_in(self.ines)
        self.signed_run()
        self.assertEqual(self.it().next_due, timezone.localdate() + timedelta(days=400))

    def test_nothing_is_left_open_behind(self):
        self.start()
        self.assertFailure(self.use("out of use"), 409, "run_open")
        Run.objects.update(status="voided")
        hold = Hold.objects.create(
            event_id=self.run_id, run=Run.objects.get(), instrument=self.it(), kind="inhibit", reason="x", placed_by="Ines", placed_at=timezone.now(),
            until=timezone.now(),
        )  # fmt: skip
        self.assertFailure(self.use("retired"), 400, "on_hold")
        hold.delete()
        made = Round.objects.create(name="R", day=timezone.localdate(), status="planned", made_by=self.ruben, made_at=timezone.now())
        job = RoundJob.objects.create(round=made, instrument=self.it(), tasks=[{"start": 1, "end": 2, "people": ["ines"]}])
        self.assertFailure(self.use("retired"), 400, "planned")
        job.delete()
        self.assertEqual(self.use("retired").status_code, 200)

    def test_what_is_asked_of_it(self):
        self.assertFailure(self.use("lost"), 400, "unknown_choice")
        self.assertFailure(self.use("retired", "old"), 400, "missing")
        self.assertFailure(self.use("in use"), 400, "not_now")
        self.assertFailure(self.post("instruments/PT-2110/use/", {"state": "retired", "reason": "worn out"}), 403, "not_allowed")

    def test_a_retired_one_is_found_where_it_is_searched_for_and_its_records_stay(self):
        self.signed_run()
        self.use("retired")
        self.assertNotIn("PT-2110", [r["tag"] for r in self.get("instruments/").json()["rows"]])
        self.assertIn("PT-2110", [r["tag"] for r in self.get("instruments/?search=2110").json()["rows"]])
        self.assertEqual(self.get("records/?search=2110").json()["total"], 1)


class Renamed(PlantTestCase):
    def test_it_is_found_under_both_names_everywhere(self):
        self.signed_run()
        self.sign_in(self.ruben)
        for new in ("PT-2119", "PT-2120"):
            tag = Instrument.objects.get(service=self.instrument.service, serial="MB-1").tag
            form = self.get(f"instruments/{tag}/").json()["form"]
            answer = self.client.put(
                f"/api/v1/instruments/{tag}/", {**form, "tag": new, "reason": "new numbering"}, content_type="application/json"
            )
            self.assertEqual(answer.status_code, 200, answer.content)
        Instrument.objects.update(next_due=timezone.localdate())
        for name in ("PT-2110", "PT-2119", "PT-2120"):
            page = self.get(f"instruments/{name}/").json()
            self.assertEqual((page["tag"], page["names_before"]), ("PT-2120", ["PT-2110", "PT-2119"]), name)
            for listed in ("instruments", "due", "records"):
                self.assertEqual(self.get(f"{listed}/?search={name.lower()}").json()["total"], 1, (listed, name))
        self.assertEqual(self.client.get("/api/v1/instruments/PT-211/").status_code, 404)  # a part of an old name is no name


class History(PlantTestCase):
    def edit(self, **changes):
        self.sign_in(self.ruben)
        form = self.get("instruments/PT-2110/").json()["form"]
        return self.client.put(
            "/api/v1/instruments/PT-2110/", {**form, "reason": "taken from the old cards", **changes}, content_type="application/json"
        )

    def test_it_is_due_by_what_was_done_before_until_it_is_calibrated_here(self):
        on = timezone.localdate() - timedelta(days=100)
        answer = self.edit(before_on=on.isoformat(), before_by="Hill Laboratories", before_result="pass", interval_days="180").json()
        self.assertEqual(answer["next_due"], (timezone.localdate() + timedelta(days=80)).isoformat())
        self.assertIn("every 180 days, last calibrated on", answer["due_reason"])
        self.assertIn("by Hill Laboratories, before this register", answer["due_reason"])
        self.sign_in(self.ines)
        self.signed_run()
        self.assertEqual(Instrument.objects.get(tag="PT-2110").next_due, timezone.localdate() + timedelta(days=180))

    def test_left_outside_it_is_due_since_then(self):
        on = timezone.localdate() - timedelta(days=10)
        self.assertEqual(self.edit(before_on=on.isoformat(), before_result="fail").json()["next_due"], on.isoformat())

    def test_what_was_chosen_can_be_emptied_again(self):
        on = timezone.localdate().isoformat()
        self.assertEqual(self.edit(before_on=on, before_result="fail", access="height").json()["form"]["before_result"], "fail")
        form = self.edit(before_result="", access="").json()["form"]
        self.assertEqual((form["before_result"], form["access"]), ("", ""))

    def test_a_day_that_can_t_be_is_refused(self):
        for text, code in (
            ((timezone.localdate() + timedelta(days=1)).isoformat(), "out_of_range"), ("1949-12-31", "out_of_range"), ("last year", "bad_date"),
        ):  # fmt: skip
            body = self.edit(before_on=text)
            self.assertEqual((body.json()["field"], body.json()["code"]), ("before_on", code), text)
        for text in (timezone.localdate().isoformat(), "1950-01-01", ""):
            self.assertEqual(self.edit(before_on=text).status_code, 200, text)
