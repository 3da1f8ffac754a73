"""What every journey needs: a live server on the built front end, a browser, people, one instrument, two references."""

from __future__ import annotations

import os
from datetime import timedelta
from pathlib import Path

from axe_playwright_python.sync_playwright import DEFAULT_OPTIONS, Axe
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.utils import timezone
from playwright.sync_api import Page, expect, sync_playwright

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.plant.models import Area, Instrument
from apps.runs.tests.base import make_qualified

PASSWORD = "a-long-password"
ARGUMENTS = ["--no-sandbox", "--disable-dev-shm-usage", "--disable-gpu", "--font-render-hinting=none", "--disable-background-networking"]
SHOTS = os.environ.get("SHOTS")
# Of the dark theme only the colours are another's; the rest was looked at in the light one.
ONLY_COLOURS = {**DEFAULT_OPTIONS, "runOnly": {"type": "rule", "values": ["color-contrast"]}}
expect.set_options(timeout=30_000)  # a machine that stands still for a while is no fault of the page


SMALL_TARGETS = """() => [...document.querySelectorAll('main button, main input, main [role=radio], main select, main a')]
    .filter((e) => e.getClientRects().length && !e.closest('.sr-only'))
    .map((e) => ({ words: (e.innerText || e.name || '').slice(0, 40), height: e.getBoundingClientRect().height }))
    .filter((t) => t.height < 47.5)"""


# The first that is there: the one without windows needs a third of the processor of one that draws them for nobody.
BROWSERS = ("/usr/bin/chromium-headless-shell", "/usr/bin/chromium", "/usr/bin/chromium-browser", "/usr/bin/google-chrome")


def browser_path() -> str:
    return next(p for p in BROWSERS if Path(p).exists())


def make_plant() -> None:
    """People, an area, an instrument due, references good and bad."""
    for username, first, role in (
        ("ines", "Ines", "technician"),
        ("tomas", "Tomas", "technician"),
        ("marta", "Marta", "reviewer"),
        ("ruben", "Ruben", "planner"),
    ):
        made = Person.objects.create_user(username, password=PASSWORD, first_name=first, last_name="Calder", role=role)
        if role == "technician":
            make_qualified(made, "gas work", "lock-out", "work at height", "confined space")
    area = Area.objects.create(code="RO", name="Reverse-osmosis hall")
    for tag, due in (("PT-2110", -3), ("PT-2111", 5)):
        Instrument.objects.create(
            tag=tag,
            serial=f"MB-{tag[-4:]}",
            service="Permeate header pressure",
            area=area,
            unit="kPa",
            lrv=0,
            urv=400,
            tolerance_value=0.5,
            next_due=timezone.localdate() + timedelta(days=due),
            feeds="Low-pressure alarm",
        )
    common = {"certificate": "TP-1", "laboratory": "Tern Point", "traceability": "SI", "k": 2.0, "resolution": 0.001}
    for code, unit, low, high, u, days in (
        ("MB-P01", "kPa", 0, 1000, 0.1, 200),
        ("MB-P04", "kPa", 0, 1000, 0.1, -10),
        ("MB-P05", "kPa", 0, 1000, 5.0, 200),
        ("MB-P06", "kPa", 0, 200, 0.1, 200),
        ("MB-I01", "mA", 0, 24, 0.002, 200),
    ):
        due = timezone.localdate() + timedelta(days=days)
        Reference.objects.create(
            code=code,
            name="Calibrator" if unit == "kPa" else "Loop meter",
            serial=code,
            unit=unit,
            low=low,
            high=high,
            u_absolute=u,
            calibrated_on=due - timedelta(days=365),
            due_on=due,
            **common,
        )


class BrowserTestCase(StaticLiveServerTestCase):
    """A journey in headless Chromium at 1280x800. Anything on the console that is an error fails the test."""

    viewport = {"width": 1280, "height": 800}

    @classmethod
    def setUpClass(cls):
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        super().setUpClass()
        cls.addClassCleanup(os.environ.pop, "DJANGO_ALLOW_ASYNC_UNSAFE", None)
        cls.playwright = sync_playwright().start()
        cls.addClassCleanup(cls.playwright.stop)
        cls.browser = cls.playwright.chromium.launch(executable_path=browser_path(), args=ARGUMENTS)
        cls.addClassCleanup(cls.browser.close)

    def setUp(self):
        make_plant()
        self.console_errors = []
        self.page = self.open_browser()

    def tearDown(self):
        if not self._outcome.success:
            self.tell_what_stood_there()
        for context in list(self.browser.contexts):
            context.close()
        policy = [e for e in self.console_errors if "Content Security Policy" in e or "Uncaught" in e]
        self.assertEqual(policy, [])

    def tell_what_stood_there(self):
        """Of a journey that failed, the words on its page and what had the focus: where it failed cannot be looked at, that is what is left of it."""
        name = self.id().rsplit(".", 1)[-1]
        if SHOTS:
            self.page.screenshot(path=f"{SHOTS}/failed-{name}.png")
        at, words = self.page.evaluate("() => [document.activeElement?.outerHTML.slice(0, 200), document.body.innerText.slice(0, 4000)]")
        print(f"\n{name}: {self.page.url}, focus on {at}\n{words}\n", flush=True)

    def open_browser(self, **options) -> Page:
        """A page of a new person at a device of their own."""
        context = self.browser.new_context(
            **{"viewport": self.viewport, "reduced_motion": "reduce", "base_url": self.live_server_url, **options}
        )
        page = context.new_page()
        page.on("console", lambda m: self.console_errors.append(m.text) if m.type == "error" else None)
        page.on("pageerror", lambda e: self.console_errors.append(f"Uncaught {e}"))
        return page

    def sign_in(self, page: Page, username: str = "ines") -> None:
        page.goto("/")
        page.get_by_label("Name").fill(username)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_role("heading", name="Today")).to_be_visible()

    def check(self, page, where):
        """No serious finding of axe, light and dark."""
        for theme, options in (("light", DEFAULT_OPTIONS), ("dark", ONLY_COLOURS)):
            page.evaluate("(theme) => { document.documentElement.dataset.theme = theme; }", theme)
            page.wait_for_timeout(60)
            found = [v for v in Axe().run(page, options=options).response["violations"] if v["impact"] in ("serious", "critical")]
            told = [(v["id"], [n["html"][:160] for n in v["nodes"][:3]]) for v in found]
            self.assertEqual(told, [], f"{where}, {theme}")

    def check_step(self, page, heading):
        """A step of a run: no serious finding, and targets for gloves."""
        expect(page.get_by_role("heading", name=heading, exact=True).first).to_be_visible()
        self.check(page, heading)
        self.assertEqual(page.evaluate(SMALL_TARGETS), [], f"{heading}, targets for gloves")

    def shot(self, name: str, page: Page | None = None) -> None:
        """A picture, when SHOTS names a folder."""
        if SHOTS:
            (page or self.page).screenshot(path=f"{SHOTS}/{name}.png")


