"""Due: which rule makes an instrument due, told in words, and what must happen first."""

import csv
import io
from datetime import date, timedelta

import openpyxl
from django.utils import timezone
from icalendar import Calendar
from pypdf import PdfReader

from apps.kit.models import Reference
from apps.kit.selectors import reference_row, standing
from apps.planning.due import MOST_FEEDS
from apps.planning.models import Feed
from apps.plant.models import Area, Instrument, Trigger
from apps.runs.due import due_words
from apps.runs.models import Run
from apps.runs.projections import next_number, project_instrument
from apps.runs.tests.base import PlantTestCase, make_reference

TODAY = date(2026, 11, 23)


class DueReasons(PlantTestCase):
    def reason(self, due, done=None, interval=180, **more):
        return due_words(Instrument(next_due=due, last_done_on=done, interval_days=interval, **more), TODAY)

    def test_each_case_in_words(self):
        day = timedelta(days=1)
        for due, done, words in (
            (None, None, "No interval is set"),
            (TODAY, None, "Due today: never calibrated here yet."),
            (TODAY - day, TODAY - 181 * day, "Overdue by 1 day: every 180 days, last done 26 May 2026."),
            (TODAY - 12 * day, TODAY - 192 * day, "Overdue by 12 days"),
            (TODAY + day, TODAY - 179 * day, "Due in 1 day:"),
        ):
            with self.subTest(due=due):
                self.assertIn(words, self.reason(due, done))
        self.assertIn(
            "Due since 3 days, in its grace of 7: its own rule.", self.reason(TODAY - 3 * day, grace_days=7, due_why="its own rule")
        )

    def test_what_happened_makes_it_due_and_the_next_run_settles_it(self):
        self.instrument.next_due = timezone.localdate() + timedelta(days=90)
        self.instrument.save()
        self.sign_in(self.ines)
        self.assertEqual(self.post("instruments/PT-2110/happened/", {"kind": "power-down", "note": "breaker"}).status_code, 201)
        row = self.get("due/").json()["rows"][0]
        self.assertEqual((row["tag"], row["standing"]), ("PT-2110", "due today"))
        self.assertIn("without power", row["why"])
        self.assertIn("(breaker)", row["why"])
        self.assertFailure(self.post("instruments/PT-2110/happened/", {"kind": "storm"}), 400, "unknown_choice")
        self.signed_run()
        self.instrument.refresh_from_db()
        self.assertEqual((self.instrument.next_due - timezone.localdate()).days, 365)
        self.assertEqual(Trigger.objects.get().settled_by, Run.objects.get().label)

    def days(self, **query):
        found = self.get("due/days/" + ("?area=" + query["area"] if query else "")).json()
        return {d["day"]: (d["due"], d["overdue"]) for d in found}

    def test_the_calendar_counts_what_falls_due_and_puts_the_overdue_at_today(self):
        self.sign_in(self.ines)
        today = timezone.localdate()
        other = Area.objects.create(code="ECL", name="Electrochlorination")
        for n, (left, area) in enumerate(((-40, self.area), (-1, self.area), (0, self.area), (3, other), (3, self.area), (200, other))):
            self.instrument.pk, self.instrument.tag, self.instrument.serial = None, f"PT-40{n}", f"S{n}"
            self.instrument.area, self.instrument.next_due = area, today + timedelta(days=left)
            self.instrument.save()
        Instrument.objects.filter(tag="PT-2110").delete()
        shown = self.days()
        self.assertEqual((len(shown), date.fromisoformat(min(shown)).weekday()), (35, 0))
        self.assertEqual(shown[today.isoformat()], (3, 2))
        self.assertEqual(shown[(today + timedelta(days=3)).isoformat()], (2, 0))
        self.assertEqual(sum(n for n, _ in shown.values()), 5)
        self.assertEqual(self.days(area="ECL")[(today + timedelta(days=3)).isoformat()], (1, 0))

    def test_the_list_is_narrowed_to_one_day_of_the_calendar(self):
        self.sign_in(self.ines)
        today = timezone.localdate()
        for n, left in enumerate((-2, 0, 4)):
            self.instrument.pk, self.instrument.tag, self.instrument.serial = None, f"PT-40{n}", f"S{n}"
            self.instrument.next_due = today + timedelta(days=left)
            self.instrument.save()
        Instrument.objects.filter(tag="PT-2110").delete()

        def tags(on):
            return [r["tag"] for r in self.get(f"due/?on={on}").json()["rows"]]

        self.assertEqual(tags(today.isoformat()), ["PT-400", "PT-401"])
        self.assertEqual(tags((today + timedelta(days=4)).isoformat()), ["PT-402"])
        self.assertEqual(tags((today + timedelta(days=5)).isoformat()), [])
        self.assertEqual(len(tags("no-day")), 3)  # what is no date narrows nothing

    def test_a_run_under_way_stays_in_the_count_until_it_is_signed(self):
        self.sign_in(self.ines)
        today = timezone.localdate()
        Instrument.objects.update(next_due=today)
        self.assertEqual(self.days()[today.isoformat()], (1, 0))
        self.start()
        self.assertEqual(self.days()[today.isoformat()], (1, 0))

    def test_a_re_zero_is_due_in_twenty_minutes_or_when_it_was_said(self):
        self.sign_in(self.ines)
        self.post("instruments/PT-2110/happened/", {"kind": "re-zero"})
        self.post("instruments/PT-2110/happened/", {"kind": "re-zero", "minutes": "45"})
        waits = [round((t.due_at - t.at).total_seconds() / 60) for t in Trigger.objects.order_by("pk")]
        self.assertEqual(waits, [20, 45])
        self.assertFailure(self.post("instruments/PT-2110/happened/", {"kind": "re-zero", "minutes": "-1"}), 400, "out_of_range")

    def test_putting_off_needs_a_reason_and_somebody_else(self):
        until = (timezone.localdate() + timedelta(days=20)).isoformat()
        asked = {"until": until, "reason": "No shutdown before; operators watch the twin"}
        self.sign_in(self.ines)
        self.assertFailure(self.post("instruments/PT-2110/defer/", asked), 403, "not_allowed")
        self.sign_in(self.ruben)
        self.assertFailure(self.post("instruments/PT-2110/defer/", {**asked, "reason": "no "}), 400, "missing")
        self.assertFailure(self.post("instruments/PT-2110/defer/", {**asked, "until": "2020-01-01"}), 400, "out_of_range")
        self.assertFailure(self.post("instruments/PT-2110/defer/", {**asked, "until": "soon"}), 400, "bad_date")
        made = self.post("instruments/PT-2110/defer/", asked).json()
        self.assertFailure(self.post("instruments/PT-2110/defer/", asked), 400, "asked_already")
        self.assertEqual(self.get("due/").json()["rows"][0]["standing"], "due today")  # not before it is approved
        self.assertFailure(self.post(f"deferrals/{made['id']}/", {"approve": True}), 403, "not_allowed")
        self.sign_in(self.marta)
        self.assertFailure(self.post(f"deferrals/{made['id']}/", {"approve": False}), 400, "missing")
        self.assertEqual(self.post(f"deferrals/{made['id']}/", {"approve": True}).json()["state"], "approved")
        row = self.get("due/").json()["rows"][0]
        self.assertEqual((row["next_due"], row["standing"]), (until, "soon"))
        self.assertIn("approved by Marta Calder: No shutdown before", row["why"])
        self.assertFailure(self.post(f"deferrals/{made['id']}/", {"approve": True}), 404, "unknown_deferral")

    def test_a_calendar_link_is_private_and_can_be_revoked(self):
        self.sign_in(self.ines)
        made = self.post("feeds/", {"area": "RO"}).json()
        self.client.logout()
        path = made["address"].partition("/api/v1/")[2]
        answer = self.get(path)
        event = next(e for e in Calendar.from_ical(answer.content).walk("VEVENT"))
        self.assertEqual((answer.status_code, str(event["summary"])), (200, "PT-2110 due: Permeate pressure"))
        self.sign_in(self.tomas)
        self.assertEqual(self.client.delete(f"/api/v1/feeds/{made['id']}/").status_code, 404)
        self.sign_in(self.ines)
        self.assertEqual(self.client.delete(f"/api/v1/feeds/{made['id']}/").status_code, 204)
        self.assertFailure(self.get(path), 404, "unknown_feed")
        self.assertFailure(self.get("calendars/x.ics"), 404, "unknown_feed")
        self.assertNotIn(Feed.objects.get(pk=made["id"]).token, made["address"])  # only a hash is kept
        self.assertEqual([self.post("feeds/", {"area": "RO"}).status_code for _ in range(MOST_FEEDS + 1)], [201] * MOST_FEEDS + [400])
        self.assertEqual({f["address"] for f in self.get("feeds/").json()}, {""})
        Feed.objects.all().delete()
        self.assertFailure(self.post("feeds/", {"area": "XX"}), 404, "unknown_area")

    def test_who_plans_makes_a_calendar_for_each_person(self):
        self.sign_in(self.ines)
        self.assertFailure(self.post("feeds/", {"area": "", "person": "tomas"}), 403, "not_allowed")
        self.assertEqual(self.post("feeds/", {"area": "", "person": "ines"}).json()["person"], "")  # one's own
        self.sign_in(self.ruben)
        self.assertFailure(self.post("feeds/", {"area": "", "person": "nobody"}), 404, "unknown_person")
        made = self.post("feeds/", {"area": "", "person": "tomas"}).json()
        self.assertEqual(made["person"], "Tomas Calder")
        answer = self.get(made["address"].partition("/api/v1/")[2])
        self.assertIn("Rounds of Tomas Calder", answer.content.decode())

    def test_editing_the_rule_moves_the_due_date(self):
        self.signed_run()
        self.sign_in(self.ruben)
        form = self.get("instruments/PT-2110/").json()["form"]
        edited = self.client.put(
            "/api/v1/instruments/PT-2110/", {**form, "interval_days": "100", "reason": "drifts more"}, content_type="application/json"
        ).json()
        self.assertEqual(edited["next_due"], (timezone.localdate() + timedelta(days=100)).isoformat())
        edited = self.client.put(
            "/api/v1/instruments/PT-2110/", {**form, "due_rule": "drift", "reason": "drifts more"}, content_type="application/json"
        ).json()
        self.assertIn("needs an interval from as left to as found", edited["due_reason"])

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
            method="gone",
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


