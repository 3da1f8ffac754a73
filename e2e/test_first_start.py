"""From an empty plant to the first certificate: set up by the first visit, told what it still lacks, people in by links, a run, its record."""

import io
import re
import tempfile
from datetime import timedelta
from pathlib import Path

from django.test import override_settings
from django.utils import timezone
from playwright.sync_api import expect
from pypdf import PdfReader

from apps.accounts.first_start import make_code
from apps.accounts.models import Person
from e2e.base import PASSWORD, BrowserTestCase
from e2e.walk import Walk

LASTING = (timezone.localdate() + timedelta(days=300)).isoformat()
INSTRUMENT = {
    "Tag": "PT-1", "Serial": "S1", "Service": "Header pressure", "Area": "Reverse osmosis", "LRV": "0", "URV": "400", "Unit": "kPa", "Tolerance": "0.5",
    "Interval": "365", "Feeds (alarms, trips, control)": "Low-pressure alarm",
}  # fmt: skip
COMMON = {
    "Coverage factor k": "2",
    "Laboratory": "Tern Lab",
    "Traceability": "SI",
    "Resolution": "0.001",
    "Calibrated on": "2026-06-01",
    "Due on": LASTING,
}
KIT = (
    {"Code": "P1", "Name": "Calibrator", "Serial": "P1", "Unit": "kPa", "Covers from": "0", "Covers to": "1000", "U, fixed part": "0.1"},
    {"Code": "I1", "Name": "Loop meter", "Serial": "I1", "Unit": "mA", "Covers from": "0", "Covers to": "24", "U, fixed part": "0.002"},
)


class FirstStart(BrowserTestCase):
    def setUp(self):
        self.console_errors = []
        self.page = self.open_browser()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        kept = override_settings(PLANT_FILE=Path(folder.name) / "plant.json", PLANT_NAME="", PLANT_TIME_ZONE="UTC", TIME_ZONE="UTC")
        kept.enable()
        self.addCleanup(kept.disable)

    def test_from_nothing_to_the_first_certificate(self):
        p, code = self.page, make_code()
        p.goto("/")
        expect(p.get_by_label("Code")).to_be_focused()
        p.keyboard.type("12")
        p.get_by_label("The plant’s name").focus()
        for text in ("Tern Point", None, "Asta", "Lind", "asta", "short", "short"):
            if text:
                p.keyboard.type(text)
            p.keyboard.press("Tab")
        p.get_by_role("button", name="Set the plant up").press("Enter")
        expect(p.get_by_text("That is not the code")).to_be_visible()
        expect(p.get_by_text("too short")).to_be_visible()
        self.check(p, "an empty plant is set up")
        self.assertEqual(Person.objects.count(), 0)
        p.reload()
        expect(p.get_by_label("The plant’s name")).to_have_value("Tern Point")  # what was typed is kept, but for secrets
        p.get_by_label("Code").focus()
        p.keyboard.type(code)
        for label in ("Password", "Password again"):
            p.get_by_label(label, exact=True).focus()
            p.keyboard.type("a-very-long-one")
        p.keyboard.press("Enter")
        lacks = p.get_by_role("region", name="Before the first calibration")
        expect(lacks.get_by_text("An area of the plant: missing")).to_be_visible()
        expect(p.get_by_text("Tern Point")).to_be_visible()
        self.check(p, "what an empty plant lacks")
        lacks.get_by_role("link", name="Areas").press("Enter")
        area = p.get_by_role("form", name="New area")
        area.get_by_label("Code").fill("RO")
        area.get_by_label("Name").fill("Reverse osmosis")
        p.keyboard.press("Enter")
        expect(p.get_by_role("form", name="Area RO")).to_be_visible()
        p.goto("/")
        expect(lacks.get_by_text("An area of the plant: there")).to_be_visible()
        expect(lacks.get_by_text("A technician who can sign in: missing")).to_be_visible()
        self.add("/plant/new", INSTRUMENT)
        expect(p.get_by_role("heading", name="PT-1")).to_be_visible()
        for item in KIT:
            self.add("/kit/new/reference", {**item, **COMMON, "Certificate": f"TP-{item['Code']}"})
            expect(p.get_by_role("heading", name=item["Code"])).to_be_visible()
        links = [self.invite(*person) for person in (("Lena", "Voss", "lena", "Technician"), ("Rolf", "Aker", "rolf", "Reviewer"))]
        lena, rolf = (self.come_in(*link) for link in links)
        p.goto("/")
        expect(lacks).to_have_count(0)
        self.calibrate(lena)
        rolf.goto("/records")
        rolf.get_by_role("link", name=re.compile("VL-000001")).first.press("Enter")
        expect(rolf.get_by_text("Lena Voss").first).to_be_visible()
        answer = rolf.context.request.get(rolf.get_by_role("link", name="Certificate").first.get_attribute("href"))
        words = "".join(page.extract_text() for page in PdfReader(io.BytesIO(answer.body())).pages)
        for part in ("Tern Point", "PT-1", "Lena Voss", "TP-P1"):
            self.assertIn(part, words)

    def add(self, path, values):
        p = self.page
        p.goto(path)
        for label, value in values.items():
            field = p.get_by_label(re.compile(rf"^{re.escape(label)}(,|$)")).first
            if field.evaluate("(e) => e.tagName") == "SELECT":
                field.select_option(label=value)
            else:
                field.fill(value)
        p.get_by_role("button", name=re.compile("^(Add it|Add the instrument|Store|Add)$")).last.press("Enter")

    def invite(self, first, last, username, role):
        p = self.page
        p.goto("/people")
        p.get_by_role("button", name="Add somebody").press("Enter")
        for label, value in (("First name", first), ("Last name", last), ("User name", username)):
            p.get_by_label(label).fill(value)
        p.get_by_label("Role", exact=True).select_option(label=role)
        p.get_by_role("button", name="Add and make a link").press("Enter")
        return username, p.get_by_label(f"Link for {username}").input_value()

    def come_in(self, username, address):
        page = self.open_browser()
        page.goto(address)
        for label in ("Password", "Password again"):
            page.get_by_label(label, exact=True).fill(PASSWORD)
        page.keyboard.press("Enter")
        page.get_by_role("link", name=f"Sign in as {username}").press("Enter")
        page.get_by_label("Name", exact=True).fill(username)
        page.get_by_label("Password", exact=True).fill(PASSWORD)
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Today").first).to_be_visible()
        return page

    def calibrate(self, page):
        w = Walk(page, {"Air temperature": "21", "Normal reading seen": "50"}, ("P1", "I1")).start("PT-1", "S1")
        w.to("As found").read("4.000", "8.001", "12.000", "16.001", "20.000", "20.000", "16.001", "12.000", "8.001", "4.000")
        w.decide("Leave as it is").sign(PASSWORD)
