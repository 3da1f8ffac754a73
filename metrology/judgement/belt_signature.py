"""What the zero of a belt weigher says over time: build-up, a step, or nothing but scatter; and what a change of zero or span points to.

Sources: OIML R 50-1:2014 (zero-setting, totalisation errors), handbook practice of belt weighers (causes).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.drift import fit_line
from metrology.judgement.signature import Signature
from metrology.judgement.trend import find_step

LEAST_FOR_TREND = 4


@dataclass(frozen=True)
class BeltResult:
    """Changes against what was stored, in %; how far the last two tests of zero were apart, in %; earlier zero counts with their days.

    limit: change of zero or span that is accepted; agree: how well two tests must agree; cause: a change that wants its cause. base: counts
    that 100 % of a zero change is. runs: how many zero tests it took.
    """

    zero_change: float | None
    span_change: float | None
    apart: float | None
    runs: int
    days: tuple[float, ...]
    counts: tuple[float, ...]
    base: float
    zero_limit: float
    span_limit: float
    agree: float
    cause: float


def find_belt_signatures(r: BeltResult) -> tuple[Signature, ...]:
    """The named causes, the likeliest first; nothing while zero and span hold."""
    made = (_restless(r), _step(r), _build_up(r), _tension(r))
    return tuple(sorted((s for s in made if s), key=lambda s: -s.confidence))


def _restless(r: BeltResult) -> Signature | None:
    """Zero tests that don't agree: the belt itself is not the same from round to round."""
    if r.apart is None or r.apart <= r.agree or r.runs < 3:
        return None
    return Signature(
        "zero-not-repeating",
        "The zero does not repeat: the belt weighs differently from round to round.",
        "Let it run warm, look for material sticking to the belt, a wandering or stiff belt, and an idler that does not turn; count whole rounds only.",
        0.6,
        (f"After {r.runs} tests the last two are {r.apart:.3f} % apart; {r.agree:g} % is the limit.",),
    )


def _step(r: BeltResult) -> Signature | None:
    """The history parts into two levels, or the last zero jumped: something was done to the belt."""
    found = find_step(r.counts, least=r.zero_limit / 100 * r.base)
    jumped = abs(r.zero_change or 0.0) > r.cause and len(r.counts) >= 3 and _scatter(r.counts[:-1]) < abs(r.counts[-1] - r.counts[-2]) / 3
    if not found and not jumped:
        return None
    size = 100 * (found.size if found else r.counts[-1] - r.counts[-2]) / r.base
    before = r.counts[: found.at] if found else r.counts[:-1]
    return Signature(
        "zero-step",
        "The zero has stepped: a belt changed or repaired, a new splice, an idler moved or replaced.",
        "Ask maintenance what was done to the belt since the last calibration; align the idlers, then set zero and span anew.",
        0.75,
        (f"It changed by {size:+.2f} % at once; before that {len(before)} zeros scatter by {100 * _scatter(before) / r.base:.2f} %.",),
    )


def _build_up(r: BeltResult) -> Signature | None:
    """The zero rises steadily: material builds up on belt, idlers or weighbridge."""
    if len(r.counts) < LEAST_FOR_TREND or len(set(r.days)) < 3 or find_step(r.counts, least=r.zero_limit / 100 * r.base):
        return None
    line = fit_line(r.days, r.counts)
    rise = line.slope * (r.days[-1] - r.days[0])
    if line.slope <= 0 or line.correlation_xy < 0.8 or 100 * rise / r.base < r.zero_limit:
        return None
    return Signature(
        "zero-build-up",
        "The zero creeps up: material builds up on the belt, the idlers or the weighbridge.",
        "Clean belt, scraper, idlers and weighbridge, then test zero again before anything is accepted.",
        round(min(0.85, 0.4 + 0.45 * line.correlation_xy), 2),
        (f"Over {r.days[-1] - r.days[0]:.0f} days it rose by {100 * rise / r.base:+.2f} % along a line (r = {line.correlation_xy:.2f}).",),
    )


def _tension(r: BeltResult) -> Signature | None:
    """Span away: tension, alignment, idlers of the weigh span."""
    if r.span_change is None or abs(r.span_change) <= r.span_limit:
        return None
    return Signature(
        "tension-or-alignment",
        "The span moved: belt tension, alignment of the idlers, or the speed pick-up.",
        "Look at the take-up and the alignment across the weigh idlers, and prove the belt's length and speed, before the span is accepted.",
        0.5,
        (f"Span {r.span_change:+.2f} %; the limit is {r.span_limit:g} %.",),
    )


def _scatter(values: Sequence[float]) -> float:
    """Standard deviation; 0 for fewer than two."""
    if len(values) < 2:
        return 0.0
    mean = sum(values) / len(values)
    return float((sum((v - mean) ** 2 for v in values) / (len(values) - 1)) ** 0.5)
