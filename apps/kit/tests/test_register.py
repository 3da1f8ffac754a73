"""The kit's registers: forms, states with their reasons, certificates read as data, incoming checks, and what stops."""

import io
import json
from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone

from apps.accounts.models import Person
from apps.kit.certificates import MAX_POINTS, read_certificate
from apps.kit.models import Buffer, GasBottle, KitChange, Reference, Trap
from apps.plant.policies import set_policies
from apps.runs.tests.base import PlantTestCase
from metrology.faults import Fault

TODAY = timezone.localdate()
FORM = {
    "code": "MB-P09", "name": "Calibrator", "kind": "calibrator", "serial": "S9", "unit": "kPa", "low": "0", "high": "1000", "u_absolute": "0.1", "k": "2",
    "certificate": "TP-9", "laboratory": "Tern Point", "traceability": "SI", "calibrated_on": (TODAY - timedelta(days=10)).isoformat(),
    "due_on": (TODAY + timedelta(days=355)).isoformat(),
}  # fmt: skip
DCC = """<?xml version="1.0"?>
<dcc:digitalCalibrationCertificate xmlns:dcc="https://ptb.de/dcc" xmlns:si="https://ptb.de/si">
 <dcc:administrativeData><dcc:coreData><dcc:uniqueIdentifier>TP-77</dcc:uniqueIdentifier><dcc:endPerformanceDate>2026-11-01</dcc:endPerformanceDate></dcc:coreData>
 <dcc:items><dcc:item><dcc:identifications><dcc:identification><dcc:issuer>manufacturer</dcc:issuer><dcc:value>{serial}</dcc:value>
  <dcc:name><dcc:content>Serial number</dcc:content></dcc:name></dcc:identification></dcc:identifications></dcc:item></dcc:items>
 <dcc:calibrationLaboratory><dcc:contact><dcc:name><dcc:content>Tern Point Laboratory</dcc:content></dcc:name></dcc:contact>
 </dcc:calibrationLaboratory></dcc:administrativeData>
 <dcc:measurementResults><dcc:measurementResult><dcc:results><dcc:result><dcc:data><dcc:list>
  <dcc:quantity refType="basic_referenceValue"><si:realListXMLList>
   <si:valueXMLList>0 50 100</si:valueXMLList><si:unitXMLList>\\bar</si:unitXMLList></si:realListXMLList></dcc:quantity>
  <dcc:quantity refType="basic_measuredValue"><si:realListXMLList>
   <si:valueXMLList>0.001 50.002 100.004</si:valueXMLList><si:unitXMLList>\\bar</si:unitXMLList>
   <si:measurementUncertaintyUnivariateXMLList><si:expandedMUXMLList><si:valueExpandedMUXMLList>0.002 0.003 0.004</si:valueExpandedMUXMLList>
   <si:coverageFactorXMLList>2</si:coverageFactorXMLList></si:expandedMUXMLList></si:measurementUncertaintyUnivariateXMLList></si:realListXMLList></dcc:quantity>
 </dcc:list></dcc:data></dcc:result></dcc:results></dcc:measurementResult></dcc:measurementResults>
</dcc:digitalCalibrationCertificate>"""


