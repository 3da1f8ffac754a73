"""Two people edit the same thing: nothing goes silently back, what both changed is refused, what weighs takes a reason."""

from apps.plant.merging import merged
from apps.plant.models import Area, Instrument, InstrumentChange
from apps.runs.tests.base import PlantTestCase
from metrology.faults import Fault


class Editing(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)
        self.form = self.get("instruments/PT-2110/").json()["form"]

    def store(self, seen=None, **changes):
        data = {**self.form, "reason": "as agreed with operations", **changes}
        if seen is not None:
            data["seen"] = {**self.form, **seen}
        return self.client.put("/api/v1/instruments/PT-2110/", data, content_type="application/json")

    def now(self):
        return Instrument.objects.get(tag="PT-2110")

    def test_what_another_changed_meanwhile_does_not_go_back(self):
        self.assertEqual(self.store(interval_days="90").status_code, 200)
        self.assertEqual(self.store(seen={}, service="Feed pressure, renamed").status_code, 200)
        self.assertEqual((self.now().interval_days, self.now().service), (90, "Feed pressure, renamed"))

    def test_what_both_changed_is_refused_with_who_and_stored_on_purpose_only(self):
        self.store(interval_days="90")
        answer = self.store(seen={}, interval_days="30")
        body = self.assertFailure(answer, 409, "changed_meanwhile")
        self.assertIn(f"{self.ruben.name} changed PT-2110 since you opened it: interval from 365 to 90", body["message"])
        self.assertEqual((body["field"], body["details"]["now"]), ("interval_days", {"interval_days": "90"}))
        self.assertEqual(self.now().interval_days, 90)
        self.assertEqual(self.store(seen=body["details"]["now"], interval_days="30").status_code, 200)
        self.assertEqual(self.now().interval_days, 30)

    def test_the_same_change_twice_is_no_quarrel(self):
        self.store(interval_days="90")
        self.assertEqual(self.store(seen={}, interval_days="90").status_code, 200)

    def test_details_and_policies_one_by_one(self):
        form = {"details": {"a": "1", "b": "2"}, "name": "x"}
        now = {"details": {"a": "9", "b": "2"}, "name": "x"}
        more = {"what": "it", "label": str, "who": lambda _: ""}
        mine = {"details": {"a": "1", "b": "3"}, "name": "x"}
        self.assertEqual(merged(form, mine, now, **more)["details"], {"a": "9", "b": "3"})
        with self.assertRaises(Fault) as refused:
            merged(form, {"details": {"a": "5", "b": "2"}, "name": "x"}, now, **more)
        self.assertEqual(refused.exception.context["now"], {"details.a": "9"})

    def test_what_decides_verdicts_and_due_dates_takes_a_reason(self):
        for changes in ({"interval_days": "90"}, {"tolerance_value": "0.7"}, {"urv": "600"}, {"policy": {"adjust_limit_percent": "60"}}):
            for reason in ("", "why?"):
                body = self.assertFailure(self.store(reason=reason, **changes), 400, "missing")
                self.assertEqual(body["field"], "reason")
            self.assertEqual(self.store(reason="why!!", **changes).status_code, 200)
        self.form = self.get("instruments/PT-2110/").json()["form"]
        self.assertEqual(self.store(reason="", hazards="Acid").status_code, 200)

    def test_an_area_is_added_only_where_there_is_none(self):
        self.assertEqual(Area.objects.get(code="RO").name, self.area.name)
        data = {"name": "Roof", "is_new": True}
        for code in ("RO", "ro"):
            self.assertFailure(self.client.put(f"/api/v1/areas/{code}/", data, content_type="application/json"), 400, "exists")
        self.assertEqual(Area.objects.get(code="RO").name, self.area.name)
        self.assertEqual(self.client.put("/api/v1/areas/ROOF/", data, content_type="application/json").status_code, 200)

    def test_two_at_an_area_and_at_kit(self):
        area = {"code": "RO", "name": self.area.name, "needs_permit": self.area.needs_permit, "east_m": "0", "north_m": "0"}
        self.client.put("/api/v1/areas/RO/", {**area, "east_m": "50"}, content_type="application/json")
        answer = self.client.put("/api/v1/areas/RO/", {**area, "name": "Hall", "seen": area}, content_type="application/json")
        self.assertEqual((answer.status_code, Area.objects.get(code="RO").east_m), (200, 50.0))
        form = self.get("kit/reference/MB-P01/").json()["form"]

        def store(seen=True, **values):
            data = {"values": {**form, **values}, "reason": "edited", **({"seen": form} if seen else {})}
            return self.client.put("/api/v1/kit/reference/MB-P01/", data, content_type="application/json")

        self.assertEqual(store(seen=False, certificate="TP-77").status_code, 200)
        self.assertEqual(store(name="Calibrator, new bag").json()["form"]["certificate"], "TP-77")
        body = self.assertFailure(store(certificate="TP-78"), 409, "changed_meanwhile")
        self.assertIn(f"{self.ruben.name} changed MB-P01", body["message"])

    def test_an_edit_that_was_refused_leaves_no_trace(self):
        count = InstrumentChange.objects.count()
        self.store(reason="", interval_days="90")
        self.assertEqual((InstrumentChange.objects.count(), self.now().interval_days), (count, 365))
