"""Certificates and exports of the methods beyond the multi-point check: what each has to say is in them."""

import csv
import io

from pypdf import PdfReader

from apps.plant.models import Instrument
from apps.runs.models import Run
from apps.runs.store import find_broken_link
from apps.runs.tests.base import PASSWORD, PlantTestCase, make_reference
from metrology.quantities.temperature import pt_resistance

DEVICE = {
    "tag": "PT1",
    "unit": "kPa",
    "lrv": "0",
    "urv": "400",
    "damping": "1",
    "lrl": "-100",
    "url": "1000",
    "min_span": "11",
    "write_protect": "off",
}


class Records(PlantTestCase):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        for code, unit, low, high, u in (
            ("MB-T01", "°C", -50, 700, 0.02),
            ("MB-B01", "°C", -50, 700, 0.3),
            ("MB-R01", "ohm", 0, 400, 0.002),
            ("MB-W01", "kg", 0, 10, 0.0001),
        ):
            make_reference(code, unit=unit, low=low, high=high, u=u)

    def add(self, tag, method, **more):
        return Instrument.objects.create(
            **{
                "tag": tag,
                "serial": "S",
                "service": "Service",
                "area": self.area,
                "unit": "kPa",
                "lrv": 0,
                "urv": 400,
                "tolerance_value": 0.5,
                "method": method,
                **more,
            }
        )

    def take(self, told):
        """All readings of the current set."""
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        key = view["step"]["key"]
        while view["step"] and view["step"]["key"] == key:
            n = view["step"]["readings"]["next"]
            q = {x["name"]: x for x in n["quantities"]}
            view = self.ok(("reading_taken", {"step": key, "slot": n["slot"], "indicated": told(n, q["indicated"])}))["view"]

    def decide(self, step, choice="leave", reason=""):
        self.ok(("decision_made", {"step": step, "choice": choice, "reason": reason}))

    def finish(self):
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.ok(("step_confirmed", {"step": "restore", "checks": [c["key"] for c in view["step"]["checks"]]}))
        hold = view["holds"][0]["id"]
        self.ok(("hold_released", {"hold": hold, "values": {"reading": "50", "operator": "Control room"}}))
        answer = self.post(f"runs/{self.run_id}/sign/", {"expected_seq": self.seq, "password": PASSWORD})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(find_broken_link(Run.objects.get(pk=self.run_id)), "")

    def certificate(self):
        answer = self.get(f"runs/{self.run_id}/certificate.pdf")
        self.assertEqual(answer.status_code, 200)
        pages = PdfReader(io.BytesIO(answer.content)).pages
        return " ".join(" ".join(page.extract_text() for page in pages).split())

    def rows(self):
        return list(csv.DictReader(io.StringIO(self.get(f"runs/{self.run_id}/export.csv").content.decode())))

    def assertTold(self, text, *words):
        for each in words:
            self.assertIn(each, text)

    def test_a_sensor_with_its_fit(self):
        self.add("TE-1", "temp-sensor", unit="°C", urv=100, tolerance_basis="unit", details={"sensor": "pt"}, family="temperature sensor")
        self.start("TE-1")
        self.forward({"applied": "MB-T01", "block": "MB-B01", "indicated": "MB-R01"})
        self.take(lambda n, q: f"{pt_resistance(float(n['nominal'])) + 0.02:.3f}")
        self.decide("judge")
        self.finish()
        self.assertTold(
            self.certificate(),
            "Temperature sensor in a block or bath",
            "platinum, IEC 60751",
            "Read ohm",
            "Matching R0: 100.02",
            "Block or bath",
        )
        rows = self.rows()
        self.assertEqual((rows[0]["unit"], rows[0]["indicated (ohm)"], rows[0]["source"]), ("ohm", "100.020", "typed"))

    def test_a_displacer_with_its_loads_and_wet_proof(self):
        details = {
            "displacer_weight": "2",
            "displacer_volume": "1000",
            "density": "0.001",
            "weights_on_hand": "1 0.5 0.2 0.2 0.1 0.05",
            "has_column": True,
        }
        self.add("LT-1", "level-displacer", unit="%", urv=100, tolerance_value=1, details=details)
        self.start("LT-1")
        self.forward({"applied": "MB-W01", "indicated": "MB-I01"})
        self.take(lambda n, q: q["expected"])
        self.decide("judge")
        self.ok(("step_confirmed", {"step": "mount", "checks": ["hung", "closed"]}))
        self.take(lambda n, q: q["expected"])
        self.decide("judge_wet")
        self.finish()
        self.assertTold(
            self.certificate(), "Weights for each level", "1 + 0.5 + 0.2 + 0.05", "Wet proof: readings", "At the input: 0 % 2.0000 kg"
        )

    def test_a_loop_with_every_display_and_alarm(self):
        self.add("LC-1", "loop-check", details={"displays": "Isolator mA 4 20; Recorder % 0 100", "alarms": "High 380 rising"})
        self.start("LC-1")
        self.forward({"applied": "MB-I01"})
        self.take(lambda n, q: q["expected"])
        self.decide("judge")
        self.finish()
        self.assertTold(self.certificate(), "Loop check", "(+0.00 % of its range) at", "Alarm High", "Applied mA")
        rows = self.rows()
        self.assertEqual({(r["channel"], r["unit"]) for r in rows}, {("Isolator", "mA"), ("Recorder", "%"), ("Alarm High", "mA")})
        self.assertEqual(rows[1]["applied (mA)"], "4.000")

    def test_parameters_before_and_after_stand_side_by_side(self):
        self.start(method="tx-configure")
        self.forward({"indicated": "MB-I01"})
        self.ok(("parameters_captured", {"step": "read_device", "kind": "before", "values": DEVICE}))
        self.ok(("step_confirmed", {"step": "read_device"}))
        self.take(lambda n, q: q["expected"])
        self.decide("judge")
        for kind, values in (("pending", {"urv": "250"}), ("sent", {"urv": "250"}), ("read back", {**DEVICE, "urv": "250"})):
            self.ok(("parameters_captured", {"step": "configure", "kind": kind, "values": values}))
        self.ok(("step_confirmed", {"step": "configure"}))
        self.ok(("parameters_captured", {"step": "read_after", "kind": "after", "values": {**DEVICE, "urv": "250"}}))
        self.ok(("step_confirmed", {"step": "read_after", "reason": "Re-ranged on request 118; register follows"}))
        self.finish()
        told = "Re-ranged on request 118; register follows"
        self.assertTold(
            self.certificate(), "Parameters", "Before: typed. After: typed.", "URV 400 250", "Loop test, as found: readings", told
        )
        self.assertIsNone(Instrument.objects.get(tag="PT-2110").last_done_on)  # a re-ranging is no calibration

    def test_one_reading_after_another_is_told_in_the_log(self):
        self.start(method="tx-configure")
        self.forward({"indicated": "MB-I01"})
        self.ok(("parameters_captured", {"step": "read_device", "kind": "before", "values": DEVICE}))
        told = [row["what"] for row in self.get(f"runs/{self.run_id}/log/").json()]
        self.assertIn("kept a parameter set (before, typed)", told)
