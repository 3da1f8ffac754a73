"""How a sensor ages: its sensitivity against the first of its life, and when it will have to be replaced."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault
from metrology.judgement.ageing import (
    EXPONENTIAL,
    LEVELLING_OFF,
    SPEEDING_UP,
    STRAIGHT,
    Course,
    Shape,
    bands_on,
    courses_through,
    earliest_down,
    share_of,
)
from metrology.quantities.words import chance

KINDS = (STRAIGHT, EXPONENTIAL, SPEEDING_UP, LEVELLING_OFF)
LEAST_RESULTS = 3
TOLD_APART = 0.8  # a course is told from the others where its share is no less
HORIZON_DAYS = 3650
BAND_STEPS = 24


@dataclass(frozen=True)
class SignalPoint:
    """Sensitivity (signal over applied) at a calibration, `day` counted from any one day."""

    day: float
    sensitivity: float


@dataclass(frozen=True)
class Forecast:
    """A sensor's life as of its last calibration. Relative values in % of the first sensitivity of this life.

    model: the course that counts; criterion: why. ends_day: when it reaches the end of life, earliest_day when one more result may lie there on
    any course that is conceivable (None: not within ten years). band: (day, low, fit, high) for plotting; at_end: (low, high) of one more
    result on ends_day, or on the last day where it does not end.
    """

    relative_percent: float
    remaining_percent: float
    model: str
    criterion: str
    ends_day: float | None
    earliest_day: float | None
    band: tuple[tuple[float, float, float, float], ...]
    at_end: tuple[float, float] | None
    says: str


def relative_percent(points: Sequence[SignalPoint], first: float = 0.0) -> list[float]:
    """Sensitivities in % of the first, or of a known first one."""
    base = first or points[0].sensitivity
    if base <= 0:
        raise Fault("no_signal", "The first sensitivity of this sensor is not above zero; nothing can be compared with it.", field="signal")
    return [100.0 * p.sensitivity / base for p in points]


def remaining_life(relative: float, *, end_percent: float) -> float:
    """What is left of a life, in %: 100 when the sensor is as new, 0 at the end."""
    return max(0.0, min(100.0, 100.0 * (relative - end_percent) / (100.0 - end_percent)))


def forecast(points: Sequence[SignalPoint], *, end_percent: float, first: float = 0.0, confidence: float = 0.95) -> Forecast:
    """Say when the life ends, and before which day it hardly does.

    Courses are weighed (`ageing`). One is told from the others where its share is at least 80 %; until then the earlier end counts, of the straight line,
    the exponential, and whichever is likeliest. "Not before" is the earliest day on which one more result may lie at the end, on any course that explains
    the results at least a twentieth as well as the best. At least three results of one life; no date when the sensitivity is not falling.
    """
    if not points:
        raise Fault("too_few_points", "There is no signal on record of this sensor yet.", field="points")
    ordered = sorted(points, key=lambda p: p.day)
    rel, days = relative_percent(ordered, first), [p.day for p in ordered]
    now, last = rel[-1], days[-1]
    left = remaining_life(now, end_percent=end_percent)
    if len(ordered) < LEAST_RESULTS or len(set(days)) < 2:
        at = last if now <= end_percent else None
        says = f"{_now_words(now)} A forecast needs {LEAST_RESULTS} results on at least two days; there are {len(ordered)} on {len(set(days))}."
        return Forecast(now, left, "", "", at, at, (), None, says if at is None else _words(now, end_percent, at, at, last))
    courses = courses_through(days, rel)
    ends_by = {c.shape: c.low_day(end_percent, scatter=0.0, within=HORIZON_DAYS) for c in courses}
    told, why = _told(courses, ends_by)
    ends, earliest = ends_by[told.shape], earliest_down(courses, end_percent, confidence=confidence, within=HORIZON_DAYS)
    if now <= end_percent:
        ends = earliest = last
    elif ends is not None:
        earliest = min(_or_never(earliest), ends)
    until = min(last + HORIZON_DAYS, (ends or last + 365) + 30)
    steps = [days[0] + (until - days[0]) * n / BAND_STEPS for n in range(BAND_STEPS + 1)]
    *bands, at_end = bands_on(courses, [*steps, last if ends is None else ends], confidence=confidence)
    band = tuple((d, low, told.at(d), high) for d, (low, high) in zip(steps, bands, strict=True))
    return Forecast(now, left, told.shape.kind, why, ends, earliest, band, at_end, _words(now, end_percent, ends, earliest, last))


def _told(courses: Sequence[Course], ends_by: dict[Shape, float | None]) -> tuple[Course, str]:
    """The course that counts, and why, as a sentence."""
    shares = {kind: share_of(courses, kind) for kind in KINDS}
    likeliest = max(shares, key=lambda k: shares[k])
    of_kind = {kind: next(c for c in courses if c.shape.kind == kind) for kind in KINDS}
    listed = ", ".join(f"{kind} {chance(share, 0)}" for kind, share in sorted(shares.items(), key=lambda s: -s[1]) if share >= 0.005)
    if shares[likeliest] >= TOLD_APART:
        return of_kind[likeliest], f"{listed}: the likeliest is kept"
    sooner = min({STRAIGHT, EXPONENTIAL, likeliest}, key=lambda k: (_or_never(ends_by[of_kind[k].shape]), KINDS.index(k)))
    return of_kind[sooner], f"{listed}: they can't be told apart, the earlier end counts"


def _or_never(day: float | None) -> float:
    return math.inf if day is None else day


def _now_words(now: float) -> str:
    return f"As of the last calibration {now:.0f} % of the first sensitivity."


def _words(now: float, end: float, ends: float | None, earliest: float | None, last: float) -> str:
    told = _now_words(now)
    if now <= end:
        return f"{told} It is past its end of life ({end:g} %): replace it."
    if ends is None and earliest is None:
        return f"{told} It is not falling towards its end of life ({end:g} %) within ten years."
    sure = f"with 95 % certainty not before {earliest - last:.0f} days" if earliest is not None else ""
    if ends is None:
        return f"{told} It is not seen to fall towards its end of life ({end:g} %); {sure}."
    when = f"in about {ends - last:.0f} days from then"
    return f"{told} It reaches {end:g} % {when}{f'; {sure}' if sure and earliest != ends else ''}."