class UnderWay(PlantTestCase):
    """Starting is not doing: an instrument stays due, and is told to be under way, until its run is signed."""

    def test_an_open_run_hides_nothing(self):
        self.sign_in(self.ines)
        self.instrument.next_due = timezone.localdate() - timedelta(days=176)
        self.instrument.save()
        before = self.get("today/").json()["overdue_total"]
        run = self.start()
        today = self.get("today/").json()
        self.assertEqual(today["overdue_total"], before)
        row = next(r for r in today["overdue"] if r["tag"] == "PT-2110")
        self.assertEqual(row["open_run"], run["id"])
        self.assertIn("Overdue by 176 days", row["why"])
        self.assertRegex(row["why"], r"Under way since .*, by Ines Calder, at 'Right instrument' \(VL-000001\)")
        listed = self.get("due/?days=0").json()["rows"]
        self.assertEqual([(r["tag"], r["open_run"], r["standing"]) for r in listed], [("PT-2110", run["id"], "overdue")])
        days = {d["day"]: d["overdue"] for d in self.get("due/days/").json()}
        self.assertEqual(days[timezone.localdate().isoformat()], 1)
        self.assertIn("Under way since", self.get("instruments/PT-2110/").json()["due_reason"])
        self.post(f"runs/{run['id']}/void/", {"expected_seq": self.seq, "reason": "Only looked"})
        row = self.get("due/?days=0").json()["rows"][0]
        self.assertEqual((row["open_run"], "Under way" in row["why"]), (None, False))


