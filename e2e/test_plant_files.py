"""Instruments from a file in the browser: errors corrected, written, taken back; and a label scanned."""

import tempfile
from pathlib import Path

import segno
from playwright.sync_api import expect

from apps.plant.models import Instrument
from e2e.base import ARGUMENTS, BrowserTestCase, browser_path

FILE = """Tag,Serial,Service,Area,Unit,LRV,URV,Tolerance
PT-9,S9,Header,RO,kPa,0,ten,0.5
PT-10,S10,Second header,RO,kPa,0,10,0.5
PT-2110,MB-2110,Renamed header,RO,kPa,0,400,0.5
"""


class PlantFiles(BrowserTestCase):
    def test_an_import_is_corrected_written_and_undone(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plant")
        p.get_by_role("link", name="Import, export").click()
        file = {"name": "plant.csv", "mimeType": "text/csv", "buffer": FILE.encode()}
        p.locator("input[type=file]").set_input_files(file)
        expect(p.get_by_role("heading", name="plant.csv is read; nothing is written yet")).to_be_visible()
        expect(p.get_by_text("URV is 'ten', which is not a number")).to_be_visible()
        self.check(p, "import")
        p.get_by_label("URV in row 2").fill("250")
        p.get_by_role("button", name="Correct").click()
        expect(p.get_by_role("button", name="Write 3 rows")).to_be_visible()
        p.get_by_label("Write row 3").uncheck()
        p.get_by_role("button", name="Write 2 rows").click()
        expect(p.get_by_text("2 rows were written.")).to_be_visible()
        self.assertEqual(Instrument.objects.get(tag="PT-9").urv, 250)
        p.goto("/plant/PT-2110")
        expect(p.get_by_text("Renamed header").first).to_be_visible()
        expect(p.get_by_text("Imported from plant.csv")).to_be_visible()
        p.goto("/plant/imports")
        p.get_by_role("link", name="plant.csv").click()
        p.get_by_role("button", name="Take it back").click()
        expect(p.get_by_text("2 rows were taken back.")).to_be_visible()
        self.assertFalse(Instrument.objects.filter(tag="PT-9").exists())
        self.assertEqual(Instrument.objects.get(tag="PT-2110").service, "Permeate header pressure")

    def test_a_file_that_can_t_be_read_says_why(self):
        p = self.page
        self.sign_in(p, "ruben")
        p.goto("/plant/imports")
        for data, says in ((b"Tag,Service\nPT-9,K\xfchler", "is not in UTF-8: line 2"), (b"x" * (21 * 2**20), "Split it by area")):
            p.locator("input[type=file]").set_input_files({"name": "plant.csv", "mimeType": "text/csv", "buffer": data})
            expect(p.get_by_text(says)).to_be_visible()

    def test_a_code_is_typed_where_there_is_no_camera(self):
        p = self.page
        self.sign_in(p)
        p.goto("/plant")
        p.get_by_role("link", name="Scan").click()
        expect(p.get_by_text("No camera can be used here")).to_be_visible()
        p.get_by_label("Or type the tag or the serial").fill("PT-21")
        p.keyboard.press("Enter")
        expect(p.get_by_text("Did you mean PT-2110, PT-2111?")).to_be_visible()
        p.get_by_label("Or type the tag or the serial").fill("mb-2111")
        p.keyboard.press("Enter")
        expect(p.get_by_role("heading", name="PT-2111")).to_be_visible()

    def test_a_label_held_before_the_camera_opens_the_instrument(self):
        with tempfile.TemporaryDirectory() as folder:
            film = Path(folder) / "label.y4m"
            write_film(film, f"{self.live_server_url}/plant/PT-2110")
            fakes = ["--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream", f"--use-file-for-fake-video-capture={film}"]
            browser = self.playwright.chromium.launch(executable_path=browser_path(), args=[*ARGUMENTS, *fakes])
            self.addCleanup(browser.close)
            p = browser.new_context(base_url=self.live_server_url, permissions=["camera"]).new_page()
            self.sign_in(p)
            p.goto("/scan")
            expect(p.get_by_role("heading", name="PT-2110")).to_be_visible(timeout=20_000)


def write_film(path, text, wide=640, high=480, frames=10):
    """A still of a code as a raw film, grey on white, for the browser's pretended camera."""
    matrix = [list(row) for row in segno.make(text, error="m").matrix_iter(scale=8, border=4)]
    top, left = (high - len(matrix)) // 2, (wide - len(matrix[0])) // 2
    grey = bytearray(b"\xeb" * (wide * high))
    for y, row in enumerate(matrix):
        for x, dark in enumerate(row):
            if dark:
                grey[(top + y) * wide + left + x] = 16
    frame = b"FRAME\n" + bytes(grey) + b"\x80" * (wide * high // 2)
    path.write_bytes(f"YUV4MPEG2 W{wide} H{high} F10:1 Ip A1:1 C420jpeg\n".encode() + frame * frames)
