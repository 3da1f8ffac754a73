"""Documents of an instrument: told by their content, kept, given back as a download."""

import io

from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from apps.plant.models import InstrumentChange, InstrumentFile
from apps.runs.tests.base import PlantTestCase

PDF = b"%PDF-1.7\n%..."


def picture(form):
    out = io.BytesIO()
    Image.new("RGB", (4, 4)).save(out, form)
    return out.getvalue()


class Documents(PlantTestCase):
    def send_file(self, name="sheet.pdf", data=PDF, tag="PT-2110"):
        return self.client.post(f"/api/v1/instruments/{tag}/files/", {"file": SimpleUploadedFile(name, data)})

    def setUp(self):
        super().setUp()
        self.sign_in(self.ruben)

    def test_a_document_is_attached_listed_and_given_back(self):
        page = self.send_file()
        self.assertEqual(page.status_code, 201, page.content)
        kept = page.json()["files"][0]
        self.assertEqual((kept["name"], kept["size"], kept["by"]), ("sheet.pdf", len(PDF), self.ruben.name))
        self.assertIn("Document attached: sheet.pdf", [c["reason"] for c in page.json()["changes"]])
        back = self.get(f"documents/{kept['id']}/")
        self.assertEqual(b"".join(back.streaming_content), PDF)
        self.assertIn("attachment", back["Content-Disposition"])
        self.assertEqual(back["Content-Type"], "application/pdf")

    def test_its_kind_is_told_by_its_content(self):
        for name, data, kind in (
            ("photo.txt", picture("JPEG"), "image/jpeg"),
            ("loop.csv", picture("PNG"), "image/png"),
            ("points.csv", b"a;b\n1;2\n", "text/csv"),
            ("page.html", b"<certificate/>", "application/xml"),
        ):
            with self.subTest(name=name):
                self.assertEqual(self.send_file(name, data).status_code, 201)
                self.assertEqual(InstrumentFile.objects.get(name=name).kind, kind)

    def test_what_is_no_document_is_refused(self):
        for name, data, code in (
            ("tool.exe", b"MZ\x00\x01", "wrong_kind"),
            ("page.pdf", b"<html><script>x</script></html>", "wrong_kind"),
            ("empty.pdf", b"", ""),
        ):
            with self.subTest(name=name):
                answer = self.send_file(name, data)
                self.assertEqual(answer.status_code, 400, answer.content)
                self.assertIn(answer.json()["code"], (code, "too_large", "no_file", "invalid"))
        self.assertEqual(self.client.post("/api/v1/instruments/PT-2110/files/").json()["code"], "no_file")
        self.assertEqual(self.send_file(tag="NO-1").status_code, 404)
        self.assertFalse(InstrumentFile.objects.exists())

    def test_a_name_can_not_lead_out_of_its_place(self):
        self.send_file("../../etc/passwd.pdf")
        kept = InstrumentFile.objects.get()
        self.assertNotIn("/", kept.name)
        self.assertTrue(kept.file.name.startswith("plant/"))

    def test_only_who_edits_the_plant_attaches_and_everybody_reads(self):
        kept = self.send_file().json()["files"][0]
        changes = InstrumentChange.objects.count()
        self.sign_in(self.ines)
        self.assertEqual(self.send_file().status_code, 403)
        self.assertEqual(InstrumentChange.objects.count(), changes)
        self.assertEqual(self.get(f"documents/{kept['id']}/").status_code, 200)
        self.client.logout()
        self.assertEqual(self.get(f"documents/{kept['id']}/").status_code, 401)
        self.sign_in(self.ines)
        self.assertEqual(self.get("documents/99999/").status_code, 404)