class Consequences(PlantTestCase):
    """What a job leaves behind makes its instrument due at once, and is marked wherever the instrument is shown."""

    def setUp(self):
        self.instrument.method, self.instrument.family = "gas-zero-span", "gas detector"
        self.instrument.unit, self.instrument.details = "ppm", {"gas": "chlorine"}
        self.instrument.interval_days, self.instrument.next_due = 180, timezone.localdate() + timedelta(days=159)
        self.instrument.save()
        self.sign_in(self.ines)

    def ended(self, method, **more):
        """A run that has ended, as it is projected."""
        now = timezone.now()
        made = Run.objects.create(
            number=next_number(), instrument=self.instrument, method=method, revision="1", technician=self.ines, started_at=now,
            **{"status": "signed", "signed_at": now, "ended_at": now, "left_verdict": "pass", "found_verdict": "pass", "found_share": 10.0,
               "left_share": 10.0, "decision": "leave", **more},
        )  # fmt: skip
        project_instrument(self.instrument)
        self.instrument.refresh_from_db()
        return made

    def days(self):
        return (self.instrument.next_due - timezone.localdate()).days

    def test_a_dead_detector_that_failed_its_check_is_due_at_once_and_marked(self):
        self.ended("gas-zero-span")
        self.assertEqual((self.days(), self.instrument.doubt), (180, ""))
        self.ended("gas-bump", found_verdict="fail", left_verdict="fail", found_share=-100.0, left_share=-100.0)
        self.assertEqual(self.days(), 0)
        row = self.get("due/?days=0").json()["rows"][0]
        self.assertIn("it failed its check and was left so in VL-000002", row["why"])
        self.assertEqual(self.get("today/").json()["due"][0]["doubt"], self.instrument.doubt)
        page = self.get("instruments/PT-2110/").json()
        self.assertIn("it failed its check", page["doubt"])
        self.assertIn("failed its check", self.get("instruments/").json()["rows"][0]["doubt"])

    def test_configuring_moves_no_due_date_and_a_trim_in_it_makes_it_due_at_once(self):
        self.instrument.method, self.instrument.family, self.instrument.details = "tx-multipoint", "transmitter", {}
        self.instrument.save()
        self.ended("tx-multipoint")
        was = self.instrument.last_done_on
        before = timezone.localtime() - timedelta(days=10)
        Run.objects.update(signed_at=before, ended_at=before)
        self.ended("tx-configure")
        self.assertEqual((self.days(), self.instrument.doubt), (170, ""))
        self.assertNotEqual(self.instrument.last_done_on, was)
        self.ended("tx-configure", adjusted=True)
        self.assertEqual(self.days(), 0)
        self.assertIn("trimmed in VL-000003", self.instrument.doubt)
        self.ended("tx-multipoint")
        self.assertEqual((self.days(), self.instrument.doubt), (180, ""))

    def test_the_calibration_that_a_failed_check_became_moves_date_and_last_result(self):
        self.ended("gas-bump", found_verdict="fail", left_verdict="pass", found_share=-60.0, adjusted=True, decision="leave")
        self.assertEqual((self.days(), self.instrument.doubt), (180, ""))
        self.assertEqual((self.instrument.last_found, self.instrument.last_left), ("fail", "pass"))

    def test_a_check_that_passed_is_no_calibration(self):
        self.ended("gas-zero-span", found_verdict="marginal")
        self.ended("gas-bump")
        self.assertEqual(self.instrument.last_found, "marginal")

    def test_voided_with_something_set_it_is_due_until_it_is_proved(self):
        self.ended("gas-zero-span")
        self.ended("gas-zero-span", status="voided", signed_at=None, adjusted=True, left_verdict="", decision="")
        self.assertEqual(self.days(), 0)
        self.assertIn("was voided", self.instrument.doubt)
        self.ended("gas-zero-span")
        self.assertEqual((self.days(), self.instrument.doubt), (180, ""))

    def test_what_can_wait_takes_a_second_person_and_an_end(self):
        self.ended("gas-zero-span", left_verdict="fail", left_share=200.0)
        self.sign_in(self.ruben)
        until = (timezone.localdate() + timedelta(days=3)).isoformat()
        asked = self.post(
            "instruments/PT-2110/defer/", {"until": until, "reason": "portable monitor stands beside it, round every two hours"}
        )
        self.instrument.refresh_from_db()
        self.assertEqual((asked.status_code, self.days()), (201, 0))
        self.assertNotEqual(self.instrument.doubt, "")


