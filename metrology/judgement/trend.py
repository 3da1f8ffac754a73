"""A value followed from calibration to calibration: the straight line through it, and when it meets a limit.

Source: JCGM 100:2008 H.3 (line with its uncertainty), prediction of one further result.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.drift import Line, fit_line
from metrology.judgement.student import coverage_factor

LEAST_POINTS = 3
HORIZON_DAYS = 1825.0
CONFIDENCE = 0.95


@dataclass(frozen=True)
class Meeting:
    """When a trend meets a limit, in days after the last point. earliest: by the edge of the prediction interval.

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
    return Meeting(limit, day, _earliest(line, start, limit, falls=falls), False, line.slope, len(values))


def _earliest(line: Line, start: float, limit: float, *, falls: bool) -> float | None:
    """The first day on which the edge of the prediction interval is at the limit."""
    t = coverage_factor(CONFIDENCE, line.dof)
    sign = -1.0 if falls else 1.0

    def over(day: float) -> float:
        return sign * (line.predict(start + day) + sign * t * line.s_next(start + day) - limit)

    if over(0.0) >= 0:
        return 0.0
    if over(HORIZON_DAYS) < 0:
        return None
    low, high = 0.0, HORIZON_DAYS
    while high - low > 0.5:
        middle = (low + high) / 2
        low, high = (low, middle) if over(middle) >= 0 else (middle, high)
    return math.floor(high)


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
