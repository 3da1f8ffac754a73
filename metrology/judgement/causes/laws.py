"""Another law than the one that is meant: a square root too many or too few, or the output the wrong way round."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

from metrology.judgement.causes.hypothesis import LOG_PRIOR, MIXED, Hypothesis, design_of, lost, noises, shifted
from metrology.judgement.causes.rows import FALLING, INPUT, RISING, Curve, Law, rows_of


def _root(x: float) -> float:
    return math.sqrt(max(x, 0.0))


ROOT, SQUARE, FOURTH = (
    Law(_root, lambda y: y * abs(y)),
    Law(lambda x: x * abs(x), _root),
    Law(lambda x: _root(_root(x)), lambda y: abs(y) ** 3 * y),
)


def _upside_down(law: Law) -> Law:
    return Law(lambda x: 1 - law.follow(x), lambda y: law.back(1 - y))


# What the output follows instead, by what is meant.
ROOTS = {
    "linear": (("doubled", ROOT), ("missing", SQUARE)),
    "sqrt": (("missing", RISING), ("doubled", FOURTH)),
    "reverse": (("doubled", _upside_down(ROOT)), ("missing", _upside_down(SQUARE))),
}
OTHER_WAY = {"linear": FALLING, "reverse": RISING, "sqrt": _upside_down(ROOT)}


def other_laws(curve: Curve) -> Iterator[Hypothesis]:
    """All that come into question for what is meant."""
    for about, law in ROOTS.get(curve.transfer.kind, ()):
        yield from _of_law(curve, "transfer-mismatch", law, about)
    if curve.transfer.kind in OTHER_WAY:
        yield from _of_law(curve, "reversed", OTHER_WAY[curve.transfer.kind], "")


def _of_law(curve: Curve, code: str, law: Law, about: str) -> Iterator[Hypothesis]:
    """The readings against another law; weighed where it leaves clearly less than the one that is meant."""
    rows = rows_of(curve, INPUT, law)
    if sum(abs(r.error) for r in rows) > 0.6 * sum(abs(p.error_percent) for p in curve.points):
        return
    design, tried = design_of(rows, curve.tolerance), [*noises(curve), 0.3 * curve.tolerance]
    for noise in tried:
        at = design.at(noise).weigh(MIXED)
        each = at.healthy + LOG_PRIOR[code] - math.log(len(tried)) - lost(len(curve.points) - len(rows), noise)
        for h in shifted(at, code, curve.tolerance, about):
            yield replace(h, log=each + h.log, sizes=(0.0, h.sizes[0] or h.sizes[1]))
