"""The register: every fault of a form at once, nothing stored half, changes kept with who."""

from io import StringIO

from django.core.management import CommandError, call_command
from django.utils import timezone

from apps.plant.models import Area, Instrument, InstrumentChange
from apps.plant.policies import policy_for, set_policies
from apps.runs.tests.base import PlantTestCase
from metrology.methods.registry import CATALOGUE

FORM = {
    "tag": "PT-9",
    "serial": "S-1",
    "service": "Header",
    "area": "RO",
    "unit": "kPa",
    "lrv": "0",
    "urv": "100",
    "tolerance_value": "0.5",
    "points_percent": "0 10 50 90 100",
    "cycles": "2",
    "interval_days": "180",
}


class Register(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def faults(self, **changes):
        answer = self.post("instruments/", {**FORM, **changes})
        self.assertEqual(answer.status_code, 400, answer.content)
        body = answer.json()
        listed = body["details"].get("faults") or [body]
        self.assertFalse(Instrument.objects.filter(serial="S-1").exists())
        return {f["field"]: f["code"] for f in listed}

    def test_a_whole_form_is_stored(self):
        answer = self.post("instruments/", {**FORM, "lrv": "-1,5", "urv": "100 kPa"})
        self.assertEqual(answer.status_code, 201, answer.content)
        added = Instrument.objects.get(tag="PT-9")
        self.assertEqual((added.lrv, added.urv, added.points_percent, added.cycles), (-1.5, 100.0, [0, 10, 50, 90, 100], 2))
        self.assertEqual(InstrumentChange.objects.get(instrument=added).by, self.ruben)

    def test_a_table_is_typed_as_pairs_and_comes_back_the_same(self):
        table = "0 0; 50 40; 100 100"
        self.assertEqual(self.post("instruments/", {**FORM, "transfer": "table", "transfer_table": table}).status_code, 201)
        self.assertEqual(self.get("instruments/PT-9/").json()["form"]["transfer_table"], table)

    def test_each_fault_is_named(self):
        for changes, field, code in (
            ({"urv": "0"}, "urv", "no_span"),
            ({"tolerance_value": "0"}, "tolerance_value", "tolerance_not_positive"),
            ({"tolerance_value": "-1"}, "tolerance_value", "tolerance_not_positive"),
            ({"urv": "1e999"}, "urv", "not_finite"),
            ({"urv": ""}, "urv", "empty"),
            ({"urv": "100 bar"}, "urv", "wrong_unit"),
            ({"urv": "ten"}, "urv", "not_a_number"),
            ({"tag": ""}, "tag", "missing"),
            ({"tag": "PT-2110"}, "tag", "tag_taken"),
            ({"tag": "pt-2110"}, "tag", "tag_taken"),
            ({"area": "XX"}, "area", "unknown_area"),
            ({"area": ""}, "area", "missing"),
            ({"access": "rope"}, "access", "unknown_choice"),
            ({"people": "3"}, "people", "out_of_range"),
            ({"due_rule": "moon"}, "due_rule", "unknown_choice"),
            ({"points_percent": "0 50 50"}, "points_percent", "bad_points"),
            ({"points_percent": "0 150"}, "points_percent", "out_of_range"),
            ({"cycles": "4"}, "cycles", "out_of_range"),
            ({"output_hi": "4"}, "output_hi", "no_output_span"),
            ({"transfer": "cubic"}, "transfer", "unknown_choice"),
            ({"tolerance_combine": "greater", "tolerance2_value": ""}, "tolerance2_value", "empty"),
            ({"transfer": "table"}, "transfer_table", "bad_table"),
            ({"transfer": "table", "transfer_table": "0 0; 50"}, "transfer_table", "bad_table"),
            ({"transfer": "table", "transfer_table": "0 0; 50 60; 40 100"}, "transfer_table", "bad_table"),
            ({"tolerance_basis": "division"}, "division", "no_division"),
            ({"service": "x" * 200}, "service", "too_long"),
        ):
            with self.subTest(changes=changes):
                self.assertEqual(self.faults(**changes).get(field), code)

    def test_all_faults_come_at_once(self):
        found = self.faults(serial="", urv="x", cycles="9", area="", tolerance_value="0", output_hi="1")
        self.assertEqual(set(found), {"serial", "urv", "cycles", "area", "tolerance_value", "output_hi"})

    def test_an_edit_keeps_who_what_and_why(self):
        form = self.get("instruments/PT-2110/").json()["form"]
        answer = self.client.put(
            "/api/v1/instruments/PT-2110/", {**form, "urv": "600", "reason": "re-ranged"}, content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        change = InstrumentChange.objects.get(instrument=self.instrument)
        self.assertEqual((change.values, change.reason), ({"urv": ["400", "600"]}, "re-ranged"))

    def test_search_by_any_part(self):
        for search, found in (("2110", 1), ("pt-21", 1), ("permeate", 1), ("mb-1", 1), ("zz", 0)):
            with self.subTest(search=search):
                self.assertEqual(self.get(f"instruments/?search={search}").json()["total"], found)

    def test_an_instrument_may_have_policies_of_its_own_and_give_them_up_again(self):
        own = {"pass_rule": "guard-u", "adjust_when": "never", "adjust_limit_percent": "50"}
        self.assertEqual(self.post("instruments/", {**FORM, "policy": own}).status_code, 201)
        page = self.get("instruments/PT-9/").json()
        self.assertIn("Pass rule: guard band of U.", page["policies"])
        self.assertEqual(page["form"]["policy"], own)
        answer = self.client.put(
            "/api/v1/instruments/PT-9/",
            {**page["form"], "policy": {"pass_rule": ""}, "reason": "as for all"},
            content_type="application/json",
        )
        self.assertIn("Pass rule: plain limit.", answer.json()["policies"])
        for changes, field, code in (
            ({"pass_rule": "hope"}, "pass_rule", "unknown_rule"),
            ({"adjust_limit_percent": "0"}, "adjust_limit_percent", "out_of_range"),
            ({"max_risk": "x"}, "max_risk", "not_a_number"),
            ({"adjust_when": "soon"}, "adjust_when", "unknown_policy"),
            ({"forced": "often"}, "forced", "unknown_policy"),
            ({"colour": "1"}, "colour", "unknown_policy"),
        ):
            with self.subTest(changes=changes):
                answer = self.post("instruments/", {**FORM, "tag": "PT-10", "policy": changes})
                self.assertEqual((answer.json()["field"], answer.json()["code"]), (field, code))

    def test_gas_policies_are_asked_of_gas_detectors_only(self):
        asked = {p["name"]: p for p in self.get("instruments/").json()["policies"]}
        self.assertIn("gas-bump", asked["forced"]["methods"])
        self.assertNotIn("tx-multipoint", asked["forced"]["methods"])
        self.assertEqual([o["value"] for o in asked["zero_gas"]["options"]], ["bottled", "ambient", "scrubbed"])

    def test_policies_override_from_plant_to_method_to_instrument(self):
        told = {"actor": None, "reason": "As agreed", "now": timezone.now()}
        set_policies(method="", values={"pass_rule": "guard-u", "adjust_limit_percent": "60"}, **told)
        set_policies(method="tx-multipoint", values={"adjust_limit_percent": "50"}, **told)
        self.instrument.policy = {"adjust_when": "never"}
        policy = policy_for(self.instrument)
        self.assertEqual((policy.pass_rule, policy.adjust_limit_percent, policy.adjust_when), ("guard-u", 50.0, "never"))


class Areas(PlantTestCase):
    def put(self, code, **data):
        return self.client.put(f"/api/v1/areas/{code}/", data, content_type="application/json")

    def test_an_area_is_added_and_changed_with_its_place(self):
        self.sign_in(self.ruben)
        made = self.put("ECL", name="Electrochlorination", needs_permit=True, east_m="140", north_m="-20,5").json()
        self.assertEqual((made["east_m"], made["north_m"], made["needs_permit"]), (140.0, -20.5, True))
        self.assertEqual(self.put("ECL", name="Cells").json()["name"], "Cells")
        self.assertEqual(Area.objects.get(code="ECL").east_m, 140.0)
        for code, data, fault in (
            ("A B", {"name": "X"}, "bad_code"),
            ("X1", {"name": ""}, "missing"),
            ("X1", {"name": "cells"}, "name_taken"),
            ("X1", {"name": "X", "east_m": "far"}, "not_a_number"),
            ("X1", {"name": "X", "east_m": "1e9"}, "out_of_range"),
        ):
            self.assertFailure(self.put(code, **data), 400, fault)
        self.sign_in(self.ines)
        self.assertFailure(self.put("X1", name="X"), 403, "not_allowed")


class Calculators(PlantTestCase):
    def test_http_gives_what_the_command_line_gives(self):
        answer = self.post("calculators/thermocouple-emf/", {"type": "K", "t90_c": 100})
        self.assertAlmostEqual(answer.json()["emf_mv"], 4.096, places=3)
        answer = self.post("calculators/thermocouple-emf/", {"type": "K", "t90_c": 1400})
        self.assertEqual(answer.status_code, 400)
        self.assertIn("1372", answer.json()["error"])
        self.assertEqual(self.post("calculators/none/", {}).status_code, 404)
        self.assertEqual(len(self.get("calculators/").json()), 48)


class Today(PlantTestCase):
    def test_what_is_due_says_why_and_what_is_open_is_first(self):
        data = self.get("today/").json()
        self.assertEqual([r["tag"] for r in data["due"]], ["PT-2110"])
        self.assertIn("Due today", data["due"][0]["why"])
        self.assertTrue(any("MB-P04" in f for f in data["first"]))
        self.start()
        data = self.get("today/").json()
        self.assertEqual([r["tag"] for r in data["open_mine"]], ["PT-2110"])
        self.assertEqual([(r["tag"], r["open_run"]) for r in data["due"]], [("PT-2110", data["open_mine"][0]["id"])])  # until it is signed


class SetPolicy(PlantTestCase):
    def test_the_command_sets_checks_and_takes_back(self):
        out = StringIO()
        call_command("set_policy", "pass_rule=guard-u", "adjust_limit_percent=60", stdout=out)
        self.assertIn("guard band of U", out.getvalue())
        self.assertEqual(policy_for(self.instrument).adjust_limit_percent, 60.0)
        call_command("set_policy", "pass_rule=tur-guard", "--method", "tx-multipoint", stdout=out)
        self.assertEqual(policy_for(self.instrument).pass_rule, "tur-guard")
        call_command("set_policy", "pass_rule=", "--method", "tx-multipoint", stdout=out)
        self.assertEqual(policy_for(self.instrument).pass_rule, "guard-u")
        for arguments in (["pass_rule=hope"], ["nonsense=1"], ["pass_rule"], ["--method", "magic"]):
            with self.subTest(arguments=arguments), self.assertRaises(CommandError):
                call_command("set_policy", *arguments, stdout=out)
        self.assertEqual(policy_for(self.instrument).pass_rule, "guard-u")


class Together(PlantTestCase):
    """Choices by their words, and combinations that make sense."""

    def test_choices_by_key_or_label_and_what_does_not_go_together(self):
        self.sign_in(self.ruben)
        for changes, field, code in (
            ({"due_rule": "Drift rule"}, "due_rule", "unknown_choice"),
            ({"family": "gas detector", "method": "tx-multipoint"}, "family", "wrong_family"),
            ({"family": "weighing", "method": "tx-multipoint"}, "family", "wrong_family"),
            ({"access": "crane"}, "access", "unknown_choice"),
            ({"family": "", "method": "temp-sensor", "unit": "kPa", "details": {"sensor": "pt"}}, "unit", "wrong_quantity"),
            ({"family": "", "method": "temp-sensor", "unit": "degrees", "details": {"sensor": "pt"}}, "unit", "wrong_quantity"),
            ({"family": "", "method": "weigh-indicator", "unit": "t/h"}, "unit", "wrong_quantity"),
        ):
            with self.subTest(changes=changes):
                answer = self.post("instruments/", {**FORM, "tag": "PT-11", **changes})
                self.assertEqual((answer.json()["field"], answer.json()["code"]), (field, code), answer.json())
        for n, changes in enumerate(
            ({"access": "HEIGHT"}, {"transfer": "Square root"}, {"family": "Transmitter"}, {"method": CATALOGUE["tx-multipoint"].upper()})
        ):
            answer = self.post("instruments/", {**FORM, "tag": f"PT-7{n}", "serial": f"S7{n}", **changes})
            self.assertEqual(answer.status_code, 201, answer.json())
        told = self.post("instruments/", {**FORM, "tag": "PT-12", "due_rule": "never"}).json()["message"]
        self.assertIn("(staircase)", told)
        form = {k: v for k, v in FORM.items() if k != "family"}
        made = self.post(
            "instruments/", {**form, "tag": "TE-9", "serial": "T9", "method": "temp-sensor", "unit": "°C", "details": {"sensor": "pt"}}
        )
        self.assertEqual((made.status_code, made.json().get("family")), (201, "temperature sensor"), made.json())
