"""Measured errors and the statistics of a calibration run (IEC 61298-2:2008).

Errors are carried in percent of output span; the same error can be told on four bases.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault
from metrology.quantities.transfer import Transfer, ideal_output, input_for_output, require_output, require_span

UP, DOWN = "up", "down"


@dataclass(frozen=True)
class Point:
    """One reading set against its ideal. applied in engineering units, indicated and ideal in output units."""

    applied: float
    indicated: float
    ideal: float
    fraction: float  # of input span
    ideal_percent: float  # of output span
    error_percent: float  # of output span
    direction: str = UP
    cycle: int = 1


def measure_point(
    applied: float,
    indicated: float,
    *,
    lrv: float,
    urv: float,
    transfer: Transfer,
    output_lo: float,
    output_hi: float,
    direction: str = UP,
    cycle: int = 1,
) -> Point:
    """Set one reading against the ideal output: error = 100 (indicated - ideal) / output span.

    Source: IEC 61298-2:2008, 4.1.7.
    """
    if direction not in (UP, DOWN):
        raise Fault("unknown_direction", f"direction is {direction!r}; accepted are up and down.", field="direction")
    out_span = require_output(output_lo, output_hi)
    ideal = ideal_output(applied, transfer, lrv=lrv, urv=urv, output_lo=output_lo, output_hi=output_hi)
    return Point(
        applied=applied,
        indicated=indicated,
        ideal=ideal,
        direction=direction,
        cycle=cycle,
        fraction=(applied - lrv) / require_span(lrv, urv),
        ideal_percent=100.0 * (ideal - output_lo) / out_span,
        error_percent=100.0 * (indicated - ideal) / out_span,
    )


@dataclass(frozen=True)
class ErrorInBases:
    """One error on the four bases; None where the basis does not apply (reading of zero, no division)."""

    percent_span: float
    percent_reading: float | None
    unit: float
    divisions: float | None


def error_in_bases(
    point: Point, *, lrv: float, urv: float, transfer: Transfer, output_lo: float, output_hi: float, division: float = 0.0
) -> ErrorInBases:
    """The error in % of output span, % of reading, engineering units and scale divisions.

    The engineering error is what the output says, taken back through the transfer function, minus what was applied.
    """
    told = input_for_output(point.indicated, transfer, lrv=lrv, urv=urv, output_lo=output_lo, output_hi=output_hi)
    unit = told - point.applied
    return ErrorInBases(
        point.error_percent,
        100.0 * unit / abs(point.applied) if point.applied else None,
        unit,
        unit / division if division > 0 else None,
    )


@dataclass(frozen=True)
class Statistics:
    """Statistics of a set of points in percent of output span; None where the points do not allow one."""

    max_error: float  # the error of largest size, with its sign
    zero_error: float
    span_error: float
    hysteresis: float | None
    linearity_independent: float
    linearity_terminal: float
    linearity_zero_based: float
    repeatability: float | None
    mean_error: float


def statistics(points: Sequence[Point]) -> Statistics:
    """IEC 61298-2:2008 statistics of a calibration.

    zero_error: mean error at LRV; span_error: mean error at URV minus that at LRV, both carried to the ends of the range along the
    terminal line where the points stop short of them. Where the output falls as the input rises, LRV is at the top of the output.
    hysteresis: largest difference between upscale and downscale means at one point (4.1.7.6).
    linearity: largest distance of the average error curve from a straight line through its ends (terminal),
    from the line that makes that distance least (independent), from such a line held at the zero end
    (zero-based) (4.1.7.2 to 4.1.7.4). repeatability: largest spread of one point in one direction over the
    cycles (4.1.7.7). Raises a Fault for fewer than two different points.
    """
    levels = _levels(points)
    if len(levels) < 2:
        raise Fault("too_few_points", "readings hold fewer than two different points; at least two are needed.", field="readings")
    curve = [(y, _mean([p.error_percent for p in ps])) for y, ps in levels]
    if is_falling(points):
        curve = [(100.0 - y, e) for y, e in reversed(curve)]
    (y0, e0), (y1, e1) = curve[0], curve[-1]
    slope = (e1 - e0) / (y1 - y0)
    zero = e0 - slope * y0
    return Statistics(
        max_error=max((p.error_percent for p in points), key=abs),
        zero_error=zero,
        span_error=slope * 100.0,
        hysteresis=_hysteresis(levels),
        linearity_independent=_independent_linearity(curve),
        linearity_terminal=max(abs(e - (e0 + slope * (y - y0))) for y, e in curve),
        linearity_zero_based=_zero_based_linearity(curve),
        repeatability=_repeatability(levels),
        mean_error=_mean([p.error_percent for p in points]),
    )


def is_falling(points: Sequence[Point]) -> bool:
    """Whether the output falls as the input rises: reverse action."""
    lowest, highest = min(points, key=lambda p: p.fraction), max(points, key=lambda p: p.fraction)
    return lowest.ideal_percent > highest.ideal_percent


def _mean(values: Sequence[float]) -> float:
    return math.fsum(values) / len(values)


def _levels(points: Sequence[Point]) -> list[tuple[float, list[Point]]]:
    """Points grouped by ideal output (to 1 % of span, so that slightly different applied values belong together)."""
    groups: list[list[Point]] = []
    for p in sorted(points, key=lambda q: q.ideal_percent):
        if groups and p.ideal_percent - groups[-1][0].ideal_percent <= 1.0:
            groups[-1].append(p)
        else:
            groups.append([p])
    return [(_mean([p.ideal_percent for p in g]), g) for g in groups]


def _hysteresis(levels: list[tuple[float, list[Point]]]) -> float | None:
    gaps = []
    for _, ps in levels:
        up = [p.error_percent for p in ps if p.direction == UP]
        down = [p.error_percent for p in ps if p.direction == DOWN]
        if up and down:
            gaps.append(abs(_mean(down) - _mean(up)))
    return max(gaps) if gaps else None


def _repeatability(levels: list[tuple[float, list[Point]]]) -> float | None:
    spreads = []
    for _, ps in levels:
        for direction in (UP, DOWN):
            same = [p.error_percent for p in ps if p.direction == direction]
            if len(same) > 1 and len({p.cycle for p in ps if p.direction == direction}) > 1:
                spreads.append(max(same) - min(same))
    return max(spreads) if spreads else None


def _independent_linearity(curve: list[tuple[float, float]]) -> float:
    """Half the least vertical width of a strip that holds the curve.

    The least strip has one edge along a side of the convex hull, so trying every pair of points suffices.
    """
    best = math.inf
    for i, (xa, ya) in enumerate(curve):
        for xb, yb in curve[i + 1 :]:
            s = (yb - ya) / (xb - xa)
            r = [y - s * x for x, y in curve]
            best = min(best, 0.5 * (max(r) - min(r)))
    return best


def _zero_based_linearity(curve: list[tuple[float, float]]) -> float:
    """Least largest distance from a line through the lowest point, its slope free.

    No slope brings two points beyond it nearer than |y1 x2 - y2 x1| / (x1 + x2), and with one unknown the worst pair decides (Helly's theorem).
    """
    x0, y0 = curve[0]
    rest = [(x - x0, y - y0) for x, y in curve[1:]]
    return max((abs(y1 * x2 - y2 * x1) / (x1 + x2) for (x1, y1), (x2, y2) in itertools.combinations(rest, 2)), default=0.0)
