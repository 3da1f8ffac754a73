"""An output that does not go beyond a level, and one that does not move at all."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

from metrology.judgement.causes.hypothesis import (
    FLOOR,
    LOG_PRIOR,
    MIXED,
    NOISE,
    SPAN,
    ZERO,
    Hypothesis,
    design_of,
    log_slip,
    lost,
    noises,
    shifted,
)
from metrology.judgement.causes.ranges import another_range
from metrology.judgement.causes.rows import INPUT, Curve, Row, rows_of


def clipped(curve: Curve) -> Iterator[Hypothesis]:
    """The output stays at a level beyond which it does not go; the other readings are healthy, or shifted, or of another gain or range."""
    rows = sorted(rows_of(curve, INPUT), key=lambda r: r.level)
    levels = sorted({round(p.ideal_percent) for p in curve.points})
    for sign in (1, -1):  # above, below
        ordered = rows[::-sign]
        for level in levels[:1:-1] if sign > 0 else levels[:-2]:
            n = sum(sign * round(r.level) >= sign * level for r in ordered)
            if 0 < n < len(rows):
                yield from _flat(curve, ordered[:n], ordered[n:], sign, len(levels))


def _flat(curve: Curve, flat: list[Row], others: list[Row], sign: int, levels: int) -> Iterator[Hypothesis]:
    tolerance = curve.tolerance
    edge = sum(r.read for r in flat) / len(flat)
    if max(abs(r.read - edge) for r in flat) > max(0.6 * tolerance, 0.1) or any(sign * (r.read - edge) > 0.5 * tolerance for r in others):
        return
    design, tried = design_of(others, tolerance), noises(curve)
    prior = LOG_PRIOR["saturation"] - math.log(2 * (levels - 2) * len(tried))
    left_out = len(curve.points) - len(others) - 1
    about = f"{'above' if sign > 0 else 'below'} {edge:.1f}"
    for noise in tried:
        at = design.at(noise).weigh(MIXED)
        spread = -0.5 * sum((r.read - edge) ** 2 for r in flat) / noise**2 - 0.5 * math.log(len(flat))
        each = at.healthy + spread - lost(left_out, noise) + prior
        for h in (*shifted(at, "saturation", tolerance, about), *another_range(curve, at, 0.0)):
            # How far the last of them, and the first, would have gone beyond the edge.
            short = [
                sign * (r.read - r.error + h.sizes[0] * r.shapes[ZERO] + h.sizes[1] * r.shapes[SPAN] - edge) for r in (flat[0], flat[-1])
            ]
            if short[0] >= FLOOR * tolerance and short[1] >= -0.5 * tolerance:
                yield replace(h, log=each + h.log + log_slip(short[0], tolerance), sizes=(short[0], h.sizes[0] or h.sizes[1]))


def stuck(curve: Curve) -> Iterator[Hypothesis]:
    """The output does not move: every reading the same, whatever was applied."""
    reads = [p.ideal_percent + p.error_percent for p in curve.points]
    edge = sum(reads) / len(reads)
    if max(abs(r - edge) for r in reads) > max(0.6 * curve.tolerance, 0.1):
        return
    prior = LOG_PRIOR["saturation"] - math.log(100.0 * len(NOISE))  # it may stand anywhere in its span
    for noise in noises(curve):
        log = prior - 0.5 * sum((r - edge) ** 2 for r in reads) / noise**2 - lost(len(reads) - 1, noise)
        yield Hypothesis(("saturation",), log, (curve.worst,), about=f"{'above' if edge < 50 else 'below'} {edge:.1f}")
