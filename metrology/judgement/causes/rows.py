"""Readings set against the shapes that faults have, in the domain where each fault lives.

A fault of the sensor side is a shape over the input; seen at the output it is multiplied by the slope of the transfer function. The slope is
taken between what was applied and what the reading means, so that a square root is exact also where it is steep.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from metrology.judgement.errors import DOWN, Point
from metrology.quantities.transfer import Transfer, input_fraction, output_fraction

INPUT, OUTPUT = "input", "output"
SKEW_TOP = 10.392  # makes x (1 - x) (1 - 2 x) one at its top
NEARLY = 1e-6
STEEP = 20.0


@dataclass(frozen=True)
class Curve:
    """What is to be explained: points, tolerance in % of span, the range, errors of the digital value and times where they were read.

    pv_errors: % of output span, one a point. times_s: when each was read, rising; without them the readings count as evenly spaced.
    has_movement: False for what can have neither hysteresis nor friction, such as a display.
    """

    points: tuple[Point, ...]
    tolerance: float
    transfer: Transfer
    lrv: float
    urv: float
    unit: str
    pv_errors: tuple[float, ...] | None = None
    times_s: tuple[float, ...] | None = None
    has_movement: bool = True

    @property
    def worst(self) -> float:
        """Largest error in size, % of span."""
        return max(abs(p.error_percent) for p in self.points)

    @property
    def is_both_ways(self) -> bool:
        """Whether points were read coming up and coming down."""
        return len({p.direction for p in self.points}) > 1

    @property
    def gap(self) -> float:
        """Largest difference in size between down and up at one level of one cycle, % of span; 0 where none was read both ways."""
        ups = {(p.cycle, round(p.ideal_percent)): p.error_percent for p in self.points if p.direction != DOWN}
        downs = {(p.cycle, round(p.ideal_percent)): p.error_percent for p in self.points if p.direction == DOWN}
        return max((abs(downs[k] - ups[k]) for k in ups.keys() & downs.keys()), default=0.0)

    @property
    def at(self) -> tuple[float, ...]:
        """When each reading was taken, 0 at the first to 1 at the last."""
        n = len(self.points)
        times = self.times_s or tuple(float(k) for k in range(n))
        width = times[-1] - times[0]
        return tuple((t - times[0]) / width if width > 0 else 0.0 for t in times)


@dataclass(frozen=True)
class Row:
    """One reading: which it is, error and reading in % of output span, and the size of each shape at it, for one unit of that shape."""

    k: int  # of the curve's points
    error: float
    shapes: tuple[float, ...]
    level: float  # ideal output, %
    read: float  # output, %


def shapes(u: float, slope: float, way: float, t: float) -> tuple[float, ...]:
    """Zero, span, bow, skew, hysteresis (gap at mid range), friction (gap everywhere), change with time."""
    bow = 4 * u * (1 - u)
    half = 0.5 * way * slope
    return (slope, slope * u, slope * bow, slope * SKEW_TOP * u * (1 - u) * (1 - 2 * u), half * bow, half, slope * t)


@dataclass(frozen=True)
class Law:
    """What the output follows: ideal output fraction of the input fraction, and back."""

    follow: Callable[[float], float]
    back: Callable[[float], float]
    is_straight: float = 0.0  # its slope where it has one everywhere


RISING, FALLING = Law(lambda x: x, lambda y: y, 1.0), Law(lambda x: 1 - x, lambda y: 1 - y, -1.0)


def law_of(transfer: Transfer) -> Law:
    """Of a transfer function."""
    if transfer.kind in ("linear", "reverse"):
        return RISING if transfer.kind == "linear" else FALLING
    return Law(lambda x: output_fraction(transfer, x), lambda y: input_fraction(transfer, y))


def rows_of(curve: Curve, domain: str, law: Law | None = None) -> list[Row]:
    """The readings with the shapes of one domain, against the law that is meant or another.

    Where a law is steep and a reading lies at its foot, such as a square root that reads nothing at nothing, it tells nothing of the sensor
    and is left out.
    """
    follows = law or law_of(curve.transfer)
    made = []
    for k, (p, t) in enumerate(zip(curve.points, curve.at, strict=True)):
        way = 1.0 if p.direction == DOWN else -1.0
        read = p.ideal_percent + p.error_percent
        ideal = 100.0 * follows.follow(p.fraction) if law else p.ideal_percent
        u, slope = ideal / 100.0, 1.0
        if domain == INPUT:
            u = p.fraction
            found = follows.is_straight or _slope(follows, u, ideal / 100.0, read / 100.0, curve.tolerance / 100.0)
            if not found:
                continue
            slope = found
        made.append(Row(k, read - ideal, shapes(u, slope, way, t), ideal, read))
    return made


def _slope(law: Law, x: float, ideal: float, read: float, tolerance: float) -> float:
    """Of a law between an input and what was read, as it was between them; 0 where the reading tells nothing."""
    step = 1e-4
    own = (law.follow(x + step) - law.follow(max(0.0, x - step))) / (step + min(x, step))
    if abs(own) > STEEP and abs(read - ideal) < max(0.5 * tolerance, 0.001):
        return 0.0
    if abs(own) > STEEP and (read - ideal) * own < 0:
        return 0.0  # below its foot, where there is no more to fall
    meant = law.back(read)
    if abs(meant - x) <= NEARLY:
        return own
    return (read - ideal) / (meant - x)
