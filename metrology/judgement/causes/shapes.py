"""What is a shape over the range: one, two at once, one reading beside them, scatter, or nothing."""

from __future__ import annotations

import math
from collections.abc import Iterator

from metrology.judgement.causes.evidence import IMPOSSIBLE, AtNoise, Odd
from metrology.judgement.causes.hypothesis import (
    BOW,
    BOW_HIGH,
    BOW_LOW,
    FLOOR,
    FRICTION,
    FROM_TOP,
    HYSTERESIS,
    HYSTERESIS_DOWN,
    HYSTERESIS_UP,
    LOG_PRIOR,
    MIXED,
    MOST_READINGS,
    MOVING,
    NAMES,
    PRIOR,
    SCATTER,
    SPAN,
    TIME,
    TWO,
    ZERO,
    Hypothesis,
    design_of,
    log_fault,
    log_healthy,
    log_odd,
    log_slip,
    lost,
    noises,
)
from metrology.judgement.causes.ranges import another_range, another_unit
from metrology.judgement.causes.rows import INPUT, Curve, Row, rows_of

STEEP_INPUT = 0.5  # at the foot of a square root a shift of its input is larger at its output
OUT_OF_REACH = 14.0  # of a log likelihood
PAIRS = (
    (ZERO, SPAN), (ZERO, BOW), (ZERO, BOW_LOW), (ZERO, BOW_HIGH), (ZERO, HYSTERESIS), (ZERO, HYSTERESIS_DOWN), (ZERO, HYSTERESIS_UP), (ZERO, FRICTION),
    (ZERO, TIME), (SPAN, BOW), (SPAN, BOW_LOW), (SPAN, BOW_HIGH), (SPAN, HYSTERESIS), (SPAN, HYSTERESIS_DOWN), (SPAN, HYSTERESIS_UP), (SPAN, FRICTION),
    (SPAN, TIME), (BOW, HYSTERESIS), (BOW, FRICTION), (BOW, TIME), (HYSTERESIS, TIME),
)  # fmt: skip


def of_shapes(curve: Curve, domain: str, prior: float) -> Iterator[Hypothesis]:
    """Nothing, one shape, two, one reading, another range or unit, and scatter, seen in one domain."""
    rows, tolerance = rows_of(curve, domain), curve.tolerance
    left_out = len(curve.points) - len(rows)
    design = design_of(rows, tolerance)
    odd: list[int] = []
    tried = noises(curve)
    best = IMPOSSIBLE
    for noise in tried:  # from the quietest on: once a quiet explanation is found, no louder one comes near it
        at = design.at(noise)
        each = prior - math.log(len(tried)) - lost(left_out, noise) + at.healthy
        if each + at.misfit < best - OUT_OF_REACH:
            break
        at.weigh(MIXED)
        found = [
            Hypothesis(("none",), each + log_healthy(PRIOR["none"], is_failed=curve.worst > curve.tolerance), domain=domain),
            *_one_shape(curve, at, domain, each),
        ]
        if domain == INPUT:
            found += [*another_range(curve, at, each), *another_unit(curve, at, each)]
        yield from found
        best = max(best, *(h.log for h in found))
        # What is left after the best of them would hardly pay for a second fault.
        if at.misfit - max(h.gain for h in found) > 0.5 * len(rows) + 1:
            yield from _two_shapes(curve, at, domain, each)
        odd = odd or at.doubtful(MOST_READINGS)
        yield from _one_reading(curve, [(o, rows[o.k]) for o in map(at.reading, odd)], at, domain, each)
    for scatter in SCATTER:
        each = prior - math.log(len(SCATTER)) - lost(left_out, scatter * tolerance)
        yield Hypothesis(("scatter",), each + design.at(scatter * tolerance).healthy + LOG_PRIOR["scatter"], (scatter,), domain)


def _one_shape(curve: Curve, at: AtNoise, domain: str, each: float) -> Iterator[Hypothesis]:
    floor = FLOOR * curve.tolerance * (STEEP_INPUT if curve.transfer.kind == "sqrt" and domain == INPUT else 1.0)
    for j, code in enumerate(NAMES):
        size, gain, width = at.one(j)
        if abs(size) < floor or (j == FROM_TOP and curve.transfer.kind != "reverse") or (j in MOVING and not curve.has_movement):
            continue
        prior = LOG_PRIOR[code] - math.log(NAMES.count(code))
        yield Hypothesis((code,), each + prior + gain + width + log_fault(size, curve.tolerance), (size,), domain, gain=gain)


def _two_shapes(curve: Curve, at: AtNoise, domain: str, each: float) -> Iterator[Hypothesis]:
    floor, prior = FLOOR * curve.tolerance, each + math.log(TWO / len(PAIRS))
    for i, j in PAIRS:
        if j in MOVING and not curve.has_movement:
            continue
        a, b, gain, width = at.two(i, j)
        if abs(a) >= floor and abs(b) >= floor:
            log = prior + gain + width + log_fault(a, curve.tolerance) + log_fault(b, curve.tolerance)
            yield Hypothesis((NAMES[i], NAMES[j]), log, (a, b), domain, gain=gain)


def _one_reading(curve: Curve, odd: list[tuple[Odd, Row]], at: AtNoise, domain: str, each: float) -> Iterator[Hypothesis]:
    """One reading that is off, alone or beside a fault; about: which of the curve's points."""
    tolerance, n = curve.tolerance, len(at.design.errors)
    floor = FLOOR * tolerance
    for o, row in odd:
        if abs(o.size) < floor:
            continue
        log = each + LOG_PRIOR["outlier"] - math.log(n) + log_odd(o, tolerance)
        yield Hypothesis(("outlier",), log, (o.size,), domain, str(row.k))
        if at.misfit - o.gain <= 0.5 * n + 1:
            continue
        for j in (ZERO, SPAN, BOW, HYSTERESIS):
            a, b, gain, width = at.beside(o, j)
            if abs(a) >= floor and abs(b) >= floor:
                sized = gain + width + log_slip(a, tolerance) + log_fault(b, tolerance)
                yield Hypothesis(("outlier", NAMES[j]), each + sized + math.log(TWO / n / len(PAIRS)), (a, b), domain, str(row.k))
