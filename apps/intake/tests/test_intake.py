"""Areas, kit, people and certificates from files: previewed as they would be stored, written, taken back."""

from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from apps.accounts.models import Person, Qualification
from apps.kit.models import Buffer, GasBottle, KitFile, Reference
from apps.kit.tests.test_register import DCC
from apps.plant.models import Area
from apps.runs.models import KitUse, Run
from apps.runs.tests.base import PlantTestCase

TODAY = timezone.localdate()


class Files(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def send(self, kind, text, name="a.csv", path="intakes/", **more):
        data = text.encode() if isinstance(text, str) else text
        return self.client.post(f"/api/v1/{path}", {"kind": kind, "file": SimpleUploadedFile(name, data), **more})

    def preview(self, kind, text, **more):
        answer = self.send(kind, text, **more)
        self.assertEqual(answer.status_code, 201, answer.content)
        self.at = f"intakes/{answer.json()['id']}/"
        return answer.json()

    def act(self, what, **data):
        answer = self.post(f"{self.at}{what}/", data)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    @staticmethod
    def fates(told):
        return [(r["key"], r["fate"]) for r in told["rows"]]


class Areas(Files):
    TABLE = "Code,Name,Needs a permit,Metres east\nPMP,Pump hall,Yes,12.5\nRO,RO hall two,no,\nPMP,Again,no,1\nX-1,Bad code,no,0\nTNK,Tanks,maybe,0\n"

    def test_previewed_as_it_would_be_stored_and_nothing_is_written(self):
        told = self.preview("areas", self.TABLE)
        self.assertEqual(self.fates(told), [("PMP", "new"), ("RO", "changed"), ("PMP", "refused"), ("X-1", "refused"), ("TNK", "refused")])
        self.assertIn({"column": "Needs a permit", "text": "yes"}, told["rows"][0]["understood"])
        self.assertIn({"column": "Name", "old": "RO hall", "new": "RO hall two"}, told["rows"][1]["changes"])
        self.assertIn("stands in row 2 already", told["rows"][2]["faults"][0]["text"])
        self.assertEqual(told["rows"][4]["faults"], [{"column": "Needs a permit", "text": "Needs a permit is 'maybe'; write yes or no."}])
        self.assertEqual(Area.objects.count(), 1)

    def test_written_and_taken_back_but_what_was_used_or_changed_since(self):
        self.preview("areas", "Code,Name\nPMP,Pump hall\nTNK,Tanks\nRO,RO hall two\nCHL,Chlorine\n")
        done = self.act("write", leave=[5])
        self.assertEqual(self.fates(done)[:3], [("PMP", "written"), ("TNK", "written"), ("RO", "written")])
        self.assertFalse(Area.objects.filter(code="CHL").exists())
        self.assertFailure(self.post(f"{self.at}write/", {}), 400, "not_now")
        self.instrument.area = Area.objects.get(code="TNK")
        self.instrument.save()
        back = self.act("undo")
        self.assertEqual(self.fates(back), [("PMP", "undone"), ("TNK", "kept"), ("RO", "undone"), ("CHL", "new")])
        self.assertEqual(set(Area.objects.values_list("code", "name")), {("RO", "RO hall"), ("TNK", "Tanks")})

    def test_a_row_whose_register_has_moved_on_is_not_written(self):
        self.preview("areas", "Code,Name\nRO,RO hall two\nPMP,Pumps\n")
        Area.objects.filter(code="RO").update(east_m=7)
        self.assertEqual(self.fates(self.act("write")), [("RO", "kept"), ("PMP", "written")])
        self.assertEqual(Area.objects.get(code="RO").name, "RO hall")

    def test_files_that_can_t_be_read_say_why(self):
        for kind, text, status, code in (
            ("areas", "Name\nx\n", 400, "no_key_column"), ("areas", "Code,code \nA,B\n", 400, "same_columns"), ("areas", "", 400, "empty_file"),
            ("nothing", "Code\nA\n", 404, "unknown_register"), ("areas", "Code\n" + "A\n" * 2001, 400, "too_many_rows"),
        ):  # fmt: skip
            with self.subTest(code=code):
                self.assertFailure(self.send(kind, text), status, code)
        self.assertFailure(self.client.post("/api/v1/intakes/", {"kind": "areas"}), 400, "no_file")
        self.sign_in(self.ines)
        self.assertFailure(self.send("areas", "Code,Name\nA,B\n"), 403, "not_allowed")

    def test_a_preview_is_thrown_away_and_what_was_written_is_not(self):
        self.preview("areas", "Code,Name\nPMP,Pumps\n")
        self.assertEqual(self.client.delete(f"/api/v1/{self.at}").status_code, 204)
        self.preview("areas", "Code,Name\nPMP,Pumps\n")
        self.act("write")
        self.assertFailure(self.client.delete(f"/api/v1/{self.at}"), 400, "not_now")


class Kit(Files):
    def test_every_group_comes_back_as_it_is_exported(self):
        Buffer.objects.create(code="B-7", ph=6.865, table="nist", lot="1", litres=1, expires_on=TODAY + timedelta(days=90))
        GasBottle.objects.create(
            code="G-1", name="Methane", gases=[{"gas": "methane", "value": 50, "unit": "%LEL", "u_percent": 2, "basis": "iec"}], balance="air",
            oxygen=20.9, litres=58, expires_on=TODAY + timedelta(days=90), certificate="C", laboratory="L",
        )  # fmt: skip
        for kind, count in (("reference", 3), ("bottle", 1), ("buffer", 1), ("areas", 1)):
            with self.subTest(kind):
                table = b"".join(self.client.get(f"/api/v1/intakes/template/?kind={kind}").streaming_content)
                told = self.preview(kind, table)
                self.assertEqual([r["fate"] for r in told["rows"]], ["same"] * count, [r["faults"] for r in told["rows"]])

    def test_units_of_gas_are_known_and_the_fault_names_its_column(self):
        head = "Code,Name,Holds,Balance gas,Oxygen (% vol),Litres when full,Good until\n"
        until = (TODAY + timedelta(days=200)).isoformat()
        told = self.preview(
            "bottle",
            head
            + f'G-1,Methane,"methane, 50, %LEL, 2, iec",air,20.9,58,{until}\nG-2,Sulphide,"hydrogen sulfide, 25, furlong, 2",nitrogen,0,58,{until}\n',
        )
        self.assertEqual(self.fates(told), [("G-1", "new"), ("G-2", "refused")])
        self.assertEqual(told["rows"][1]["faults"][0]["column"], "Holds")
        self.act("write")
        run = Run.objects.create(
            number=9, instrument=self.instrument, technician=self.ines, method="tx-multipoint", revision="1", started_at=timezone.now()
        )
        KitUse.objects.create(run=run, item="G-1", kind="gas", amount=1, unit="l")
        self.assertEqual(self.act("undo")["rows"][0]["note"], "Runs have used it by now. It stays as it is.")
        self.assertTrue(GasBottle.objects.filter(code="G-1").exists())


class People(Files):
    TABLE = (
        "User name,First name,Last name,Role,Qualified for,Last day\n"
        "nils,Nils,Bray,Technician,gas work,{until}\nnils,Nils,Bray,technician,lock-out,\nines,Ines,Calder,technician,gas work,\nx,X,Y,boss,,\n"
    )

    def test_people_come_without_a_password_and_with_what_they_are_qualified_for(self):
        self.assertFailure(self.send("people", self.TABLE), 403, "not_allowed")
        self.sign_in(self.holt)
        told = self.preview("people", self.TABLE.format(until=(TODAY + timedelta(days=50)).isoformat()))
        self.assertEqual(
            self.fates(told), [("nils, gas work", "new"), ("nils, lock-out", "new"), ("ines, gas work", "same"), ("x", "refused")]
        )
        self.assertEqual({f["column"] for f in told["rows"][3]["faults"]}, {"User name", "Role"})
        self.assertFalse(Person.objects.filter(username="nils").exists())
        self.act("write")
        nils = Person.objects.get(username="nils")
        self.assertEqual((nils.name, nils.role, nils.has_usable_password()), ("Nils Bray", "technician", False))
        self.assertEqual(set(nils.qualifications.values_list("name", flat=True)), {"gas work", "lock-out"})
        self.assertIn("People stay on the list", self.act("undo")["rows"][0]["note"])

    def test_nobody_changes_their_own_role(self):
        self.sign_in(self.holt)
        told = self.preview("people", "User name,First name,Last name,Role\nholt,Holt,Calder,planner\n")
        self.assertEqual(told["rows"][0]["faults"], [{"column": "Role", "text": "Somebody else changes your own role."}])
        self.assertEqual(Qualification.objects.filter(person=self.holt).count(), 0)


class Certificates(Files):
    CSV = "Applied [bar],Indicated [bar],U,k\n0,0.001,0.002,2\n10,10.01,0.004,2\n"

    def certificate(self, text, name="c.csv", **told):
        return self.send("", text, name=name, path="intakes/certificates/MB-P01/", **told)

    def test_a_table_needs_its_number_and_its_day(self):
        told = self.certificate(self.CSV).json()
        self.assertEqual({f["field"] for f in told["details"]["faults"]}, {"number", "calibrated_on"})
        ahead = self.certificate(self.CSV, number="TP-8", calibrated_on=(TODAY + timedelta(days=1)).isoformat())
        self.assertFailure(ahead, 400, "bad_certificate")

    def test_points_number_and_dates_change_together_and_are_taken_back_together(self):
        item = Reference.objects.get(code="MB-P01")
        before = (item.certificate, item.calibrated_on, item.due_on, item.points)
        answer = self.certificate(self.CSV, number="TP-8", calibrated_on=TODAY.isoformat())
        self.assertEqual(answer.status_code, 201, answer.content)
        self.at = f"intakes/{answer.json()['id']}/"
        changed = {c["column"] for c in answer.json()["rows"][0]["changes"]}
        self.assertLessEqual({"Certificate", "Calibrated on", "Due on", "Certificate points"}, changed)
        self.assertIn("brought to kPa", answer.json()["says"])
        self.assertEqual(Reference.objects.get(code="MB-P01").points, [])
        self.assertFalse(KitFile.objects.exists())
        self.act("write")
        item = Reference.objects.get(code="MB-P01")
        self.assertEqual((item.certificate, item.calibrated_on), ("TP-8", TODAY))
        self.assertEqual(item.points, [[0.0, 0.1, 0.2], [1000.0, 1001.0, 0.4]])
        self.assertEqual(KitFile.objects.get().name, "c.csv")
        self.act("undo")
        item = Reference.objects.get(code="MB-P01")
        self.assertEqual((item.certificate, item.calibrated_on, item.due_on, item.points), before)

    def test_a_digital_calibration_certificate_tells_all_by_itself(self):
        answer = self.certificate(DCC.replace("{serial}", "MB-P01"), "dcc.xml")
        self.assertEqual(answer.status_code, 201, answer.content)
        self.at = f"intakes/{answer.json()['id']}/"
        self.assertIn("signature was not checked", answer.json()["says"])
        self.act("write")
        item = Reference.objects.get(code="MB-P01")
        self.assertEqual(
            (item.certificate, item.laboratory, item.calibrated_on.isoformat()), ("TP-77", "Tern Point Laboratory", "2026-11-01")
        )
        self.assertEqual((item.due_on - item.calibrated_on).days, 365)
        for point, expected in zip(item.points, ([0, 0.1, 0.2], [5000, 5000.2, 0.3], [10000, 10000.4, 0.4]), strict=True):
            for a, b in zip(point, expected, strict=True):
                self.assertAlmostEqual(a, b)

    def test_of_another_item_it_is_refused(self):
        self.assertFailure(self.certificate(DCC.replace("{serial}", "OTHER"), "dcc.xml"), 400, "other_serial")
