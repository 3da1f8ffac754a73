"""A plan shared out fairly: jobs handed from the longest day to shorter ones, until all are about as long, without leaving any undone."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping

from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Job, Plan, Problem, Worker
from apps.planning.solver.quick import decode
from apps.planning.solver.walking import EVEN_WITHIN, length_of, unevenness

Teams = dict[str, tuple[str, ...]]


def share_out(problem: Problem, plan: Plan, *, seconds: float, should_stop: Callable[[], bool] = lambda: False) -> Plan:
    """The plan with days that differ by an hour at most, or by as little as handing jobs over one by one, or one for another, brings about."""
    ends = time.monotonic() + seconds

    def is_over() -> bool:
        return should_stop() or time.monotonic() >= ends

    while unevenness(problem, plan) > EVEN_WITHIN and not is_over():
        better = _step(problem, plan, is_over)
        if better is None:
            break
        plan = better
    return plan


def _step(problem: Problem, plan: Plan, is_over: Callable[[], bool]) -> Plan | None:
    """The hand-over that evens the days out most; one of two jobs for each other where none of a single job does."""
    for teams in (_handed(problem, plan), _swapped(problem, plan)):
        best, least = None, unevenness(problem, plan)
        for team in teams:
            if is_over():
                break
            made = _made_anew(problem, plan, team)
            if made is not None and (now := unevenness(problem, made)) < least:
                best, least = made, now
        if best is not None:
            return best
    return None


def _made_anew(problem: Problem, plan: Plan, teams: Mapping[str, tuple[str, ...]]) -> Plan | None:
    """The same jobs in their order with other people; None where one of them no longer finds room."""
    order = sorted((problem.index[k] for k in plan.placed), key=lambda j: plan.placed[j.key].starts[0])
    made = decode(problem, order, teams, plan.lunches).plan()
    return made if set(made.placed) == set(plan.placed) and not find_breaches(problem, made) else None


def _by_length(problem: Problem, plan: Plan) -> list[Worker]:
    return sorted(problem.people, key=lambda w: length_of(problem, plan, w))


def _movable(problem: Problem, plan: Plan, w: Worker) -> list[Job]:
    mine = [problem.index[k] for k, at in plan.placed.items() if at.people == (w.key,)]
    return sorted((j for j in mine if not j.fixed), key=lambda j: (-j.attention, j.key))


def _handed(problem: Problem, plan: Plan) -> Iterator[Teams]:
    """Each job of the longest day with somebody else, the shortest day first."""
    *shorter, longest = _by_length(problem, plan)
    teams = {k: at.people for k, at in plan.placed.items()}
    for job in _movable(problem, plan, longest):
        for w in shorter:
            if problem.may(w, job):
                yield {**teams, job.key: (w.key,)}


def _swapped(problem: Problem, plan: Plan) -> Iterator[Teams]:
    """Each job of the longest day for a shorter one of the shortest day."""
    shortest, *_, longest = _by_length(problem, plan)
    teams = {k: at.people for k, at in plan.placed.items()}
    for a in _movable(problem, plan, longest):
        for b in _movable(problem, plan, shortest):
            if b.attention < a.attention and problem.may(shortest, a) and problem.may(longest, b):
                yield {**teams, a.key: (shortest.key,), b.key: (longest.key,)}
