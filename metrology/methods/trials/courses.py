"""What is followed from calibration to calibration: which worn part it is of, its course, and the day it meets its limit, in words."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from metrology.judgement.trend import meeting_words, meets_limit
from metrology.methods.setup import Past, RunSetup
from metrology.methods.slots import RawReading


def on_day(readings: Sequence[RawReading]) -> date:
    """The day a set was read on."""
    return max((r.on for r in readings if r.on is not None), default=date(2000, 1, 1))


def life_of(setup: RunSetup) -> str:
    """Which worn part is fitted, by its serial."""
    return str(dict(setup.entered).get("new_serial") or getattr(setup.instrument.details, "sensor_serial", "") or "first")


def of_this_life(setup: RunSetup, name: str) -> tuple[Past, ...]:
    """The last result of each earlier calibration of the part that is fitted."""
    by_day = {p.on: p for p in setup.past(name, life=life_of(setup))}
    return tuple(by_day[on] for on in sorted(by_day))


def trend_words(
    past: Sequence[Past], now: float, on: date, low: float | None, high: float | None, unit: str, part: str = "electrode"
) -> str:
    """When a value meets its limit, with what that rests on."""
    days = [float((date.fromisoformat(p.on) - on).days) for p in past]
    met = meets_limit([*days, 0.0], [*(p.value for p in past), now], low=low, high=high)
    if met.has_met:
        return f"It is past {met.limit:g} {unit} now."
    if not met.points:
        return f"Calibration {len(past) + 1} of this {part}; three are needed to tell a trend."
    return meeting_words(met, on, unit, of="calibrations")
