"""A range or a unit other than the one that is meant: a gain and a shift that are no accident.

A transmitter set to another range reads on a straight line whose ends, taken back to the input, are ends that somebody would choose.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import lru_cache

from metrology.judgement.causes.evidence import AtNoise
from metrology.judgement.causes.hypothesis import FLOOR, LOG_PRIOR, SPAN, ZERO, Hypothesis
from metrology.judgement.causes.rows import Curve
from metrology.quantities.units import UNITS, convert, quantity_of

LEAST_RANGE = 2.0  # % of span: nobody sets a range nearer to the one that is meant
ROUND, SAME_LOW = 0.75, 0.6  # how often another range has round ends, and the same lower end
LARGEST_RANGE = 1e4  # beyond it nothing can be read any more
PLACES, LOW_PLACES = 30, 10  # round ends that come into question
COMMON = ("bar", "kg/cm2", "atm")  # where the unit is not told
IN_QUESTION = 12.0  # what a unit may lose in log likelihood before it is not worth telling


def another_range(curve: Curve, at: AtNoise, each: float) -> Iterator[Hypothesis]:
    """Zero and span off together as by another range; likelier where its ends are round."""
    zero, more, gain, width = at.two(ZERO, SPAN)
    size = max(abs(zero), abs(zero + more))
    slope = 1.0 + more / 100
    if not (slope > 0.05 and LEAST_RANGE <= size < LARGEST_RANGE):
        return
    prior = each + LOG_PRIOR["range-mismatch"]
    span = curve.urv - curve.lrv
    low, high = curve.lrv - span * zero / 100 / slope, curve.lrv + span * (1.0 - zero / 100) / slope
    a, b = _round_ends(curve, low, high)
    if a != b and (a, b) != (curve.lrv, curve.urv):
        away = at.away(ZERO, SPAN, (100 * (curve.lrv - a) / (b - a) - zero, 100 * (span / (b - a) - 1) - more))
        share = (SAME_LOW if a == curve.lrv else (1 - SAME_LOW) / LOW_PLACES) / PLACES
        log = prior + gain - away + math.log(ROUND * share)
        yield Hypothesis(("range-mismatch",), log, (zero, more), about=f"{a:.6g} to {b:.6g}", gain=gain - away)
    even = -math.log(2 * size * math.log(100 / LEAST_RANGE))  # sizes even in their logarithm, from the least to the whole span
    about, odd = f"{low:.4g} to {high:.4g}", math.log(1 - ROUND)
    both = prior + gain + width + 2 * even + odd + math.log(1 - SAME_LOW)
    yield Hypothesis(("range-mismatch",), both, (zero, more), about=about, gain=gain)
    only, alone, narrow = at.one(SPAN)
    yield Hypothesis(("range-mismatch",), prior + alone + narrow + even + odd + math.log(SAME_LOW), (0.0, only), about=about, gain=alone)


def _round_ends(curve: Curve, low: float, high: float) -> tuple[float, float]:
    """The round ends nearest to these: by 1, 2 or 5 times a power of ten, about a twentieth of the span; an end of the range stays itself."""
    least = abs(curve.urv - curve.lrv) / 20.0
    power = 10.0 ** math.floor(math.log10(least))
    step = next(m * power for m in (1.0, 2.0, 5.0, 10.0) if m * power >= least * 0.999)
    a, b = (own if abs(own - v) < step / 2 else round(v / step) * step for own, v in ((curve.lrv, low), (curve.urv, high)))
    return a, b


def another_unit(curve: Curve, at: AtNoise, each: float) -> Iterator[Hypothesis]:
    """A gain that is the ratio of two units of the quantity, its zero that of the unit too."""
    zero, more, gain, _ = at.two(ZERO, SPAN)
    span, floor = curve.urv - curve.lrv, FLOOR * curve.tolerance
    factors = _factors(curve.unit)
    for words, factor, offset in factors:
        to_span, to_zero = 100 * (factor - 1.0), 100 * (curve.lrv * (factor - 1.0) + offset) / span
        if max(abs(to_zero), abs(to_zero + to_span)) < floor:
            continue
        away = at.away(ZERO, SPAN, (to_zero - zero, to_span - more))
        if away < IN_QUESTION:
            log = each + LOG_PRIOR["unit-mismatch"] - math.log(len(factors)) + gain - away
            yield Hypothesis(("unit-mismatch",), log, (to_zero, to_span), about=words, gain=gain - away)


@lru_cache(maxsize=64)
def _factors(unit: str) -> list[tuple[str, float, float]]:
    """(words, factor, offset): what a value in `unit` becomes where it is taken for one of another unit; of no unit, the common pressures."""
    quantity = quantity_of(unit) if unit else None
    units = UNITS.get(quantity or "", ()) if unit else COMMON
    made = []
    for own in [unit] if unit else units:
        for other in units:
            at_zero = convert(0.0, own, to_unit=other)
            factor = convert(1.0, own, to_unit=other) - at_zero
            if 0.5 <= factor <= 2.0 and abs(factor - 1) > 1e-9:  # what lies further off leaves the output
                made.append((f"{other} instead of {own}", factor, at_zero))
    return made
