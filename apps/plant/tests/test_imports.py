"""Files of instruments: every fault named by row and column, nothing written before it is accepted, taken back whole."""

import io
import zipfile
from datetime import timedelta
from urllib.parse import quote

from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from openpyxl import Workbook, load_workbook
from pypdf import PdfReader

from apps.plant.models import ImportBatch, Instrument, InstrumentChange
from apps.plant.sheets import guarded, read_table
from apps.runs.tests.base import PlantTestCase

HEAD = "Tag,Serial,Service,Area,Unit,LRV,URV,Tolerance"


class Imports(PlantTestCase):
    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def send(self, data, name="plant.csv"):
        data = data.encode() if isinstance(data, str) else data
        return self.client.post("/api/v1/imports/", {"file": SimpleUploadedFile(name, data)})

    def read(self, *lines, head=HEAD, name="plant.csv"):
        answer = self.send("\n".join([head, *lines]), name)
        self.assertEqual(answer.status_code, 201, answer.content)
        self.batch = answer.json()
        return {r["number"]: r for r in self.get(f"imports/{self.batch['id']}/rows/").json()["rows"]}

    def act(self, what, data=None):
        return self.post(f"imports/{self.batch['id']}/{what}/", data or {})

    def refused(self, data, code, name="plant.csv"):
        return self.assertFailure(self.send(data, name), 400, code)["message"]

    def test_each_row_has_its_fate_and_nothing_is_written_before_it_is_accepted(self):
        rows = self.read(
            "PT-9,S9,Header,RO,kPa,0,100,0.5",
            "PT-2110,MB-2110,Permeate header pressure,RO,kPa,0,500,0.5",
            "PT-10,,Header,XX,kPa,0,0,0.5",
            "PT-9,S9,Header,RO,kPa,0,100,0.5",
        )
        self.assertEqual([rows[n]["fate"] for n in (2, 3, 4, 5)], ["new", "changed", "refused", "refused"])
        self.assertIn({"field": "URV", "old": "400", "new": "500"}, rows[3]["changes"])
        self.assertEqual(set(rows[4]["faults"]), {"Serial", "Area", "URV"})
        self.assertIn("row 2 already", rows[5]["faults"]["Tag"])
        self.assertFalse(Instrument.objects.filter(tag="PT-9").exists())
        self.assertEqual(self.act("write").json()["counts"]["written"], 2)
        self.assertEqual(Instrument.objects.get(tag="PT-9").urv, 100.0)
        change = InstrumentChange.objects.get(instrument__tag="PT-2110")
        self.assertEqual((change.reason, change.by, change.values["urv"]), ("Imported from plant.csv", self.ruben, ["400", "500"]))

    def test_a_row_is_corrected_in_the_preview_chosen_and_taken_back(self):
        rows = self.read("PT-9,S9,Header,RO,kPa,0,ten,0.5", "PT-10,S10,Header,RO,kPa,0,10,0.5", "PT-2110,MB-2110,New name,RO,kPa,0,400,0.5")
        self.assertIn("URV", rows[2]["faults"])
        mended = self.post(f"imports/{self.batch['id']}/rows/2/", {"cells": {"URV": "10"}}).json()
        self.assertEqual((mended["fate"], mended["faults"]), ("new", {}))
        before = Instrument.objects.get(tag="PT-2110").service
        self.assertEqual(self.act("write", {"rows": [2, 4]}).json()["counts"]["written"], 2)
        self.assertFalse(Instrument.objects.filter(tag="PT-10").exists())
        self.assertEqual(Instrument.objects.get(tag="PT-2110").service, "New name")
        self.assertFailure(self.act("write"), 400, "not_now")
        self.assertEqual(self.act("undo").json()["status"], "undone")
        self.assertFalse(Instrument.objects.filter(tag="PT-9").exists())
        self.assertEqual(Instrument.objects.get(tag="PT-2110").service, before)
        self.assertEqual(InstrumentChange.objects.filter(instrument__tag="PT-2110").count(), 2)

    def test_what_was_edited_since_stays_when_an_import_is_taken_back(self):
        self.read("PT-2110,MB-2110,New name,RO,kPa,0,400,0.5")
        self.act("write")
        form = self.get("instruments/PT-2110/").json()["form"]
        self.client.put("/api/v1/instruments/PT-2110/", {**form, "service": "Mine"}, content_type="application/json")
        told = self.act("undo").json()
        self.assertEqual((told["counts"]["kept"], Instrument.objects.get(tag="PT-2110").service), (1, "Mine"))

    def test_what_changed_since_the_preview_is_not_written_over(self):
        self.read("PT-2110,MB-2110,New name,RO,kPa,0,400,0.5")
        Instrument.objects.filter(tag="PT-2110").update(service="Meanwhile")
        self.assertEqual(self.act("write").json()["counts"]["kept"], 1)
        self.assertEqual(Instrument.objects.get(tag="PT-2110").service, "Meanwhile")

    def test_units_of_header_and_cell_are_brought_to_that_of_the_range(self):
        head = "Tag,Serial,Service,Area,Unit,LRV [bar],URV,Tolerance,Tolerance basis"
        rows = self.read("PT-9,S9,H,RO,kPa,0.5,4 bar,0.02 bar,unit", "PT-10,S10,H,RO,kPa,0,30 °C,1,span", head=head)
        self.assertEqual((rows[2]["fate"], rows[3]["fate"]), ("new", "refused"))
        self.assertIn("URV", rows[3]["faults"])
        self.assertEqual(rows[2]["understood"], {"LRV [bar]": "50", "URV": "400", "Tolerance": "2"})  # what is stored is seen before
        self.act("write")
        i = Instrument.objects.get(tag="PT-9")
        self.assertEqual((i.lrv, i.urv), (50.0, 400.0))
        self.assertAlmostEqual(i.tolerance_value, 2.0)

    def test_files_that_can_t_be_read_say_why(self):
        self.assertIn("'note' (3 times)", self.refused("Tag,Note,note,NOTE\nA,1,2,3", "same_columns"))
        self.assertIn("both mean", self.refused("Tag,LRV,lrv [bar]\nA,1,2", "same_columns"))
        self.assertIn("line 2", self.refused(b"Tag,Service\nPT-9,K\xfchler", "wrong_encoding"))
        self.refused("Serial,Service\n1,2", "no_tag_column")
        self.refused("Tag\n", "no_rows")
        self.refused(b"", "empty_file")
        self.refused(b"\x89PNG\x00\x00", "wrong_kind")
        self.refused(b"PK\x03\x04 not a book", "wrong_kind", "plant.xlsx")
        self.assertIn("quotation mark", self.refused('Tag,Service\nA,"open', "bad_csv"))
        self.assertIn("20 MB", self.refused(b"Tag\n" + b"x" * (20 * 2**20), "too_large"))
        self.assertFailure(self.send(b"Tag\n" + b"x" * (22 * 2**20)), 413, "too_large")
        self.assertFalse(ImportBatch.objects.exists())

    def book(self, *rows, merge=""):
        made = Workbook()
        for row in rows:
            made.active.append(row)
        if merge:
            made.active.merge_cells(merge)
        out = io.BytesIO()
        made.save(out)
        return out.getvalue()

    def test_a_workbook_s_formulas_and_merged_cells_are_named_where_they_stand(self):
        head = HEAD.split(",")
        row = ["PT-9", "0012", "Header", "RO", "kPa", 0, "=10*10", 0.5]
        answer = self.send(self.book(head, row), "plant.xlsx")
        told = self.get(f"imports/{answer.json()['id']}/rows/").json()["rows"][0]
        self.assertEqual((told["fate"], told["faults"]), ("refused", {"URV": "G2 holds a formula; put its value there."}))
        self.assertIn("A2:A3", self.refused(self.book(head, row, row, merge="A2:A3"), "merged_cells", "plant.xlsx"))

    def packed(self, part, size):
        """A workbook with a part of so many spaces, which pack to a thousandth."""
        out = io.BytesIO(self.book(["Tag"], ["PT-9"]))
        with zipfile.ZipFile(out, "a", zipfile.ZIP_DEFLATED) as book:
            book.writestr(part, b" " * size)
        return out.getvalue()

    def test_a_workbook_made_to_blow_up_is_refused_by_its_own_list(self):
        self.assertIn("Nothing was unpacked", self.refused(self.packed("xl/media/x.xml", 40 * 2**20), "blown_up", "plant.xlsx"))
        for size, code in ((2**20, None), (2**20 + 1, "blown_up")):  # a small part may be anything
            with self.subTest(size=size):
                data = self.packed("xl/media/x.xml", size)
                if code:
                    self.refused(data, code, "plant.xlsx")
                else:
                    self.assertEqual(self.send(data, "plant.xlsx").status_code, 201)
        wide = ",".join(["Tag", *(f"c{n}" for n in range(1000))])
        self.assertIn("1001 columns", self.refused(f"{wide}\nA", "too_many_columns"))
        lies = bytearray(self.packed("xl/media/x.xml", 40 * 2**20))
        at = lies.rindex(b"PK\x01\x02")  # its entry in the list
        lies[at + 24 : at + 28] = (1000).to_bytes(4, "little")
        self.assertEqual(self.send(bytes(lies), "plant.xlsx").status_code, 201)  # what the list hides is never read

    def test_an_export_reads_in_again_unchanged_as_csv_and_as_workbook(self):
        Instrument.objects.filter(tag="PT-2110").update(service="=1+1", hazards="-5 °C, ice", serial="0012")
        for kind, name in (("csv", "out.csv"), ("xlsx", "out.xlsx")):
            answer = self.client.get(f"/api/v1/exports/instruments/?kind={kind}")
            data = answer.getvalue() if answer.streaming else answer.content
            back = self.send(data, name).json()
            count = Instrument.objects.count()
            self.assertEqual((back["counts"]["same"], back["counts"]["refused"]), (count, 0), kind)

    def test_no_exported_cell_runs(self):
        Instrument.objects.filter(tag="PT-2110").update(service="=HYPERLINK(1)", feeds="@SUM(1)")
        text = self.client.get("/api/v1/exports/instruments/").getvalue().decode("utf-8-sig")
        self.assertIn("'=HYPERLINK(1)", text)
        self.assertIn("'@SUM(1)", text)
        data = self.client.get("/api/v1/exports/instruments/?kind=xlsx").content
        cells = [c for row in load_workbook(io.BytesIO(data)).active.iter_rows() for c in row]
        self.assertFalse([c.coordinate for c in cells if c.data_type == "f"])
        self.assertEqual([guarded(t) for t in ("-5", "-5 °C", "+x", "=1", "plain", "")], ["-5", "'-5 °C", "'+x", "'=1", "plain", ""])

    def test_a_spreadsheet_s_semicolons_and_utf_16_are_read(self):
        self.assertEqual(read_table("a.csv", "Tag;LRV\nA;1,5".encode("utf-16")).rows, [(2, ["A", "1,5"])])

    def test_labels_are_printed_three_by_eight_with_what_stands_on_them(self):
        self.read(*(f"PT-{n},S{n},Header {n},RO,kPa,0,100,0.5" for n in range(30)))
        self.act("write")
        answer = self.client.get("/api/v1/labels/?search=Header")
        pages = PdfReader(io.BytesIO(answer.content)).pages
        self.assertEqual(len(pages), 2)
        self.assertIn("PT-0", pages[0].extract_text())
        self.assertFailure(self.client.get("/api/v1/labels/?search=zzz"), 400, "no_labels")
        one = self.client.get("/api/v1/labels/?tags=PT-5").content
        self.assertIn("S/N S5", PdfReader(io.BytesIO(one)).pages[0].extract_text())

    def test_a_scanned_or_typed_code_finds_its_instrument(self):
        for code in ("http://tablet:8000/plant/PT-2110", "pt-2110", self.instrument.serial.lower(), " PT-2110 "):
            self.assertEqual(self.get(f"find/?code={quote(code)}").json()["tag"], "PT-2110", code)
        self.assertIn("PT-2110", self.assertFailure(self.get("find/?code=PT-21"), 404, "unknown_code")["message"])
        self.assertFailure(self.get("find/?code="), 400, "missing")

    def test_only_who_edits_the_plant_imports(self):
        self.sign_in(self.ines)
        self.assertFailure(self.send(HEAD), 403, "not_allowed")
        self.sign_in(self.ruben)
        self.read("PT-9,S9,Header,RO,kPa,0,100,0.5")
        self.sign_in(self.ines)
        self.assertFailure(self.act("write"), 403, "not_allowed")

    def test_a_preview_can_be_thrown_away_and_a_written_one_not(self):
        self.read("PT-9,S9,Header,RO,kPa,0,100,0.5")
        self.assertEqual(self.client.delete(f"/api/v1/imports/{self.batch['id']}/").status_code, 204)
        self.read("PT-9,S9,Header,RO,kPa,0,100,0.5")
        self.act("write")
        self.assertFailure(self.client.delete(f"/api/v1/imports/{self.batch['id']}/"), 400, "not_now")

    def test_new_ones_are_due_by_their_history_or_spread_over_their_interval_where_that_is_chosen(self):
        today = timezone.localdate()
        on = today - timedelta(days=30)
        head = f'{HEAD},Interval,"Last calibrated on, before this register",By whom'
        known = f"PT-500,S500,Header,RO,kPa,0,10,0.5,90,{on.isoformat()},Hill Laboratories"
        others = [f"PT-{600 + n},S{600 + n},Header,RO,kPa,0,10,0.5,90,," for n in range(60)]
        for spreads in (False, True):
            self.read(known, *others, head=head)
            self.act("write", {"spreads": spreads})
            first = Instrument.objects.get(tag="PT-500")
            self.assertEqual(first.next_due, on + timedelta(days=90))
            self.assertIn("by Hill Laboratories, before this register", first.due_why)
            due = [i.next_due for i in Instrument.objects.filter(tag__startswith="PT-6")]
            days = {(d - today).days for d in due}
            if spreads:
                self.assertGreater(len(days), 25)
                self.assertTrue(all(0 <= d < 90 for d in days))
                self.assertGreater(len([d for d in days if d < 45]), 8)
                self.assertGreater(len([d for d in days if d >= 45]), 8)
            else:
                self.assertEqual(days, {0})
            self.act("undo")
            self.assertFalse(Instrument.objects.filter(tag="PT-500").exists())
