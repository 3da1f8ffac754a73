"""A method that only the tests have goes from the register through run, certificate, CSV and lists: nothing but its own module knows it."""

import csv
import io

from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from apps.plant.models import Instrument
from apps.records.tests.corpus import pdf_text
from apps.runs.models import Result, Run
from apps.runs.tests.base import PlantTestCase
from metrology.methods.registry import forget, register
from metrology.tests.toy import TOY


class Toy(PlantTestCase):
    def setUp(self):
        super().setUp()
        register(TOY)
        self.addCleanup(forget, TOY.key)

    def registered(self, **details):
        self.sign_in(self.ruben)
        form = self.get("instruments/PT-2110/").json()["form"]
        answer = self.client.put(
            "/api/v1/instruments/PT-2110/",
            {**form, "method": TOY.key, "details": {"at_percent": "50", **details}, "reason": "another way"},
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        self.sign_in(self.ines)
        return answer.json()

    def test_the_form_asks_its_settings_and_refuses_what_is_wrong(self):
        offered = self.get("instruments/").json()
        asked = {d["name"]: d for d in offered["details"] if TOY.key in d["methods"]}
        self.assertEqual((asked["at_percent"]["label"], asked["agree"]["kind"]), ("Read again at", "number"))
        self.assertIn(TOY.key, offered["methods"]["transmitter"])
        page = self.registered(agree="0.02")
        self.assertIn("Two readings agree within: 0.02.", page["policies"])
        self.sign_in(self.ruben)
        form = self.get("instruments/PT-2110/").json()["form"]
        wrong = {**form, "details": {"at_percent": "101"}, "reason": "wrong"}
        refused = self.client.put("/api/v1/instruments/PT-2110/", wrong, content_type="application/json")
        self.assertFailure(refused, 400, "out_of_range")

    def test_a_file_brings_its_settings_and_takes_them_out_again(self):
        self.sign_in(self.ruben)
        head = "Tag,Serial,Service,Area,Unit,LRV,URV,Tolerance,Method,Read again at"
        data = f"{head}\nPT-9,S-9,Mood,RO,kPa,0,400,0.5,toy-looks,25".encode()
        batch = self.client.post("/api/v1/imports/", {"file": SimpleUploadedFile("toys.csv", data)}).json()
        self.assertEqual(batch["counts"]["refused"], 0, self.get(f"imports/{batch['id']}/rows/").json()["rows"])
        self.post(f"imports/{batch['id']}/write/", {})
        self.assertEqual(Instrument.objects.get(tag="PT-9").details, {"at_percent": "25"})
        answer = self.client.get("/api/v1/exports/instruments/?kind=csv")
        text = (answer.getvalue() if answer.streaming else answer.content).decode("utf-8-sig")
        row = next(r for r in csv.DictReader(io.StringIO(text)) if r["Tag"] == "PT-9")
        self.assertEqual((row["Method"], row["Read again at"]), ("toy-looks", "25"))

    def run_it(self):
        self.start()
        view = self.forward({"applied": "MB-P01", "indicated": "MB-I01"}, song="An old one")
        self.assertEqual(view["step"]["readings"]["total"], 2)
        for n, (seen, mood) in enumerate((("12.30", "3"), ("12.10", "4"), ("12.12", "8"))):
            self.ok(("reading_taken", {"step": "as_found", "slot": n, "indicated": seen, "mood": mood}))
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.assertEqual((view["step"]["key"], view["step"]["judge"]["proposal"]), ("judge", "adjust"))
        self.ok(("decision_made", {"step": "judge", "choice": "adjust"}))
        self.ok(("adjustment_made", {"step": "adjust", "screw": "mood screw", "before": "12.12", "after": "12.00"}))
        self.ok(("step_confirmed", {"step": "adjust"}))
        for n in range(2):
            self.ok(("reading_taken", {"step": "as_left", "slot": n, "indicated": "12.00"}))
        view = self.ok(("decision_made", {"step": "judge_left", "choice": "leave"}), ("step_confirmed", {"step": "restore"}))["view"]
        self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": {"reading": "200", "operator": "Control"}}))
        self.assertEqual(self.sign().status_code, 200)
        return Run.objects.get(pk=self.run_id)

    def test_it_runs_and_its_own_words_stand_on_screen_certificate_and_in_the_csv(self):
        self.registered()
        run = self.run_it()
        view = self.get(f"runs/{run.id}/").json()["view"]
        found = view["evidence"][0]
        self.assertEqual([c["label"] for c in found["columns"]][:4], ["Look", "Pushed kPa", "Hoped for mA", "Seen mA"])
        self.assertEqual(found["criteria"][0]["label"], "Two looks apart")
        self.assertEqual(found["plot"]["y"], "wrong by, mA")
        words = pdf_text(self.client.get(f"/api/v1/runs/{run.id}/certificate.pdf").content)
        for told in (
            "Looks until two agree, revision 1",
            "Wrong by, mA",
            "Two looks apart",
            "Moods",
            "Sing to it",
            "An old one",
            "Leave it be",
        ):
            self.assertIn(told, words)
        rows = list(csv.reader(io.StringIO(self.client.get(f"/api/v1/runs/{run.id}/export.csv").content.decode("utf-8-sig"))))
        self.assertIn("wrong by (mA)", rows[0])
        self.assertIn("Two looks apart", [r[18] for r in rows])

    def test_lists_trends_and_due_dates_know_its_results(self):
        self.registered()
        run = self.run_it()
        self.assertEqual((run.found_verdict, run.left_verdict), ("fail", "pass"))
        self.assertEqual([(r.name, round(r.value, 6)) for r in Result.objects.filter(run=run, phase="as found")], [("apart", 0.02)])
        self.assertEqual([t["label"] for t in self.get("instruments/PT-2110/trends/").json()], ["Looks apart"])
        i = Instrument.objects.get(tag="PT-2110")
        self.assertEqual((i.last_left, i.last_done_on), ("pass", timezone.localdate()))
        self.assertGreater(i.next_due, timezone.localdate())
