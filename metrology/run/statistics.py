"""The statistics of a set in words, each with its uncertainty, and the chance that the whole set is inside."""

from __future__ import annotations

import math
from collections.abc import Sequence

from metrology.judgement.decision import FAIL
from metrology.methods.method import Columns
from metrology.methods.outcome import Judged, Outcome
from metrology.quantities.words import number, percent, signed
from metrology.run.set_types import Named


def in_words(told: Columns, value: float, *, sign: bool = False) -> str:
    """A share of span as the trial tells it: in percent, or in a unit of its own."""
    if told.decimals is None:
        return percent(value) if sign else f"{number(value, 3)} %"
    amount = value * told.per_percent
    return f"{signed(amount, told.decimals) if sign else number(amount, told.decimals)} {told.unit}".strip()


def statistics_of(result: Outcome, told: Columns) -> list[Named]:
    """Names and values, with U (k as in the budget) where the readings have one."""
    s = result.statistics
    if s is None:
        return []
    ends = _Ends(result.judged)

    def words(value: float | None, u: float | None, sign: str = "+") -> str | None:
        if value is None:
            return None
        said = in_words(told, value, sign=True)
        text = said if sign == "+" else sign + said.lstrip("+")
        return f"{text}, U {in_words(told, u, sign=True).lstrip('+')}" if u else text

    rows = [
        ("Largest error", words(s.max_error, ends.largest)),
        ("Zero error", words(s.zero_error, ends.zero)),
        ("Span error", words(s.span_error, ends.span)),
        ("Mean error", words(s.mean_error, ends.mean)),
        ("Hysteresis", words(s.hysteresis, ends.hysteresis, "")),
        ("Linearity, independent", words(s.linearity_independent, ends.linearity, "±")),
        ("Linearity, terminal-based", words(s.linearity_terminal, ends.linearity, "±")),
        ("Linearity, zero-based", words(s.linearity_zero_based, ends.linearity, "±")),
        ("Repeatability", words(s.repeatability, None, "")),
        ("Every point inside its tolerance", _all_inside(result)),
    ]
    return [{"name": n, "value": v} for n, v in rows if v is not None]


def _all_inside(result: Outcome) -> str | None:
    """The chance of it; at least the product of the single ones, because what the readings share makes them go together (JCGM 106:2012, 7)."""
    counted = [j for j in result.judged if j.counts]
    if not counted or result.verdict == FAIL or any(j.uncertainty is None for j in counted):
        return None
    return f"at least {100 * math.prod(j.decision.p_conform for j in counted):.1f} %"


class _Ends:
    """Uncertainty of each statistic: what all readings share counts whole, what is random counts as in a mean."""

    largest: float | None = None
    zero: float | None = None
    span: float | None = None
    mean: float | None = None
    hysteresis: float | None = None
    linearity: float | None = None

    def __init__(self, judged: Sequence[Judged]) -> None:
        if not judged or any(j.uncertainty is None for j in judged):
            return
        low, high = (pick(judged, key=lambda j: j.point.fraction) for pick in (min, max))
        worst = max(judged, key=lambda j: abs(j.point.error_percent))
        self.largest = worst.uncertainty.expanded if worst.uncertainty else None
        self.zero, top = _of_mean(low, _at(low, judged)), _of_mean(high, _at(high, judged))
        self.span = math.hypot(self.zero, top)
        self.mean = _of_mean(max(judged, key=lambda j: j.uncertainty.expanded if j.uncertainty else 0.0), len(judged))
        random = max(_random(j) for j in judged)
        self.hysteresis = random * math.sqrt(2 / max(1, _at(low, judged) // 2))
        self.linearity = random * math.sqrt(1.5 / _at(low, judged))  # the middle against half of each end


def _at(one: Judged, judged: Sequence[Judged]) -> int:
    """How many readings there are at its level."""
    return sum(abs(j.point.ideal_percent - one.point.ideal_percent) <= 1.0 for j in judged)


def _random(j: Judged) -> float:
    """k times what is another one in each reading."""
    return (j.uncertainty.k if j.uncertainty else 0.0) * math.sqrt(math.fsum(c.standard**2 for c in j.components if c.is_random))


def _of_mean(j: Judged, count: int) -> float:
    """U of the mean of `count` readings like this one."""
    u = j.uncertainty
    if u is None:
        return 0.0
    shared = math.fsum(c.standard**2 for c in j.components if not c.is_random)
    return math.hypot(u.k * math.sqrt(shared), _random(j) / math.sqrt(count)) + u.bias
