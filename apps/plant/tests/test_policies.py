"""Policies in the interface: what counts, where it comes from, from when, and every change with who and why."""

from datetime import timedelta
from importlib import import_module

from django.apps import apps
from django.utils import timezone

from apps.plant.following import FOLLOWERS
from apps.plant.models import Instrument, PolicyChange, layers_on
from apps.plant.policies import asked_policies, kit_limits, policy_for
from apps.runs.models import Run
from apps.runs.tests.base import PlantTestCase
from metrology.judgement.policy import POLICY_FIELDS
from metrology.methods.registry import METHODS
from metrology.methods.settings import setting_fields

METHOD = "tx-multipoint"


class Policies(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.marta)

    def set(self, name, value, *, method="", reason="Agreed with operations", counts_from=""):
        return self.post("policies/", {"method": method, "name": name, "value": value, "reason": reason, "counts_from": counts_from})

    def row(self, name, method=""):
        return next(r for r in self.get(f"policies/?method={method}").json()["rows"] if r["name"] == name)

    def test_it_is_told_what_counts_where_it_comes_from_and_who_changed_it_why(self):
        self.assertEqual(
            (self.row("adjust_limit_percent")["words"], self.row("adjust_limit_percent")["comes_from"]),
            ("70 % of tolerance", "as it comes"),
        )
        self.assertEqual(self.set("adjust_limit_percent", "60").status_code, 200)
        self.set("adjust_limit_percent", "50,5", method=METHOD, reason="Short intervals here")
        plant, own = self.row("adjust_limit_percent"), self.row("adjust_limit_percent", METHOD)
        self.assertEqual((plant["words"], plant["comes_from"]), ("60 % of tolerance", "set here"))
        self.assertEqual((own["words"], own["comes_from"], own["otherwise"]), ("50.5 % of tolerance", "set here", "60 % of tolerance"))
        self.assertEqual(policy_for(self.instrument).adjust_limit_percent, 50.5)
        self.assertEqual(
            [(c["words"], c["by"], c["reason"]) for c in own["changes"]], [("50.5 % of tolerance", "Marta Calder", "Short intervals here")]
        )
        self.set("adjust_limit_percent", "", method=METHOD)
        own = self.row("adjust_limit_percent", METHOD)
        self.assertEqual(
            (own["words"], own["comes_from"], own["changes"][0]["words"]), ("60 % of tolerance", "as the whole plant", "taken back")
        )

    def test_no_policy_has_the_name_of_another(self):
        core, own = {f.name for f in POLICY_FIELDS}, {}
        for key, method in METHODS.items():
            for f in setting_fields(method.settings):
                if f.asked.is_policy:
                    self.assertNotIn(f.name, core, key)
                    self.assertEqual(own.setdefault(f.name, f.asked.label), f.asked.label, key)
        self.assertEqual(self.row("air_percent")["label"], "Oxygen of air")
        self.assertEqual(self.set("dry_air_percent", "0.8").status_code, 200)
        self.assertEqual((self.row("dry_air_percent")["words"], self.row("air_percent")["words"]), ("0.8 % of span", "20.9 % vol"))

    def test_what_an_instrument_had_under_the_old_name_goes_on_under_the_new_one(self):
        Instrument.objects.filter(pk=self.instrument.pk).update(method="an-conductivity", details={"air_percent": "0.8", "cell": "1"})
        import_module("apps.plant.migrations.0022_dry_air").rename(apps, None)
        self.assertEqual(Instrument.objects.get(pk=self.instrument.pk).details, {"dry_air_percent": "0.8", "cell": "1"})

    def test_it_counts_from_its_day_and_not_before(self):
        today = timezone.localdate()
        self.set("qualified", "supervised", counts_from=str(today + timedelta(days=1)))
        self.assertEqual(policy_for(self.instrument).qualified, "refused")
        self.assertEqual(layers_on(today + timedelta(days=1))[""], {"qualified": "supervised"})
        self.assertTrue(self.row("qualified")["changes"][0]["is_to_come"])

    def test_a_run_begun_before_keeps_what_it_began_with(self):
        self.sign_in(self.ines)
        self.start()
        run = f"runs/{Run.objects.get().pk}/"
        began = self.get(run).json()["view"]["policies"]
        self.sign_in(self.marta)
        self.set("adjust_limit_percent", "33")
        self.sign_in(self.ines)
        self.assertEqual(self.get(run).json()["view"]["policies"], began)

    def test_what_does_not_hold_is_refused_at_its_field_and_nothing_is_changed(self):
        today = timezone.localdate()
        for asked, code, field in (
            ({"name": "colour", "value": "red"}, "unknown_policy", "colour"),
            ({"name": "bump_percent", "value": "20", "method": METHOD}, "unknown_policy", "bump_percent"),
            ({"name": "first_due", "value": "spread", "method": METHOD}, "unknown_policy", "first_due"),
            ({"name": "pass_rule", "value": "hope"}, "unknown_rule", "pass_rule"),
            ({"name": "max_risk", "value": "0.6"}, "out_of_range", "max_risk"),
            ({"name": "max_risk", "value": "much"}, "not_a_number", "max_risk"),
            ({"name": "max_passes", "value": "12.5"}, "not_a_number", "max_passes"),
            ({"name": "span_low_percent", "value": "90"}, "bad_window", "span_high_percent"),
            ({"name": "max_risk", "value": "0.02", "reason": "no"}, "missing", "reason"),
            ({"name": "max_risk", "value": ""}, "nothing_changed", "max_risk"),
            ({"name": "max_risk", "value": "0.02", "counts_from": str(today - timedelta(days=1))}, "in_the_past", "counts_from"),
            ({"name": "max_risk", "value": "0.02", "counts_from": str(today + timedelta(days=367))}, "out_of_range", "counts_from"),
            ({"name": "max_risk", "value": "0.02", "counts_from": "soon"}, "bad_date", "counts_from"),
            ({"name": "reliability", "value": "0.9", "counts_from": str(today + timedelta(days=1))}, "counts_at_once", "counts_from"),
            ({"name": "max_risk", "value": "0.02", "method": "magic"}, "unknown_method", "method"),
        ):
            with self.subTest(**asked):
                answer = self.set(**asked)
                self.assertEqual((answer.status_code, answer.json()["code"], answer.json()["field"]), (400, code, field))
        self.assertEqual(PolicyChange.objects.count(), 0)
        self.assertIn("Adjust limit is 700 %; accepted is 1 to 100 %.", self.set("adjust_limit_percent", "700").json()["message"])
        self.assertEqual(self.set("max_risk", "0.02", counts_from=str(today + timedelta(days=366))).status_code, 200)
        self.assertEqual(self.get("policies/?method=magic").status_code, 404)

    def test_a_lead_sets_them_and_nobody_else(self):
        for person, status in ((self.ines, 403), (self.ruben, 403), (self.marta, 200)):
            with self.subTest(person=person.username):
                self.sign_in(person)
                self.assertEqual(self.get("policies/").json()["may_set"], status == 200)
                self.assertEqual(self.set("max_passes", "5").status_code, status)

    def test_settings_of_methods_are_policies_too(self):
        own = [name for name, p in asked_policies().items() if "kit-incoming" in p.methods]
        self.assertIn("least_hours", own)
        self.assertEqual(self.set("least_hours", "100").json()["code"], "out_of_range")
        self.set("least_hours", "6", method="kit-incoming")
        self.assertEqual(kit_limits()["least_hours"], 6.0)

    def test_due_dates_follow_an_interval_policy_at_once_and_no_other(self):
        told = []
        FOLLOWERS.append(lambda i: told.append(i.tag))
        self.addCleanup(FOLLOWERS.pop)
        for name, value, method, expected in (
            ("shorten_factor", "0.8", "", ["PT-2110"]),
            ("shorten_factor", "0.7", METHOD, ["PT-2110"]),
            ("shorten_factor", "0.7", "an-ph", []),
            ("max_passes", "5", "", []),
        ):
            with self.subTest(name=name, method=method), self.captureOnCommitCallbacks(execute=True):
                told.clear()
                self.assertEqual(self.set(name, value, method=method).status_code, 200)
            self.assertEqual(told, expected)

    def test_new_instruments_take_their_place_in_the_interval_where_the_plant_wants_it(self):
        form = {
            "serial": "S", "service": "Header", "area": "RO", "unit": "kPa", "lrv": "0", "urv": "100", "tolerance_value": "0.5", "tolerance_basis": "span",
            "family": "transmitter", "interval_days": "365",
        }  # fmt: skip
        due = {}
        for rule in ("", "spread"):
            if rule:
                self.sign_in(self.marta)
                self.set("first_due", rule)
            self.sign_in(self.ruben)
            for n in range(8):
                made = self.post("instruments/", {**form, "tag": f"PT-9{n}{rule}"})
                self.assertEqual(made.status_code, 201, made.content)
                due.setdefault(rule, set()).add(made.json()["next_due"])
        self.assertEqual(due[""], {str(timezone.localdate())})
        self.assertGreater(len(due["spread"]), 4)