class KitCase(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def put(self, path, values, reason=""):
        return self.client.put(f"/api/v1/kit/{path}/", {"values": values, "reason": reason}, content_type="application/json")

    def add(self, group, **values):
        return self.post(f"kit/{group}/", {"values": values})

    def upload(self, path, data, name="c.csv"):
        data = data.encode() if isinstance(data, str) else data
        return self.client.post(f"/api/v1/kit/{path}/", {"file": SimpleUploadedFile(name, data)})


class Registers(KitCase):
    def test_a_code_names_one_thing_in_the_whole_kit(self):
        self.assertEqual(self.add("reference", **FORM).status_code, 201)
        told = self.add("fitting", code="mb-p09", kind="line", material="PTFE")
        self.assertFailure(told, 400, "code_taken")
        self.assertIn("reference standard", told.json()["message"])

    def test_a_reference_is_added_edited_and_keeps_its_history(self):
        made = self.add("reference", **FORM).json()
        self.assertEqual((made["standing"], made["form"]["u_absolute"]), ("in date", "0.1"))
        points = "0 0.01 0.05; 500 500.1 0.2; 1000 1000 0.3"
        edited = self.put("reference/MB-P09", {**made["form"], "points": points}, "certificate TP-9 typed in").json()
        self.assertEqual(edited["form"]["points"], points)
        self.assertEqual((edited["changes"][0]["by"], edited["changes"][0]["reason"]), ("Ruben Calder", "certificate TP-9 typed in"))
        standard = Reference.objects.get(code="MB-P09").standard()
        self.assertAlmostEqual(standard.expanded(250, unit="kPa"), 0.125)  # half-way between 0.05 and 0.2
        self.assertAlmostEqual(standard.expanded(2.5, unit="bar"), 0.00125)

    def test_every_fault_of_a_form_is_told(self):
        bad = {**FORM, "code": "", "unit": "furlong", "high": "-5", "k": "9", "due_on": "soon", "points": "0 0", "u_absolute": ""}
        told = {f["field"]: f["code"] for f in self.add("reference", **bad).json()["details"]["faults"]}
        self.assertEqual(told, {"code": "missing", "k": "out_of_range", "due_on": "bad_date", "points": "bad_points"})
        told = self.add("reference", **{**FORM, "unit": "furlong", "high": "-5", "u_absolute": ""}).json()["details"]["faults"]
        self.assertEqual({f["code"] for f in told}, {"no_span", "no_uncertainty", "unknown_unit"})
        self.add("reference", **FORM)
        self.assertFailure(self.add("reference", **{**FORM, "code": "mb-p09"}), 400, "code_taken")
        self.assertFailure(self.add("spoon", code="x"), 404, "unknown_group")
        self.sign_in(self.ines)
        self.assertFailure(self.add("reference", **FORM), 403, "not_allowed")

    def test_bottles_fittings_and_buffers_have_their_registers(self):
        bottle = {"code": "G-1", "name": "Hydrogen in air", "gases": "hydrogen, 2, % vol, 2", "balance": "air", "oxygen": "20.5", "litres": "58",
                  "expires_on": (TODAY + timedelta(days=100)).isoformat()}  # fmt: skip
        self.assertEqual(self.add("bottle", **bottle).status_code, 201)
        self.assertEqual(GasBottle.objects.get().gases[0]["gas"], "hydrogen")
        self.assertEqual(self.get("kit/bottle/G-1/").json()["form"]["gases"], "hydrogen, 2, % vol, 2")
        self.assertFailure(self.add("bottle", **{**bottle, "code": "G-2", "gases": "hydrogen 2"}), 400, "bad_gases")
        self.assertFailure(self.add("bottle", **{**bottle, "code": "G-2", "litres_drawn": "99"}), 400, "out_of_range")
        rich = {**bottle, "code": "G-2", "gases": "hydrogen, 6, % vol, 2"}
        self.assertFailure(self.add("bottle", **rich), 400, "explosive")
        self.assertEqual(self.add("bottle", **{**rich, "is_declared": "yes"}).status_code, 201)
        self.assertEqual(self.add("fitting", code="V-1", kind="regulator", material="stainless steel", flow_l_min="0.5").status_code, 201)
        buffer = {"code": "BU-1", "ph": "6.865", "table": "nist", "lot": "L7", "expires_on": (TODAY + timedelta(days=300)).isoformat(),
                  "opened_on": (TODAY - timedelta(days=100)).isoformat(), "open_days": "90"}  # fmt: skip
        self.assertEqual(self.add("buffer", **buffer).json()["standing"], "expired")  # open for too long, though its date is far off
        self.assertEqual(Buffer.objects.get().good_until(), TODAY - timedelta(days=10))

    def test_a_quarantined_reference_stops_what_counts_on_it(self):
        self.sign_in(self.ines)
        self.prepare()
        answer = self.post("kit/reference/MB-P01/state/", {"state": "quarantined", "reason": "dropped from the ladder", "cause": "dropped"})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertIn("PT-2110", answer.json()["stops"][0]["says"])
        self.assertIn("MB-P01 is quarantined since it was chosen here", self.get(f"runs/{self.run_id}/").json()["kit_out"][0])
        self.assertEqual(answer.json()["standing"], "quarantined")
        self.assertFailure(self.post("kit/reference/MB-P01/state/", {"state": "in service", "reason": "looks fine"}), 403, "not_allowed")
        self.assertFailure(self.post("kit/reference/MB-P01/state/", {"state": "retired", "reason": "x"}), 403, "not_allowed")
        self.assertFailure(self.post("kit/reference/MB-P01/state/", {"state": "quarantined", "reason": ""}), 400, "missing")
        self.assertFailure(self.post("kit/reference/MB-P01/state/", {"state": "lost", "reason": "lost it"}), 400, "unknown_choice")
        self.assertFailure(
            self.post("kit/reference/MB-P01/state/", {"state": "quarantined", "reason": "no cause is said"}), 400, "unknown_choice"
        )
        self.assertEqual(KitChange.objects.filter(code="MB-P01").count(), 1)

    def test_what_it_can_be_used_for_and_why_not(self):
        uses = {u["tag"]: u for u in self.get("kit/reference/MB-P01/").json()["uses"]}
        self.assertTrue(uses["PT-2110"]["fits"])
        self.assertIn("TUR", uses["PT-2110"]["says"])
        uses = {u["tag"]: u for u in self.get("kit/reference/MB-P04/").json()["uses"]}
        self.assertFalse(uses["PT-2110"]["fits"])
        self.assertIn("certificate", uses["PT-2110"]["says"])


class Certificates(KitCase):
    def test_files_that_are_no_certificate_say_so(self):
        bomb = '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "bb">]><a>&b;</a>'
        for data, code in (
            ("%PDF-1.4", "not_data"),
            ("<a/>", "not_dcc"),
            ("<a", "bad_xml"),
            (bomb, "not_dcc"),
            ("Applied,Temperature\n1,2", "no_columns"),
            ("Applied,U\n1,0", "bad_points"),
            ("Applied,U\n1,x", "not_a_number"),
            (DCC.replace("valueExpandedMUXMLList", "other"), "no_points"),
            (DCC.replace("50.002", "NaN"), "bad_points"),
            (DCC.replace("0 50 100", "0 INF 100"), "bad_points"),
            (DCC.replace("0.002 0.003", "0.002 inf"), "bad_points"),
            ("Applied,U\n" + "1,0.1\n" * (MAX_POINTS + 1), "too_many_points"),
        ):
            with self.assertRaises(Fault) as caught:
                read_certificate("c", data.encode(), unit="kPa")
            self.assertEqual(caught.exception.code, code, data[:60])
        self.assertEqual(len(read_certificate("c", ("Applied,U\n" + "1,0.1\n" * MAX_POINTS).encode(), unit="kPa").points), MAX_POINTS)

    def test_attached_files_are_told_by_their_content_and_come_back(self):
        made = self.upload("reference/MB-P01/files", b"%PDF-1.7 x", "cert.pdf").json()["files"][0]
        answer = self.client.get(f"/api/v1/kit/files/{made['id']}/")
        self.assertEqual((b"".join(answer.streaming_content), answer["Content-Type"]), (b"%PDF-1.7 x", "application/pdf"))
        self.assertIn("attachment", answer["Content-Disposition"])
        self.assertFailure(self.upload("reference/MB-P01/files", b"MZ\x00\x00", "cert.pdf"), 400, "wrong_kind")
        self.assertFailure(
            self.upload("reference/MB-P01/files", io.BytesIO(b"%PDF-" + b"x" * (16 * 2**20)).getvalue(), "a.pdf"), 400, "too_large"
        )


class Incoming(KitCase):
    GOOD = {"certificate": "yes", "accessories": "yes", "self_test": "yes", "fail_point": "yes", "zero_source": "yes", "span": "yes", "memory": "yes",
            "alarm_s": "4", "samples": "1000", "interval_s": "30"}  # fmt: skip

    def check(self, **changes):
        return self.post("kit/reference/MB-P01/incoming/", {"values": {**self.GOOD, **changes}})

    def test_portable_kit_is_accepted_or_quarantined_with_reasons(self):
        self.sign_in(self.ines)
        told = self.check().json()
        self.assertEqual(told["state"], "in service")
        self.assertIn("Battery 8.3 h", told["changes"][0]["reason"])
        told = self.check(self_test="no", alarm_s="20", samples="100").json()
        self.assertEqual(told["state"], "quarantined")
        for part in ("self-test is not clean", "after 20 s", "lasted 0.8 h"):
            self.assertIn(part, told["changes"][0]["reason"])
        self.assertFailure(self.check(span=""), 400, "missing")
        self.assertFailure(self.check(certificate="does not apply"), 400, "missing")
        self.assertFailure(self.check(interval_s=""), 400, "missing")
        self.assertFailure(self.check(alarm_s="soon"), 400, "not_a_number")

    def test_the_limits_are_the_plant_s_stand_beside_the_questions_and_are_kept(self):
        self.sign_in(self.ines)
        for alarm, state in (("10", "in service"), ("10.1", "quarantined")):
            self.assertEqual(self.check(alarm_s=alarm).json()["state"], state, alarm)
        told = {"actor": None, "reason": "Old pumps", "now": timezone.now()}
        set_policies(method="kit-incoming", values={"least_hours": "9"}, **told)
        set_policies(method="", values={"alarm_within_s": "12"}, **told)
        asked = {c["name"]: c["limit"] for c in self.get("kit/").json()["incoming"]}
        self.assertEqual((asked["alarm_s"], asked["span"]), ("at most 12 s", ""))
        self.assertIn("9 h at least", asked["samples"])
        self.assertIn("9 h are needed", self.check(alarm_s="12").json()["changes"][0]["reason"])
        last = self.check(alarm_s="12", samples="1080").json()["changes"][0]
        self.assertIn("Inlet blocked: flow alarm came after: 12 s (at most 12 s)", last["what"])
        self.assertNotIn("needed", last["reason"])


class Wearing(TestCase):
    def test_a_trap_without_its_caps_is_spent_in_days(self):
        day = timezone.localdate()
        trap = Trap(code="X", name="Carbon dioxide", opened_on=day, open_days=180, uncapped_days=3, expires_on=day + timedelta(days=400))
        self.assertEqual(trap.good_until(), day + timedelta(days=180))
        trap.is_capped = False
        self.assertEqual(trap.good_until(), day + timedelta(days=3))
        self.assertIn("without its caps", trap.words)
        trap.opened_on = None
        self.assertEqual(trap.good_until(), trap.expires_on)

    def test_both_are_added_changed_and_shown_with_their_life(self):
        planner = Person.objects.create_user("pl", password="a-long-password", role="planner")
        self.client.force_login(planner)
        until = (timezone.localdate() + timedelta(days=300)).isoformat()
        for group, more in (
            ("syringe", {}),
            ("trap", {"is_capped": "no", "uncapped_days": "3", "opened_on": timezone.localdate().isoformat()}),
        ):
            values = {"code": f"K-{group}", "name": "Gas-tight", "open_days": "365", "expires_on": until, **more}
            told = self.client.post(f"/api/v1/kit/{group}/", json.dumps({"values": values, "reason": ""}), content_type="application/json")
            self.assertEqual(told.status_code, 201, told.content)
        shown = {row["code"]: row for row in self.client.get("/api/v1/kit/").json()["liquids"]}
        self.assertEqual(shown["K-syringe"]["until"], until)
        self.assertEqual(shown["K-trap"]["standing"], "due soon")


class Sensible(PlantTestCase):
    """Dates that can be, classes that there are."""

    def store(self, **values):
        form = self.get("kit/reference/MB-P01/").json()["form"]
        data = {"values": {**form, **values}, "reason": "edited"}
        return self.client.put("/api/v1/kit/reference/MB-P01/", data, content_type="application/json")

    def test_what_was_done_lies_in_the_past_and_a_class_is_one_of_r_111(self):
        self.sign_in(self.ruben)
        today = timezone.localdate()
        due = (today + timedelta(days=400)).isoformat()
        self.assertEqual(self.store(calibrated_on=today.isoformat(), due_on=due, weight_class="m1-2").status_code, 200)
        answer = self.store(calibrated_on=(today + timedelta(days=1)).isoformat(), due_on=due)
        self.assertEqual(self.assertFailure(answer, 400, "in_the_future")["field"], "calibrated_on")
        self.assertEqual(self.assertFailure(self.store(weight_class="M4"), 400, "unknown_choice")["field"], "weight_class")
