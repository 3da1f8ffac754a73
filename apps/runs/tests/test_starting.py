"""Starting a run: with the register's points, or with others for this run alone."""

from django.core.management import call_command

from apps.plant.models import Instrument
from apps.runs.models import Run
from apps.runs.tests.base import CHECKS, PlantTestCase


class Starting(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ines)

    def begin(self, **more):
        return self.post("runs/", {"tag": "PT-2110", **more})

    def setup_of(self, run):
        first = self.get(f"runs/{run['id']}/export.json").json()["events"][0]["payload"]
        return first["points_percent"], first["cycles"]

    def test_without_more_the_registers_points_count(self):
        Instrument.objects.filter(tag="PT-2110").update(points_percent=[0, 50, 100], cycles=2)
        self.assertEqual(self.setup_of(self.begin().json()), ([0, 50, 100], 2))

    def test_other_points_and_cycles_count_for_this_run_and_leave_the_register_alone(self):
        run = self.begin(points="10 50, 90", cycles="3").json()
        self.assertEqual(self.setup_of(run), ([10, 50, 90], 3))
        self.assertEqual(Instrument.objects.get(tag="PT-2110").points_percent, [])
        self.assertEqual(Instrument.objects.get(tag="PT-2110").cycles, 1)

    def test_only_the_cycles_may_be_other(self):
        self.assertEqual(self.setup_of(self.begin(cycles="2").json()), ([0, 25, 50, 75, 100], 2))

    def test_what_makes_no_points_is_told_and_nothing_is_open(self):
        for given, told in (
            ({"points": "0 100 50"}, "must rise"),
            ({"points": "0 50 50 100"}, "without doubles"),
            ({"points": "0 110"}, "110"),
            ({"points": "50"}, "accepted are 2 to 21"),
            ({"points": "0 fifty 100"}, "fifty"),
            ({"cycles": "4"}, "accepted are 1, 2 and 3"),
            ({"cycles": "1.5"}, "accepted are 1, 2 and 3"),
            ({"cycles": "many"}, "many"),
        ):
            with self.subTest(given=given):
                answer = self.begin(**given)
                self.assertEqual(answer.status_code, 400, answer.content)
                self.assertIn(told, answer.json()["message"])
                self.assertFalse(Run.objects.exists())

    def test_a_gas_detector_has_no_points_to_choose(self):
        gas = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic"}
        Instrument.objects.create(
            tag="AE-1", serial="S", service="Hydrogen", area=self.area, family="gas detector", method="gas-zero-span", unit="%LEL",
            lrv=0, urv=100, tolerance_value=5, details=gas,
        )  # fmt: skip
        answer = self.begin(tag="AE-1", points="0 50")
        self.assertEqual((answer.status_code, answer.json()["code"]), (400, "no_points"))

    def test_a_digital_output_needs_no_meter(self):
        Instrument.objects.filter(tag="PT-2110").update(output_unit="kPa", output_lo=0, output_hi=400)
        self.begin()
        run = Run.objects.get()
        self.run_id = run.id
        view = self.forward({"applied": "MB-P01"})
        self.assertEqual([r["role"] for r in view["references"]], ["applied"])
        self.ok(("reading_taken", {"step": "as_found", "slot": 0, "applied": "0", "indicated": "0.8"}))
        row = self.get(f"runs/{self.run_id}/").json()["view"]["evidence"][0]["rows"][0]
        self.assertEqual((row["error"], row["verdict"]), ("+0.20 %", "pass"))

    def test_an_exchanged_one_is_proved_and_the_register_knows_it_once_it_is_signed(self):
        Instrument.objects.filter(tag="PT-2110").update(points_percent=[0, 50, 100])
        old = Instrument.objects.get(tag="PT-2110").serial
        self.run_id = self.begin().json()["id"]
        self.forward({"applied": "MB-P01", "indicated": "MB-I01"})
        for n, ma in enumerate(("4.4", "12.9", "20.9", "20.9", "12.9", "4.4")):
            self.ok(("reading_taken", {"step": "as_found", "slot": n, "indicated": ma, "confirmed_unlikely": True}))
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        why = {"reason": "bowed"} if "exchange" in view["step"]["judge"]["reasons"] else {}
        view = self.ok(("decision_made", {"step": "judge", "choice": "exchange", **why}))["view"]
        self.assertEqual(view["step"]["title"], "Exchange it")
        values = {"device_serial": old.lower(), "device_model": "P4", "old_went_to": "scrapped"}
        checks = ["same", "set", "warm"]
        told = self.send(("step_confirmed", {"step": "exchange", "values": values, "checks": checks}))
        self.assertIn("is that of the old one", self.assertFailure(told, 400, "same_as_before")["message"])
        values["device_serial"] = "NEW-77"
        self.ok(("step_confirmed", {"step": "exchange", "values": values, "checks": checks}))
        for n, ma in enumerate(("4.0", "12.0", "20.0", "20.0", "12.0", "4.0")):
            self.ok(("reading_taken", {"step": "as_left", "slot": n, "indicated": ma}))
        self.ok(("decision_made", {"step": "judge_left", "choice": "leave"}))
        self.assertEqual(Instrument.objects.get(tag="PT-2110").serial, old)  # not before it is signed
        view = self.ok(("step_confirmed", {"step": "restore", "checks": CHECKS["restore"]}))["view"]
        self.ok(("hold_released", {"hold": view["holds"][0]["id"], "values": {"reading": "212", "operator": "Control"}}))
        self.assertEqual(self.sign().status_code, 200)
        i = Instrument.objects.get(tag="PT-2110")
        self.assertEqual((i.serial, i.model, i.doubt), ("NEW-77", "P4", ""))
        change = i.changes.latest("at")
        self.assertIn(f"The old one, serial {old}, is retired: scrapped", change.reason)
        self.assertEqual(change.values["serial"], [old, "NEW-77"])
        self.assertTrue(Run.objects.get(pk=self.run_id).exchanged)
        call_command("rebuild_projections", verbosity=0)
        self.assertEqual(i.changes.count(), 1)
        view = self.get(f"runs/{self.run_id}/").json()["view"]
        self.assertEqual([s["title"] for s in view["evidence"]], ["As found", "As left, serial NEW-77"])

    def test_a_tag_with_a_slash_is_reached(self):
        Instrument.objects.filter(tag="PT-2110").update(tag="PT-2110/A", tag_key="pt-2110/a")
        self.assertEqual(self.get("instruments/PT-2110%2FA/").json()["tag"], "PT-2110/A")
        self.assertEqual(self.begin(tag="PT-2110/A").status_code, 201)
        told = self.post("instruments/PT-2110%2FA/happened/", {"kind": "moved", "note": "", "minutes": ""})
        self.assertLess(told.status_code, 300, told.content)
