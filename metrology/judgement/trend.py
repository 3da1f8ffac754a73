"""A value followed from calibration to calibration: the straight line through it, and when it meets a limit.

When it does at the earliest is asked of every course it may take (`ageing`): few results on a line do not tell that they will stay on it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from metrology.judgement.ageing import STEADY_OR_FASTER, courses_through, earliest_down
from metrology.judgement.drift import fit_line
from metrology.quantities.words import day_words

LEAST_POINTS = 3
HORIZON_DAYS = 1825
CONFIDENCE = 0.95


@dataclass(frozen=True)
class Meeting:
    """When a trend meets a limit, in days after the last point. earliest: when one more result may be there, on any course that is conceivable.

    None: not within five years. has_met: the last value is past it already. points: how many it rests on; 0 where too few to say.
    """

    limit: float
    day: float | None
    earliest: float | None
    has_met: bool
    per_day: float
    points: int


def meets_limit(days: Sequence[float], values: Sequence[float], *, low: float | None, high: float | None) -> Meeting:
    """The first limit that the line through the values comes to; days rise, values in any one unit.

    Fewer than three points, or points of one day, say nothing: points is then 0 and no day is given.
    """
    last = values[-1]
    for limit, past in ((low, low is not None and last < low), (high, high is not None and last > high)):
        if past and limit is not None:
            return Meeting(limit, 0.0, 0.0, True, 0.0, len(values))
    if len(values) < LEAST_POINTS or len(set(days)) < 2:
        return Meeting(low if low is not None else high or 0.0, None, None, False, 0.0, 0)
    line = fit_line(days, values)
    falls = line.slope < 0
    limit = low if falls else high
    if limit is None or line.slope == 0:
        return Meeting(limit if limit is not None else 0.0, None, None, False, line.slope, len(values))
    start = days[-1]
    at = (limit - line.intercept) / line.slope - start
    day = at if 0 <= at <= HORIZON_DAYS else 0.0 if at < 0 else None
    room = high - low if low is not None and high is not None else abs(limit - values[0])
    earliest = _earliest(days, values, limit, room=room, falls=falls) if room > 0 else 0.0
    return Meeting(limit, day, earliest, False, line.slope, len(values))


def meeting_words(met: Meeting, last: date, unit: str, *, of: str) -> str:
    """When a value that has not met its limit will, as a sentence. last: the day of the last one; of: what they are, many of them."""
    early = "" if met.earliest is None else f", at the earliest on {day_words(last + timedelta(days=int(met.earliest)))}"
    if met.day is None:
        return f"By the line through {met.points} {of} it meets no limit within five years{early and f'; {met.limit:g} {unit}{early}'}."
    return f"By {met.points} {of} it meets {met.limit:g} {unit} about {day_words(last + timedelta(days=int(met.day)))}{early}."


def _earliest(days: Sequence[float], values: Sequence[float], limit: float, *, room: float, falls: bool) -> float | None:
    """Days after the last one. What is left until the limit is counted in % of the room there is, from 100 at the limit on."""
    sign = 1.0 if falls else -1.0
    left = [100.0 + 100.0 * sign * (v - limit) / room for v in values]
    found = earliest_down(courses_through(days, left, STEADY_OR_FASTER), 100.0, confidence=CONFIDENCE, within=HORIZON_DAYS)
    return None if found is None else found - days[-1]


@dataclass(frozen=True)
class Step:
    """Where a followed value changed its level at once, rather than little by little. at: index of the first value after it."""

    at: int
    size: float
    within: float  # the scatter inside the two levels


def find_step(values: Sequence[float], *, least: float) -> Step | None:
    """The place where the values part into two levels, when that explains them better than a slope does.

    least: the smallest change that counts, in the unit of the values. At least two values stand on each side.
    """
    n = len(values)
    if n < 5:
        return None
    best: Step | None = None
    for k in range(2, n - 1):
        before, after = values[:k], values[k:]
        a, b = math.fsum(before) / k, math.fsum(after) / (n - k)
        rest = math.fsum((v - a) ** 2 for v in before) + math.fsum((v - b) ** 2 for v in after)
        within = math.sqrt(rest / (n - 2))
        if best is None or within < best.within:
            best = Step(k, b - a, within)
    slope = fit_line([float(i) for i in range(n)], values)
    if best is None or abs(best.size) < max(least, 3 * best.within) or best.within >= slope.s_residual:
        return None
    return best
