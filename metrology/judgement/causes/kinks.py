"""Levels that come back to the same error, up and down, but follow no shape: a characterisation, or an end of its own."""

from __future__ import annotations

import math
from collections.abc import Iterator

from metrology.judgement.causes.evidence import Design
from metrology.judgement.causes.hypothesis import LOG_PRIOR, SMALL, Hypothesis, lost, noises
from metrology.judgement.causes.rows import INPUT, Curve, Row, rows_of

COMES_BACK = 0.3  # of the worst error: as far as the readings of one level may lie apart
SIZES = (1.0, 4.0)  # in tolerances, of how far a level may be from any shape
SHARE = 0.15  # of what is not straight has no shape
MOST_LEVELS = 12


def kinked(curve: Curve) -> Iterator[Hypothesis]:
    """Each level has an error of its own, and it comes back; or an end has."""
    rows = rows_of(curve, INPUT)
    levels: dict[int, list[Row]] = {}
    for r in rows:
        levels.setdefault(round(r.level), []).append(r)
    apart = max((max(r.error for r in rs) - min(r.error for r in rs) for rs in levels.values()), default=0.0)
    if not 3 <= len(levels) <= MOST_LEVELS or len(rows) == len(levels) or apart > COMES_BACK * curve.worst:
        return
    ordered = sorted(levels)
    yield from _own_errors(curve, rows, ordered, "linearity", SHARE)
    for end in (ordered[0], ordered[-1]):
        yield from _own_errors(
            curve, rows, [end], "saturation", SHARE / 4, about=f"{'below' if end == ordered[0] else 'above'} {_mean(levels[end]):.1f}"
        )


def _own_errors(curve: Curve, rows: list[Row], levels: list[int], code: str, share: float, about: str = "") -> Iterator[Hypothesis]:
    tolerance, tried = curve.tolerance, noises(curve)
    shapes = [(*r.shapes, *(1.0 if round(r.level) == level else 0.0 for level in levels)) for r in rows]
    left_out = len(curve.points) - len(rows)
    for size in SIZES:
        design = Design([r.error for r in rows], shapes, [s * tolerance for s in (*SMALL, *[size] * len(levels))])
        for noise in tried:
            log = design.at(noise).healthy - lost(left_out, noise) + LOG_PRIOR[code] + math.log(share / len(SIZES) / len(tried))
            yield Hypothesis((code,), log, (curve.worst,), about=about)


def _mean(rows: list[Row]) -> float:
    return sum(r.read for r in rows) / len(rows)
