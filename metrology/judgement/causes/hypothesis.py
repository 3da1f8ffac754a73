"""One thing that may be wrong, how often such things are met, and how large they are."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from metrology.judgement.causes.evidence import TWO_PI, AtNoise, Design, Odd, log_size
from metrology.judgement.causes.rows import INPUT, Curve, Row

# How large each shape is on a healthy instrument, in tolerances (one standard deviation): zero, span, bow, skew, hysteresis, friction, time.
SMALL = (0.2, 0.2, 0.12, 0.06, 0.12, 0.05, 0.08)
NOISE = (0.015, 0.035, 0.08, 0.17)  # of a reading, in tolerances
SCATTER = (0.3, 0.6, 1.2, 2.5)
FLOOR = 0.6  # in tolerances: what is smaller is no fault
FAILED = 4.0  # what a set outside its tolerance takes from the log chance of nothing being wrong
MOST_READINGS = 3  # that are tried as the one that is off
LEAN = (0.84375, 0.32479)  # bow and skew of 6.75 x (1 - x)^2, whose top is one at a third
# Faults as sums of the shapes: zero, span, bow, skew, hysteresis, friction, time.
FAULTS: tuple[tuple[str, tuple[float, ...]], ...] = (
    ("zero-shift", (1, 0, 0, 0, 0, 0, 0)),
    ("span-error", (0, 1, 0, 0, 0, 0, 0)),
    ("linearity", (0, 0, 1, 0, 0, 0, 0)),
    ("hysteresis", (0, 0, 0, 0, 1, 0, 0)),
    ("friction", (0, 0, 0, 0, 0, 1, 0)),
    ("time-drift", (0, 0, 0, 0, 0, 0, 1)),
    ("linearity", (0, 0, LEAN[0], LEAN[1], 0, 0, 0)),
    ("linearity", (0, 0, LEAN[0], -LEAN[1], 0, 0, 0)),
    ("linearity", (0, 0, 0, 1, 0, 0, 0)),
    ("span-error", (-1, 1, 0, 0, 0, 0, 0)),
    ("hysteresis", (0, 0, 0.5, 0, 1, 0, 0)),  # one way is right, and the other lies apart
    ("hysteresis", (0, 0, -0.5, 0, 1, 0, 0)),
    ("friction", (0.5, 0, 0, 0, 0, 1, 0)),
    ("friction", (-0.5, 0, 0, 0, 0, 1, 0)),
)
ZERO, SPAN, BOW, HYSTERESIS, FRICTION, TIME, BOW_LOW, BOW_HIGH, S_SHAPE, FROM_TOP = range(10)
HYSTERESIS_DOWN, HYSTERESIS_UP, FRICTION_DOWN, FRICTION_UP = range(10, len(FAULTS))
MOVING = (HYSTERESIS, FRICTION, HYSTERESIS_DOWN, HYSTERESIS_UP, FRICTION_DOWN, FRICTION_UP)  # of what has moving parts only
NAMES = tuple(code for code, _ in FAULTS)
MIXED = tuple(row for _, row in FAULTS)
# How often each is met before anything is read.
PRIOR = {
    "none": 0.20, "zero-shift": 0.12, "span-error": 0.12, "linearity": 0.09, "hysteresis": 0.09, "friction": 0.05, "time-drift": 0.08,
    "range-mismatch": 0.06, "unit-mismatch": 0.03, "transfer-mismatch": 0.05, "saturation": 0.07, "reversed": 0.03, "outlier": 0.08, "scatter": 0.07,
}  # fmt: skip
LOG_PRIOR = {code: math.log(p) for code, p in PRIOR.items()}
TWO = 0.10  # two at once: all pairs together, and a shift or a gain beside what is no shape


@dataclass(frozen=True)
class Hypothesis:
    """What may be wrong: codes, log of its evidence times how often it is met; sizes in % of span, and what it is about, for the words."""

    codes: tuple[str, ...]
    log: float
    sizes: tuple[float, ...] = ()
    domain: str = INPUT
    about: str = ""
    gain: float = 0.0  # of the log likelihood over no fault


def log_fault(size: float, tolerance: float) -> float:
    """Log density of the size of a fault, both in % of span: about two tolerances."""
    return log_size(size / tolerance, about=2.0, spread=0.9) - math.log(tolerance)


def log_slip(size: float, tolerance: float) -> float:
    """Of a slip, or of what an output falls short: of any size."""
    return log_size(size / tolerance, about=4.0, spread=1.6) - math.log(tolerance)


def design_of(rows: Sequence[Row], tolerance: float) -> Design:
    """Rows as a design, healthy shapes known to be small."""
    return Design([r.error for r in rows], [r.shapes for r in rows], [s * tolerance for s in SMALL])


def noises(curve: Curve) -> list[float]:
    """The noises tried, % of span."""
    return [n * curve.tolerance for n in NOISE]


def lost(left_out: int, noise: float) -> float:
    """What one domain leaves out is missing in its likelihood; it is given as noise there, so that all speak of the same readings."""
    return left_out * (math.log(noise) + 0.5 * math.log(TWO_PI))


def log_healthy(prior: float, *, is_failed: bool) -> float:
    """Log chance beforehand of nothing being wrong; less where a reading is outside its tolerance."""
    return math.log(prior) - (FAILED if is_failed else 0.0)


def log_odd(odd: Odd, tolerance: float) -> float:
    """What one reading off adds to the log evidence."""
    return odd.gain + odd.width + log_slip(odd.size, tolerance)


def shifted(at: AtNoise, code: str, tolerance: float, about: str) -> Iterator[Hypothesis]:
    """What is no shape, alone, or with a shift or a gain beside it: what that adds to the log evidence, and its zero and span as sizes."""
    yield Hypothesis((code,), 0.0, (0.0, 0.0), about=about)
    for j in (ZERO, SPAN):
        size, gain, width = at.one(j)
        if abs(size) >= FLOOR * tolerance:
            log = gain + width + log_fault(size, tolerance) + math.log(TWO)
            yield Hypothesis((code, NAMES[j]), log, (size, 0.0) if j == ZERO else (0.0, size), about=about)