class RunSteps:
    """The steps of a run with the pointer, for journeys that are about something else."""

    def __init__(self, page: Page) -> None:
        self.page = page

    def start(self, tag: str = "PT-2110") -> None:
        self.page.get_by_role("button", name=tag).click()
        expect(self.page.get_by_role("heading", name="Right instrument")).to_be_visible()

    def prepare(self, serial: str = "MB-2110", tag: str = "PT-2110") -> None:
        p = self.page
        p.get_by_label("Tag on the plate").fill(tag)
        p.get_by_label("Serial on the plate").fill(serial)
        self.references()
        p.get_by_label("Air temperature").fill("21,5")
        p.get_by_role("button", name="Check the plate").click()
        expect(p.get_by_role("heading", name="Right instrument")).to_have_count(0)

    def references(self) -> None:
        p = self.page
        p.get_by_role("region", name="Input reference").get_by_role("button", name="MB-P01").click()
        expect(p.get_by_role("region", name="Input reference").get_by_role("button", name="MB-P01", pressed=True)).to_be_visible()
        p.get_by_role("region", name="Output meter").get_by_role("button", name="MB-I01").click()
        expect(p.get_by_role("region", name="Output meter").get_by_role("button", name="MB-I01", pressed=True)).to_be_visible()

    def make_safe(self) -> None:
        p = self.page
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("radio", name="Inhibit: signal held from tripping").click()
        p.get_by_label("Reason").fill("Scheduled calibration")
        p.get_by_role("button", name="Hold is on").click()
        for line in ("Isolated from the process and vented", "The cautions above are met", "Nothing adjusted yet: as found comes first"):
            p.get_by_text(line).click()
        p.get_by_role("button", name="Safe to start").click()
        expect(p.get_by_role("heading", name="As found", exact=True)).to_be_visible()

    def read(self, texts: list[str], first: int = 1) -> None:
        p = self.page
        for n, text in enumerate(texts, first):
            expect(p.get_by_role("button", name=f"Record reading {n}", exact=True)).to_be_enabled()
            p.get_by_label("Reading, mA").fill(text)
            p.get_by_label("Reading, mA").press("Enter")
        # The last reading moves the run on, or the next number is asked for.
        expect(p.get_by_role("button", name=f"Record reading {first + len(texts) - 1}", exact=True)).to_have_count(0)

    def restore(self) -> None:
        p = self.page
        expect(p.get_by_role("heading", name="Put it back")).to_be_visible()
        for box in p.get_by_role("checkbox").all():
            box.click()
        p.get_by_label("Normal reading seen").fill("212 kPa")
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("button", name="Hold is off").click()

    def restore_any(self, reading: str = "50") -> None:
        """Put it back and release, whatever the method's own list is."""
        p = self.page
        expect(p.get_by_role("heading", name="Put it back")).to_be_visible()
        for box in p.get_by_role("checkbox").all():
            box.click()
        p.get_by_label("Normal reading seen").fill(reading)
        p.get_by_label("Operator told (name)").fill("Control room")
        p.get_by_role("button", name="Hold is off").click()

    def sign(self, note: str = "") -> None:
        p = self.page
        expect(p.get_by_role("heading", name="Sign", exact=True)).to_be_visible()
        if note:
            p.get_by_label("Notes for the record").fill(note)
        p.get_by_label("Your password").fill(PASSWORD)
        p.get_by_role("button", name="Sign as").click()
        expect(p.get_by_text("signed, waiting for review")).to_be_visible()

    def to_as_found(self) -> None:
        self.start()
        self.prepare()
        self.make_safe()


GOOD = ["4.01", "8.01", "12,01", "16.01", "20.01 mA", "20.00", "16.01", "12.01", "8.01", "4.01"]
ZERO_OFF = ["4.128", "8.128", "12.128", "16.128", "20.128", "20.128", "16.128", "12.128", "8.128", "4.128"]
