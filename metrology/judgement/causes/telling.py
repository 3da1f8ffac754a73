"""How an explanation is told, whatever it is of: which causes are named, what else it could be, and what is left open."""

from __future__ import annotations

from collections.abc import Mapping

from metrology.judgement.causes.explain import NONE, Candidate, Explanation
from metrology.judgement.signature import UNDECIDED, Signature
from metrology.quantities.words import chance

LEAST_NAMED = 0.15  # a chance below it is in the evidence only
WORTH = 0.02  # shares below it are not told
MOST = 0.99

Titles = Mapping[str, str]


def is_nothing(told: Explanation, *, is_failed: bool) -> bool:
    """Whether there is nothing to name: most likely nothing is wrong, and that is sure, or no reading is outside its tolerance."""
    return told.candidates[0].code == NONE and not (told.is_undecided and is_failed)


def named(told: Explanation) -> list[Candidate]:
    """The causes worth a name, at least the likeliest."""
    causes = [c for c in told.candidates if c.code != NONE]
    return [c for c in causes if c.chance >= LEAST_NAMED] or causes[:1]


def signature(told: Explanation, c: Candidate, titles: Titles, *, says: str, action: str, seen: tuple[str, ...]) -> Signature:
    """A named cause, with what else it could be beside what was seen."""
    others = _shares([o for o in told.candidates if o.code != c.code], titles)
    more = (f"Could also be: {others}.",) if others else ()
    return Signature(c.code, says, action, min(MOST, round(c.chance, 2)), (*seen, *more))


def undecided(told: Explanation, titles: Titles, tell: str) -> Signature:
    """What is left open, with what would tell."""
    says = f"These readings don't tell what it is: {_shares(told.candidates, titles)}."
    return Signature(UNDECIDED, says, tell, told.candidates[0].chance, ())


def _shares(candidates: list[Candidate] | tuple[Candidate, ...], titles: Titles) -> str:
    return ", ".join(f"{titles[c.code]} {chance(c.share, 0)}" for c in candidates if c.share >= WORTH)
