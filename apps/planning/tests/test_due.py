"""Due: which rule makes an instrument due, told in words, and what must happen first."""

from datetime import date, timedelta

from apps.kit.models import Reference
from apps.kit.selectors import reference_row, standing
from apps.planning.selectors import due_reason
from apps.plant.models import Instrument
from apps.runs.tests.base import PlantTestCase, make_reference

TODAY = date(2026, 11, 23)


class DueReasons(PlantTestCase):
    def reason(self, due, done=None, interval=180):
        return due_reason(Instrument(next_due=due, last_done_on=done, interval_days=interval), TODAY)

    def test_each_case_in_words(self):
        day = timedelta(days=1)
        for due, done, words in (
            (None, None, "No interval is set"),
            (TODAY, None, "Due today: never calibrated here yet."),
            (TODAY - day, TODAY - 181 * day, "Overdue by 1 day: every 180 days, last done 26 May 2026."),
            (TODAY - 12 * day, TODAY - 192 * day, "Overdue by 12 days"),
            (TODAY + day, TODAY - 179 * day, "Due in 1 day:"),
            (TODAY - 3 * day, TODAY - 3 * day, "Marked for replacement at its last calibration on 20 Nov 2026."),
        ):
            with self.subTest(due=due):
                self.assertIn(words, self.reason(due, done))

    def test_a_replacement_makes_it_due_at_once(self):
        self.prepare()
        self.read(["4.4", "8.4", "12.4", "16.4", "20.4", "20.4", "16.4", "12.4", "8.4", "4.4"])
        view = self.ok(
            ("decision_made", {"step": "judge", "choice": "replace", "reason": "cell is corroded"}),
            ("step_confirmed", {"step": "restore", "checks": ["test_gear", "valves", "write_lock", "covers", "tidy"]}),
        )["view"]
        self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": {"reading": "212", "operator": "Control"}}))
        self.sign()
        self.instrument.refresh_from_db()
        self.assertEqual(self.instrument.next_due, self.instrument.last_done_on)
        self.assertEqual(self.instrument.last_found, "fail")

    def test_what_cannot_be_run_here_is_counted_but_not_offered(self):
        Instrument.objects.create(
            tag="AE-1",
            serial="S",
            service="S",
            area=self.area,
            unit="ppm",
            lrv=0,
            urv=5,
            tolerance_value=5,
            method="an-ph",
            next_due=date(2020, 1, 1),
        )
        data = self.get("today/").json()
        self.assertEqual(data["on_paper_total"], 1)
        self.assertNotIn("AE-1", [r["tag"] for r in data["overdue"]])

    def test_only_reviewers_are_told_what_waits_for_review(self):
        self.signed_run()
        self.assertEqual(self.get("today/").json()["to_review"], 0)
        self.sign_in(self.marta)
        self.assertEqual(self.get("today/").json()["to_review"], 1)


class Standing(PlantTestCase):
    def test_each_standing(self):
        for days, state, expected in (
            (100, "in service", "in date"),
            (30, "in service", "due soon"),
            (0, "in service", "due soon"),
            (-1, "in service", "expired"),
            (100, "quarantined", "quarantined"),
            (-5, "retired", "retired"),
        ):
            r = Reference(due_on=TODAY + timedelta(days=days), state=state)
            with self.subTest(days=days, state=state):
                self.assertEqual(standing(r, TODAY), expected)

    def test_a_row_tells_the_uncertainty_in_words(self):
        r = make_reference("MB-X", u=0.05)
        r.u_percent_reading = 0.01
        self.assertEqual(reference_row(r, TODAY)["uncertainty"], "U = 0.05 kPa + 0.01 % of reading (k = 2)")
        self.assertEqual(reference_row(r, TODAY)["quantity"], "pressure")
