"""What may be attached: told by its content, pictures without what a camera adds, nothing that a browser would run, and no more than there is room for."""

import io
from unittest.mock import patch

from django.test import SimpleTestCase, override_settings
from PIL import Image, PngImagePlugin

from config import uploads
from config.uploads import keep, plain_name
from metrology.faults import Fault

PDF = b"%PDF-1.4\n%%EOF"
CSV = b"point;error\n0;0.1\n50;0.2\n100;0.1\n"
XML = b'<?xml version="1.0"?><certificate><number>TP-1</number></certificate>'


def picture(form, size=(40, 20), **more):
    out = io.BytesIO()
    Image.new("RGB", size, (200, 30, 30)).save(out, form, **more)
    return out.getvalue()


def with_place():
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    exif[0x010F] = "a camera"
    exif.get_ifd(0x8825)[1] = "N"  # where it was taken
    return picture("JPEG", exif=exif, comment=b"my own words")


class Uploads(SimpleTestCase):
    def setUp(self):
        self.stored = 0
        found = patch.object(uploads, "stored_bytes", lambda: self.stored)
        found.start()
        self.addCleanup(found.stop)

    def refused(self, name, data, code="wrong_kind"):
        with self.assertRaises(Fault) as caught:
            keep(name, data)
        self.assertEqual(caught.exception.code, code)
        return caught.exception.message

    def test_the_kind_is_that_of_the_content(self):
        for data, kind in (
            (PDF, "application/pdf"),
            (CSV, "text/csv"),
            (XML, "application/xml"),
            (picture("PNG"), "image/png"),
            (picture("JPEG"), "image/jpeg"),
        ):
            with self.subTest(kind=kind):
                self.assertEqual(keep("certificate.exe", data).kind, kind)

    def test_pictures_are_written_anew_upright_and_without_what_a_camera_adds(self):
        kept = keep("photo.jpg", with_place() + b"<script>alert(1)</script>")
        for told in (b"a camera", b"my own words", b"Exif", b"<script>"):
            self.assertNotIn(told, kept.data)
        self.assertEqual(Image.open(io.BytesIO(kept.data)).size, (20, 40))
        info = PngImagePlugin.PngInfo()
        info.add_text("Author", "somebody")
        self.assertNotIn(b"somebody", keep("x.png", picture("PNG", pnginfo=info)).data)

    def test_what_only_begins_like_a_picture_is_none(self):
        self.assertIn("can't be read", self.refused("x.png", b"\x89PNG\r\n\x1a\n" + b"x" * 500))
        self.refused("x.jpg", picture("JPEG")[:200])

    def test_a_picture_of_too_many_points_is_not_unpacked(self):
        with patch.object(uploads, "MAX_PIXELS", 800):
            self.assertEqual(keep("x.png", picture("PNG", (40, 20))).kind, "image/png")
            self.assertIn("million points", self.refused("x.png", picture("PNG", (41, 20))))

    def test_pages_drawings_and_scripts_are_refused_by_whatever_name(self):
        for data in (
            b"<!doctype html><html><body>a,b\nc,d</body></html>",
            b'<svg xmlns="http://www.w3.org/2000/svg"><script>1</script></svg>',
            b'<?xml version="1.0"?><c><x:script xmlns:x="http://www.w3.org/1999/xhtml">1</x:script></c>',
            b'<?xml version="1.0"?><?xml-stylesheet href="x.xsl"?><c/>',
            b'<!DOCTYPE c [<!ENTITY a SYSTEM "file:///etc/passwd">]><c>&a;</c>',
            b"<certificate><number>",
            b"#!/bin/sh\nrm,-rf\nrm,-rf\n",
            b"function f(a) {\n  return a;\n}\nlet b = f(1);\n",
            b"import os\nos.remove('x')\n",
            b"a,b\n<script>1</script>,c\n",
            b"just words\nand more of them\n",
            b"a,b\nc,d\n" + b"e,f\n" * 2000 + b"\x00",
            b"MZ\x90\x00",
        ):
            with self.subTest(data=data[:40]):
                self.assertIn("was not kept", self.refused("data.csv", data))

    def test_a_table_with_a_heading_above_it_is_one(self):
        self.assertEqual(
            keep("x.csv", b"Certificate TP-1\nfor MB-P01\n\npoint,error,U\n0,0.1,0.2\n50,0.1,0.2\n100,0.1,0.2\n").kind, "text/csv"
        )

    def test_names_are_plain_and_their_end_is_kept(self):
        for name, plain in (
            ("../../etc/passwd", "etcpasswd"),
            ("a\r\nb\u202efdp.exe", "abfdp.exe"),
            ("x" * 300 + ".pdf", "x" * 116 + ".pdf"),
            ("Prüfschein 7.pdf", "Prüfschein 7.pdf"),
            ("...", "file"),
            ("", "file"),
        ):
            with self.subTest(name=name[:30]):
                self.assertEqual(plain_name(name), plain)

    @override_settings(FILES_QUOTA_BYTES=1000)
    def test_the_plant_s_room_holds_to_its_last_byte(self):
        self.stored = 1000 - len(PDF)
        self.assertEqual(keep("a.pdf", PDF).kind, "application/pdf")
        self.stored += 1
        self.assertIn("used up", self.refused("a.pdf", PDF, "no_room"))
