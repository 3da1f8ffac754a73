"""Readings typed as fast as a hand can, over a network that answers late: what is stored is what was typed."""

import random

from playwright.sync_api import Page, expect

from apps.plant.models import Instrument
from apps.runs.models import Run
from apps.runs.store import load_state
from e2e.base import BrowserTestCase, RunSteps

KEYS_A_SECOND = 12
_LATE = """([low, high, seed]) => {
  const now = window.fetch;
  let state = seed;
  const chance = () => (state = (state * 16807) % 2147483647) / 2147483647;
  window.fetch = async (what, how) => {
    const url = typeof what === "string" ? what : what.url;
    if (url.includes("/events/")) await new Promise((go) => setTimeout(go, 1000 * (low + (high - low) * chance())));
    return now(what, how);
  };
}"""


def slow_answers(page: Page, *, seconds: tuple[float, float], seed: int) -> None:
    """From now on, every sending of events takes that long before it leaves."""
    page.evaluate(_LATE, [*seconds, seed])


def read_at_speed(case, *, percent: list[float], cycles: int, seed: int) -> None:
    """Type every reading of an as-found set without looking up, with 0 to 3 s of lag; all of them must be stored as they were typed."""
    page, chance = case.page, random.Random(seed)
    slow_answers(page, seconds=(0.0, 3.0), seed=seed + 1)
    ways = [*percent, *reversed(percent)] * cycles
    typed = [f"{4 + 0.16 * p + 0.03 * chance.random():.4f}" for p in ways]  # each near its point, or it would be asked about
    page.get_by_label("Reading, mA").focus()
    for text in typed:
        page.keyboard.type(text, delay=1000 / KEYS_A_SECOND)
        page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Judge as found", exact=True)).to_be_visible(timeout=120_000)
    _, _, state = load_state(Run.objects.order_by("number").last().id)
    case.assertEqual([r.indicated for r in sorted(state.readings, key=lambda r: r.slot)], typed)


class ThousandReadings(BrowserTestCase):
    """Eight runs of 126 readings each; not among the tests by its name, since a hand needs ten minutes for it. `make bench` runs it."""

    def test_a_thousand_readings(self):
        self.sign_in(self.page)
        first = Instrument.objects.get(tag="PT-2110")
        for n in range(8):
            first.pk, first.tag, first.serial = None, f"PT-22{n:02d}", f"MB-22{n:02d}"
            first.tag_key, first.points_percent, first.cycles = first.tag.casefold(), list(range(0, 101, 5)), 3
            first.save()
            steps = RunSteps(self.page)
            self.page.goto("/")
            steps.start(first.tag)
            steps.prepare(first.serial, first.tag)
            steps.make_safe()
            read_at_speed(self, percent=first.points_percent, cycles=3, seed=10 + n)
        print("\ntyped at 12 keys a second with 0 to 3 s of lag: 1008 readings, all stored as typed", flush=True)
