"""How a sensor ages: its sensitivity against the first of its life, and when it will have to be replaced."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault
from metrology.judgement.drift import Line, fit_line
from metrology.judgement.student import coverage_factor

LINEAR, EXPONENTIAL = "straight line", "exponential"
LEAST_RESULTS = 3
APART = 3.0  # times: residuals of two shapes that differ by less do not tell which it is
HORIZON_DAYS = 3650


@dataclass(frozen=True)
class SignalPoint:
    """Sensitivity (signal over applied) at a calibration, `day` counted from any one day."""

    day: float
    sensitivity: float


@dataclass(frozen=True)
class Forecast:
    """A sensor's life as of its last calibration. Relative values in % of the first sensitivity of this life.

    model: the better of two fits; criterion: why. ends_day: when the fit reaches the end of life, earliest_day when the
    lower edge of the prediction interval does (None: not within ten years). band: (day, low, fit, high) for plotting.
    """

    relative_percent: float
    remaining_percent: float
    model: str
    criterion: str
    ends_day: float | None
    earliest_day: float | None
    band: tuple[tuple[float, float, float, float], ...]
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
    """Fit a straight line and an exponential, and say when the life ends.

    Criterion: the smaller standard deviation of the residuals in % of the first sensitivity (both fits have two parameters), where one is
    three times the other; until then the shape is open, and the earlier end counts, of the fit and of what is certain. At least three results
    of one life; no date when the sensitivity is not falling.
    """
    if not points:
        raise Fault("too_few_points", "There is no signal on record of this sensor yet.", field="points")
    ordered = sorted(points, key=lambda p: p.day)
    rel = relative_percent(ordered, first)
    left = remaining_life(rel[-1], end_percent=end_percent)
    if len(ordered) < LEAST_RESULTS or len({p.day for p in ordered}) < 2 or min(rel) <= 0:
        says = f"As of the last calibration {rel[-1]:.0f} % of the first sensitivity. A forecast needs {LEAST_RESULTS} results; there are {len(ordered)}."
        return Forecast(rel[-1], left, "", "", None, None, (), says)
    days = [p.day for p in ordered]
    straight, bent = fit_line(days, rel), fit_line(days, [math.log(r) for r in rel])
    s_straight = straight.s_residual
    s_bent = math.sqrt(math.fsum((r - math.exp(bent.predict(d))) ** 2 for d, r in zip(days, rel, strict=True)) / bent.dof)
    k, last = coverage_factor(confidence, straight.dof), days[-1]
    lines = {LINEAR: straight, EXPONENTIAL: bent}
    ends_by = {m: _reaches(line, m, end_percent, last, 0.0) for m, line in lines.items()}
    small, large = sorted((s_straight, s_bent))
    are_apart = large > small * APART + 1e-9
    better = EXPONENTIAL if s_bent < s_straight else LINEAR
    sooner = min(lines, key=lambda m: math.inf if ends_by[m] is None else float(ends_by[m] or 0.0))
    model = better if are_apart else sooner
    kept = "the smaller is kept" if are_apart else "they can't be told apart, the earlier end counts"
    criterion = f"residuals: straight line {s_straight:.2g} %, exponential {s_bent:.2g} %; {kept}"
    line, ends = lines[model], ends_by[model]
    shapes = [model] if are_apart else list(lines)
    first_days = [_reaches(lines[m], m, end_percent, last, k) for m in shapes]
    earliest = min((d for d in first_days if d is not None), default=None)
    until = min(last + HORIZON_DAYS, (ends or last + 365) + 30)
    steps = [days[0] + (until - days[0]) * n / 40 for n in range(41)]
    band = tuple((d, _at(line, model, d, -k), _at(line, model, d, 0.0), _at(line, model, d, k)) for d in steps)
    return Forecast(rel[-1], left, model, criterion, ends, earliest, band, _words(rel[-1], end_percent, ends, earliest, last))


def _at(line: Line, model: str, day: float, k: float) -> float:
    """The fit at a day, k standard deviations of one further result away from it, in %."""
    value = line.predict(day) + k * line.s_next(day)
    return math.exp(value) if model == EXPONENTIAL else value


def _reaches(line: Line, model: str, end_percent: float, last: float, k: float) -> float | None:
    """The first day from the last calibration on when the fit, less k standard deviations, is at the end of life."""
    if line.slope >= 0 and k == 0:
        return None
    for day in range(HORIZON_DAYS + 1):
        if _at(line, model, last + day, -k) <= end_percent:
            return last + day
    return None


def _words(now: float, end: float, ends: float | None, earliest: float | None, last: float) -> str:
    told = f"As of the last calibration {now:.0f} % of the first sensitivity."
    if now <= end:
        return f"{told} It is past its end of life ({end:g} %): replace it."
    if ends is None:
        return f"{told} It is not falling towards its end of life ({end:g} %) within ten years."
    when = f"in about {ends - last:.0f} days from then"
    sure = f"; with 95 % certainty not before {earliest - last:.0f} days" if earliest is not None and earliest < ends else ""
    return f"{told} It reaches {end:g} % {when}{sure}."
