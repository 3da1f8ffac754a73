"""A plan made short to walk: the same jobs by the same people, each day put into the order with the least walking.

Days are put in order one by one, exactly: what hangs on somebody else's day (a job of two, a hold that may not coincide with another's) stays where it is.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable
from dataclasses import replace

from ortools.sat.python import cp_model

from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Fixed, Job, Placed, Plan, Problem, Worker
from apps.planning.solver.search import WORKERS, RoundModel
from apps.planning.solver.walking import days, walked_by

MINUTE_WALKED = 5  # against a minute by which the day ends sooner
LEAST_S = 0.05


def tidy(problem: Problem, plan: Plan, *, seconds: float, should_stop: Callable[[], bool] = lambda: False) -> Plan:
    """The plan with every day in its shortest order that holds; as it was where none is shorter."""
    ends = time.monotonic() + seconds
    walked = days(problem, plan)
    people = sorted((w for w in problem.people if walked[w.key].walked > walked[w.key].tour), key=lambda w: -walked[w.key].walked)
    for n, w in enumerate(people):
        left = ends - time.monotonic()
        if should_stop() or left < LEAST_S:
            break
        made = _one_day(problem, plan, w, left / (len(people) - n))
        if made is not None and walked_by(problem, made, w.key) < walked_by(problem, plan, w.key) and not find_breaches(problem, made):
            plan = made
    return plan


def _one_day(problem: Problem, plan: Plan, w: Worker, seconds: float) -> Plan | None:
    mine = [j for j in problem.jobs if j.key in plan.placed and w.key in plan.placed[j.key].people]
    shared = Counter(g for j in problem.jobs if j.key in plan.placed for g in j.groups) - Counter(g for j in mine for g in j.groups)
    jobs = tuple(_alone(j, plan.placed[j.key], w, holds=bool(j.fixed or j.people > 1 or any(shared[g] for g in j.groups))) for j in mine)
    sub = replace(problem, people=(w,), jobs=jobs, litres=dict.fromkeys(problem.litres, 1000000.0))  # who has which bottle is settled
    model = RoundModel(sub)
    model.hint(
        Plan({j.key: replace(plan.placed[j.key], people=(w.key,)) for j in mine}, {k: v for k, v in plan.lunches.items() if k == w.key})
    )
    model.model.minimize(MINUTE_WALKED * model.walk() + sum(model.finish))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = WORKERS
    solver.parameters.linearization_level = 2
    if solver.solve(model.model) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None
    found = model.read(solver.value)
    placed = {k: replace(at, starts=found.placed[k].starts) if k in found.placed else at for k, at in plan.placed.items()}
    return Plan(placed, {**plan.lunches, **found.lunches})


def _alone(job: Job, at: Placed, w: Worker, *, holds: bool) -> Job:
    """A job as it is in one person's day: to be done, with what it has; where it holds to others, where it is."""
    gas = tuple(replace(g, bottles=(b,)) for g, b in zip(job.gas, at.bottles, strict=True))
    where = Fixed((w.key,), at.starts) if holds else None
    return replace(job, is_must=True, people=1, skills=frozenset(), kit=tuple((k,) for k in at.kit), gas=gas, fixed=where)
