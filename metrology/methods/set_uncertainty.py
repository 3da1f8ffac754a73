"""What the uncertainties of single readings come to for a set: U of each statistic, and the chance that every reading is inside."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.decision import FAIL
from metrology.judgement.uncertainty import Component, combine, in_difference, in_mean
from metrology.methods.budget import COVERAGE
from metrology.methods.outcome import Judged, Outcome


@dataclass(frozen=True)
class SetUncertainty:
    """U (k as in the budgets) of the statistics of a set, in % of output span; 0 where none is known."""

    largest: float = 0.0
    zero: float = 0.0
    span: float = 0.0
    mean: float = 0.0
    hysteresis: float = 0.0
    linearity: float = 0.0


def set_uncertainty(judged: Sequence[Judged]) -> SetUncertainty:
    """U of each statistic; of none where a reading has none.

    What all readings share counts whole and what is random counts as in a mean, by the readings behind each statistic, with the degrees of freedom that
    this leaves (GUM G.4.1). Those at the two ends of the range count as if they shared nothing, which is on the safe side for the span.
    """
    if not judged or any(j.uncertainty is None for j in judged):
        return SetUncertainty()
    low, high = (pick(judged, key=lambda j: j.point.fraction) for pick in (min, max))
    worst = max(judged, key=lambda j: abs(j.point.error_percent))
    widest, at_one = max(judged, key=_expanded), _at(low, judged)
    scatters = max(judged, key=lambda j: math.fsum(c.standard**2 for c in j.components if c.is_random))
    zero = _of_mean(low, at_one)
    return SetUncertainty(
        largest=_expanded(worst),
        zero=zero,
        span=math.hypot(zero, _of_mean(high, _at(high, judged))),
        mean=_of_mean(widest, len(judged)),
        hysteresis=_of_difference(scatters, 2 / max(1, at_one // 2)),
        linearity=_of_difference(scatters, 1.5 / at_one),  # the middle against half of each end
    )


def chance_of_all(outcome: Outcome) -> float | None:
    """Least chance that every reading of a set is inside its tolerance; None where one is not, or has no uncertainty.

    The product of the single chances: what the readings share makes them go together, so that it is no less (JCGM 106:2012, 7).
    """
    counted = [j for j in outcome.judged if j.counts]
    if not counted or outcome.verdict == FAIL or any(j.uncertainty is None for j in counted):
        return None
    return math.prod(j.decision.p_conform for j in counted)


def _at(one: Judged, judged: Sequence[Judged]) -> int:
    """How many readings there are at its level."""
    return sum(abs(j.point.ideal_percent - one.point.ideal_percent) <= 1.0 for j in judged)


def _expanded(j: Judged) -> float:
    return j.uncertainty.expanded if j.uncertainty else 0.0


def _of_mean(j: Judged, count: int) -> float:
    """U of the mean of `count` readings like this one."""
    return _expanded_of(in_mean(j.components, count))


def _of_difference(j: Judged, share: float) -> float:
    """U of what is random alone in a reading like this one, with so much of its variance."""
    return _expanded_of(in_difference(j.components, share))


def _expanded_of(components: Sequence[Component]) -> float:
    return combine(components, coverage=COVERAGE, digits=3).expanded if components else 0.0
