"""What must move so that a job can stand where somebody wants it: the smallest exchange that leaves nothing undone."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Fixed, Job, Placed, Plan, Problem
from apps.planning.solver.quick import decode

NEAR_MIN = 120  # of the day about the wish: jobs there may change hands


def swap_for(problem: Problem, plan: Plan, key: str, wish: Placed) -> Plan | None:
    """The plan with a job as it is wished and as few others moved as is found; None where no exchange of these jobs makes room.

    Locked jobs stay. The others may shift in time first, then those about the wish change hands, then those that are done with the same kit, then all
    of that person's.
    """
    wished = replace(problem.index[key], fixed=Fixed(wish.people, wish.starts), is_must=True)
    kept = [problem.index[k] for k in plan.placed if k != key]
    sub = replace(problem, jobs=(wished, *kept))
    best: tuple[int, Plan] | None = None
    for order, free in _ways(sub, plan, wished, kept, wish):
        teams = {j.key: plan.placed[j.key].people for j in kept if j.key not in free}
        made = decode(sub, order, teams, plan.lunches).plan()
        if len(made.placed) < len(sub.jobs) or find_breaches(sub, made):
            continue
        many = len(moved(plan, made, but=key))
        if best is None or many < best[0]:
            best = (many, made)
    return best[1] if best else None


def _ways(sub: Problem, plan: Plan, wished: Job, kept: Sequence[Job], wish: Placed) -> Iterator[tuple[list[Job], set[str]]]:
    """Orders to put the jobs in again, each with the jobs whose people are open."""
    by_start = sorted(kept, key=lambda j: plan.placed[j.key].starts[0])
    theirs = {j.key for j in kept if set(plan.placed[j.key].people) & set(wish.people)}
    begin, end = wish.starts[0], wish.end(wished)
    about = {k for k in theirs if plan.placed[k].starts[0] < end + NEAR_MIN and plan.placed[k].end(sub.index[k]) > begin - NEAR_MIN}
    hit = {k for k in theirs if plan.placed[k].starts[0] < end and plan.placed[k].end(sub.index[k]) > begin}
    things = {*wish.kit, *wish.bottles}
    sharing = {
        j.key for j in kept if things & {*plan.placed[j.key].kit, *plan.placed[j.key].bottles}
    }  # who has the kit then may be another
    for free in (set[str](), hit, about, sharing - theirs, theirs, theirs | sharing):
        yield [wished, *by_start], free
        yield [wished, *(j for j in by_start if j.key not in hit), *(j for j in by_start if j.key in hit)], free
        yield [wished, *(j for j in by_start if j.key in hit), *(j for j in by_start if j.key not in hit)], free


def moved(before: Plan, after: Plan, *, but: str) -> list[str]:
    """The jobs that stand elsewhere, with somebody else, or with other kit."""
    return sorted(k for k, p in after.placed.items() if k != but and before.placed.get(k) != p)
