"""Kit and certificates from files in the browser: seen, written, taken back."""

import re

from playwright.sync_api import expect

from apps.kit.models import Reference
from apps.plant.models import Area
from e2e.base import BrowserTestCase


class Intake(BrowserTestCase):
    def test_areas_are_previewed_written_and_taken_back(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plant/imports")
        p.get_by_label("What the file holds").select_option(label="Areas")
        table = "Code,Name,Needs a permit\nPMP,Pump hall,Yes\nRO,Hall two,no\nB-D,Bad,no\n"
        p.get_by_label("File of Areas").set_input_files({"name": "areas.csv", "mimeType": "text/csv", "buffer": table.encode()})
        rows = p.get_by_label("Rows", exact=True)
        expect(rows).to_contain_text("Taken as: Needs a permit yes")
        expect(rows).to_contain_text("The code has 1 to 12 letters and digits")
        self.check(p, "a file's preview")
        p.get_by_role("button", name="Write 2 rows").press("Enter")
        expect(p.get_by_text("2 rows were written.")).to_be_visible()
        self.assertEqual(Area.objects.get(code="RO").name, "Hall two")
        p.get_by_role("button", name="Take it back").press("Enter")
        expect(p.get_by_text("2 rows were taken back.")).to_be_visible()
        self.assertEqual(list(Area.objects.values_list("code", "name")), [("RO", "Reverse-osmosis hall")])
        p.get_by_role("link", name="All imports").press("Enter")
        expect(p.get_by_label("Areas, kit and people")).to_contain_text("areas.csv")

    def test_a_certificate_is_seen_before_it_counts(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/kit/reference/MB-P01")
        table = {"name": "c.csv", "mimeType": "text/csv", "buffer": b"Applied,Indicated,U\n0,0.1,0.05\n1000,1000.2,0.08\n"}
        p.get_by_label("Certificate as data", exact=True).set_input_files(table)
        expect(p.get_by_text("The file does not tell the number of the certificate").first).to_be_visible()
        p.get_by_label("Its number").fill("TP-88")
        p.get_by_role("group", name="A new certificate as data").get_by_label("Calibrated on").fill("2026-11-02")
        self.check(p, "an item of the kit")
        p.get_by_label("Certificate as data", exact=True).set_input_files(table)
        expect(p.get_by_label("Rows", exact=True)).to_contain_text(re.compile("Certificate: TP-1 → TP-88"))
        self.assertEqual(Reference.objects.get(code="MB-P01").certificate, "TP-1")
        p.get_by_role("button", name="Write 1 row").press("Enter")
        expect(p.get_by_text("1 row was written.")).to_be_visible()
        self.assertEqual(Reference.objects.get(code="MB-P01").certificate, "TP-88")
