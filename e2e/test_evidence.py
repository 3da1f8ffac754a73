"""Evidence looked after in the interface: a record tampered with is seen wherever it is shown, the journal is searched, a backup is made."""

import re
import shutil
import tempfile
from pathlib import Path

from django.test import Client, override_settings
from playwright.sync_api import expect

from apps.accounts.models import Person
from apps.journal import keys
from apps.plant.models import Instrument
from apps.runs.models import RunEvent
from apps.runs.tests.base import MODEL_BACKEND, PlantClient
from e2e.base import BrowserTestCase


class Recorded(PlantClient):
    """A record that is there, made over HTTP."""

    def __init__(self, case):
        self.client = Client()
        self.client.force_login(Person.objects.get(username="ines"), backend=MODEL_BACKEND)
        self.assertEqual = case.assertEqual


class Evidence(BrowserTestCase):
    def setUp(self):
        home = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, home)
        told = override_settings(KEY_FOLDER=home / "keys", ANCHORS_HERE=home / "anchors", BACKUP_FOLDER=home / "backups")
        told.enable()
        self.addCleanup(told.disable)
        keys._key.cache_clear()
        self.addCleanup(keys._key.cache_clear)
        super().setUp()
        Instrument.objects.filter(tag="PT-2110").update(serial="MB-1")
        Instrument.objects.get(tag="PT-2110").save()  # as a form would: the journal follows it
        self.record = Recorded(self)
        self.record.signed_run()

    def test_a_reading_changed_in_the_database_is_seen_on_every_page(self):
        p = self.page
        self.sign_in(p, "marta")
        p.goto("/records")
        p.get_by_role("link", name="Evidence", exact=True).press("Enter")
        journal = p.get_by_role("region", name="Journal")
        p.get_by_role("button", name="Look it through").press("Enter")
        expect(journal).to_contain_text("all of it holds")
        p.get_by_role("button", name="Back up now").press("Enter")
        expect(p.get_by_role("region", name="Backups")).to_contain_text(re.compile(r"The last on .* looked through, all of it holds\."))
        p.get_by_label("Of", exact=True).select_option("runs")
        expect(p.get_by_role("cell", name=re.compile("^VL-000001 run")).first).to_be_visible()
        p.get_by_label("Search").fill("reading_taken")
        expect(p.get_by_text("10 entries")).to_be_visible()
        self.check(p, "Evidence")
        event = RunEvent.objects.filter(type="reading_taken").first()
        RunEvent.objects.filter(pk=event.pk).update(payload={**event.payload, "indicated": "4.02"})
        p.get_by_role("button", name="Look it through").press("Enter")
        told = f"event {event.seq} (reading_taken"
        expect(p.get_by_role("alert").first).to_contain_text(told)
        p.goto(f"/records/{self.record.run_id}")
        expect(p.get_by_role("alert").first).to_contain_text("This record does not hold")
        expect(p.get_by_role("alert").first).to_contain_text(told)
        p.goto("/")
        expect(p.get_by_role("alert").first).to_contain_text(told)
        p.get_by_role("link", name="To the evidence").press("Enter")
        expect(p.get_by_role("heading", name="Evidence", exact=True)).to_be_visible()
        p.get_by_role("button", name="Back up now").press("Enter")  # and it is no backup that anybody could rely on
        expect(p.get_by_text(re.compile("The copy does not hold")).first).to_be_visible()
