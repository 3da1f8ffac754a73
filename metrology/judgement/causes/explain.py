"""What is wrong, how sure, what else it could be, and the one more reading that would tell."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from metrology.judgement.causes.evidence import IMPOSSIBLE, mix
from metrology.judgement.causes.hypotheses import hypotheses
from metrology.judgement.causes.hypothesis import FLOOR, Hypothesis
from metrology.judgement.causes.rows import Curve

NONE = "none"
SURE = 0.8  # from here on a cause is named without another beside it
FARTHEST = 1.0  # of the span, from its middle
LEAST_GAP = 0.8  # in tolerances: up and down this far apart are looked at, though every reading is well inside


@dataclass(frozen=True)
class Candidate:
    """A cause; share of all, and how likely it is among what is wrong (both 0 to 1)."""

    code: str
    share: float
    chance: float
    best: Hypothesis


@dataclass(frozen=True)
class Explanation:
    """Causes, likeliest first; is_undecided where the readings can't tell them apart."""

    candidates: tuple[Candidate, ...]
    is_undecided: bool


NOTHING = Explanation((Candidate(NONE, 1.0, 1.0, Hypothesis((NONE,), 0.0)),), False)


@lru_cache(maxsize=256)
def explain(curve: Curve) -> Explanation:
    """Weigh what may be wrong.

    Nothing is looked for where every error is well inside the tolerance, in fewer than three readings at two levels, and where something was applied
    further than half a span outside the range: no shape over the range tells what an instrument does there.
    """
    is_outside = any(abs(p.fraction - 0.5) > FARTHEST for p in curve.points)
    too_few = len(curve.points) < 3 or len({round(p.ideal_percent) for p in curve.points}) < 2
    if is_outside or too_few or (curve.worst <= FLOOR * curve.tolerance and curve.gap < LEAST_GAP * curve.tolerance):
        return NOTHING
    return shares_of(hypotheses(curve))


def shares_of(found: list[Hypothesis]) -> Explanation:
    """What each cause has of all that was found, likeliest first."""
    by_codes: dict[tuple[str, ...], list[Hypothesis]] = {}
    for h in found:
        if math.isfinite(h.log):
            by_codes.setdefault(tuple(sorted(h.codes)), []).append(h)
    if not by_codes:
        return NOTHING  # numbers beyond all measure
    logs = {codes: mix([h.log for h in hs]) for codes, hs in by_codes.items()}
    total = mix(list(logs.values()))
    chances: dict[str, float] = {}
    best: dict[str, tuple[float, Hypothesis]] = {}
    for codes, log in logs.items():
        p = math.exp(log - total) if log > IMPOSSIBLE else 0.0
        top = max(by_codes[codes], key=lambda h: h.log)
        for code in codes:
            chances[code] = chances.get(code, 0.0) + p
            if code not in best or p > best[code][0]:
                best[code] = p, top
    whole = sum(chances.values())
    ordered = sorted(chances, key=lambda c: -chances[c])
    told = [Candidate(c, chances[c] / whole, chances[c], best[c][1]) for c in ordered]
    return Explanation(tuple(told), told[0].chance < SURE)
