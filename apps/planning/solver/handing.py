"""What changes hands in a plan: at the base, where lunch is, from one who has used it in the morning to one who needs it after."""

from __future__ import annotations

from dataclasses import dataclass

from apps.planning.solver.problem import AFTERNOON, MORNING, Plan, Problem


@dataclass(frozen=True)
class HandOver:
    """An item, who brings it and when they are there, who takes it and from when."""

    item: str
    giver: str
    brought_at: int
    taker: str
    taken_at: int


def hand_overs(problem: Problem, plan: Plan) -> list[HandOver]:
    """Every item that is with one person in the morning and with another after lunch."""
    owners: dict[tuple[str, int], str] = {}
    for key, at in plan.placed.items():
        for half in at.halves(problem.index[key], plan.lunches.get(at.people[0])):
            owners.update({(item, half): at.people[0] for item in (*at.kit, *at.bottles) if item})
    minutes = {w.key: w.lunch[2] for w in problem.people if w.lunch}
    out = []
    for item in sorted({item for item, _ in owners}):
        giver, taker = owners.get((item, MORNING)), owners.get((item, AFTERNOON))
        if giver and taker and giver != taker and giver in plan.lunches and taker in plan.lunches:
            out.append(HandOver(item, giver, plan.lunches[giver], taker, plan.lunches[taker] + minutes.get(taker, 0)))
    return out