class DueFiles(PlantTestCase):
    """The list as a file and on paper: everything that is chosen, guarded against formulas, with what is under way."""

    def setUp(self):
        super().setUp()
        today = timezone.localdate()
        Instrument.objects.update(next_due=today - timedelta(days=3))
        for n in range(120):
            self.instrument.pk, self.instrument.tag, self.instrument.serial = None, f"PT-4{n:03d}", f"S{n}"
            self.instrument.next_due, self.instrument.service = today + timedelta(days=n), "=1+1" if n == 5 else "Feed pressure"
            self.instrument.save()

    def file(self, **asked):
        return self.client.get("/api/v1/due/file/", asked)

    def test_all_of_what_is_chosen_in_each_kind(self):
        text = b"".join(self.file(days="30").streaming_content).decode("utf-8-sig")
        rows = list(csv.reader(io.StringIO(text)))
        self.assertEqual((rows[0][0], len(rows)), ("Tag", 1 + 1 + 31))  # overdue, and today to day 30
        self.assertEqual((rows[1][0], rows[1][5]), ("PT-2110", "-3"))
        self.assertEqual(next(r for r in rows if r[0] == "PT-4005")[1], "'=1+1")
        book = openpyxl.load_workbook(io.BytesIO(self.file(kind="xlsx", days="7").content))
        self.assertEqual(book.active.max_row, 1 + 1 + 8)
        pdf = PdfReader(io.BytesIO(self.file(kind="pdf", days="365").content))
        pages = [page.extract_text() for page in pdf.pages]
        self.assertIn("121 instruments.", pages[0])
        self.assertIn("PT-4119", pages[-1])
        on = (timezone.localdate() + timedelta(days=9)).isoformat()
        self.assertIn("1 instrument.", PdfReader(io.BytesIO(self.file(kind="pdf", on=on).content)).pages[0].extract_text())

    def test_what_is_under_way_is_in_it(self):
        self.start()
        rows = list(csv.reader(io.StringIO(b"".join(self.file(days="0").streaming_content).decode("utf-8-sig"))))
        self.assertIn("Under way since", next(r for r in rows if r[0] == "PT-2110")[7])
