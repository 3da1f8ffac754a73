"""A run walked through by the keyboard alone: each step's fields are found by their labels, filled by typing, ticked by Space, ended by Ctrl+Enter."""

from __future__ import annotations

import re
from collections.abc import Mapping

from playwright.sync_api import Locator, Page, expect

COMMON = {
    "Operator told (name)": "Control room", "Reason": "Calibration", "Isolated at, locks of": "Q12, Ines", "Everyone clear": "Tomas",
    "Locks taken off": "Ines", "Permit number": "P-1",
}  # fmt: skip
AT_STEP = "() => document.querySelector('form[aria-labelledby=step-title]')?.contains(document.activeElement)"
# In one look, of the page and not of an element found before: a reading that is on its way ends its set between two looks, and what belongs to the
# step after it would be taken for the one before.
STANDS = """() => {
  const title = document.querySelector('#step-title');
  const buttons = [...document.querySelectorAll('form[aria-labelledby=step-title] button')];
  return title && [title.innerText, buttons.some((b) => b.innerText.startsWith('Record reading') || (b.ariaLabel ?? '').startsWith('Record reading'))];
}"""
LABEL = "(e) => (e.labels && e.labels[0] ? e.labels[0].innerText : e.getAttribute('aria-label') || '').trim()"


class Walk:
    """answers: by the beginning of a field's label. chosen: codes of the kit that are used where it is asked for."""

    def __init__(self, page: Page, answers: Mapping[str, str], chosen: tuple[str, ...] = ()) -> None:
        self.page, self.answers, self.chosen = page, {**COMMON, **answers}, chosen
        self.form = page.locator("form[aria-labelledby=step-title]")

    @property
    def title(self) -> Locator:
        return self.page.locator("#step-title")

    def start(self, tag: str, serial: str) -> Walk:
        """Open a run from the instrument's page and prove its plate."""
        self.page.goto(f"/plant/{tag}")
        self.page.get_by_role("button", name="Start a calibration").press("Enter")
        self.answers |= {"Tag on the plate": tag, "Serial on the plate": serial}
        expect(self.title).to_have_text("Right instrument")
        return self

    def to(self, title: str, **answers: str) -> Walk:
        """Step after step until the one whose title begins like that."""
        given = {**self.answers, **{k.replace("_", " "): v for k, v in answers.items()}}
        for _ in range(40):
            stands = self.stands()
            if stands[0].startswith(title):
                return self
            self.pass_step(given, stands)
        raise AssertionError(f"{title} never came; it stands at {self.title.inner_text()}")

    def stands(self) -> tuple[str, bool]:
        """The title of the step on the page, and whether it still takes readings."""
        title, reads = self.page.wait_for_function(STANDS).json_value()
        return title, reads

    def pass_step(self, given: Mapping[str, str] | None = None, stands: tuple[str, bool] | None = None) -> None:
        """Fill the step and end it; the next one must come. stands: what the caller saw and went by."""
        before, reads = stands or self.stands()
        if not reads:  # a set that is complete ends by itself
            self.fill(given or self.answers)
            self.page.keyboard.press("Control+Enter")
        self.arrive(before)

    def arrive(self, before: str) -> None:
        """The next step is there and has the focus; a key pressed earlier would go astray."""
        expect(self.title).not_to_have_text(before)
        self.page.wait_for_function(AT_STEP)

    def fill(self, given: Mapping[str, str]) -> None:
        """Everything that the step asks."""
        if self.chosen and self.title.inner_text() == "References":  # those beside another step are there when it is
            expect(self.form.get_by_role("button", name=re.compile(rf"^{self.chosen[0]}"))).not_to_have_count(0)
        for code in self.chosen:
            for button in self.form.get_by_role("button", name=re.compile(rf"^{code}")).all():
                button.press("Enter")
                expect(self.form.get_by_role("button", name=re.compile(rf"^{code}"), pressed=True)).to_be_visible()
        radios = self.form.get_by_role("radio")
        if radios.count() and not self.form.get_by_role("radio", checked=True).count():
            radios.first.press("Space")
        for box in self.form.get_by_role("checkbox").all():
            if not box.is_checked():
                box.press("Space")
        for field in self.form.locator("input:visible, select:visible, textarea:visible").all():
            if field.evaluate("(e) => ['checkbox', 'radio', 'hidden'].includes(e.type)"):
                continue
            label = field.evaluate(LABEL)
            text = given.get(max((k for k in given if label.startswith(k)), key=len, default=""))
            if text is None:
                continue
            if field.evaluate("(e) => e.tagName") == "SELECT":
                field.select_option(label=text)
            elif field.input_value() != text:
                field.focus()
                self.page.keyboard.press("Control+a")
                self.page.keyboard.type(text)

    def read(self, *rows: str | Mapping[str, str]) -> Walk:
        """Readings: number, Enter; where more is asked, by the labels."""
        for n, row in enumerate(rows, 1):
            expect(self.form.get_by_role("button", name=re.compile(rf"^Record reading {n}$"))).to_be_enabled()  # not that of the set before
            main = self.form.locator("input:visible").first
            if isinstance(row, str):
                expect(self.form.locator("input:focus")).to_have_count(1)
                self.page.keyboard.type(row)
            else:
                self.fill(row)
                main.focus()
            self.page.keyboard.press("Enter")
            expect(self.form.get_by_role("button", name=re.compile(rf"^Record reading {n}$"))).to_have_count(0)
        self.settled()
        return self

    def settled(self) -> None:
        """Nothing is on its way: the last number of a set ends it only when it is stored."""
        expect(self.page.get_by_text(re.compile("not stored yet$|^Saving"))).to_have_count(0)

    def decide(self, choice: str, reason: str = "") -> Walk:
        """A choice at the judge step, with a reason where it goes against the proposal."""
        self.to("Judge")
        before = self.title.inner_text()
        radio = self.form.get_by_role("radio", name=re.compile(rf"^{re.escape(choice)}"))
        radio.press("Space")
        if reason:
            self.form.get_by_label(re.compile("^Why (not as proposed|it is to be replaced)")).press("Control+a")
            self.page.keyboard.type(reason)
        self.page.keyboard.press("Control+Enter")
        self.arrive(before)
        return self

    def sign(self, password: str) -> None:
        """The password again, and the record."""
        self.to("Sign")
        self.page.get_by_label("Your password").focus()
        self.page.keyboard.type(password)
        self.page.keyboard.press("Enter")
        expect(self.page).to_have_url(re.compile("/records/"))
