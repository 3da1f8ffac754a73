"""A round built within a time: a plan at once, bettered while the bound is worked out beside it; a small one is then searched exactly."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

from apps.planning.solver.beside import Beside
from apps.planning.solver.bound import find_bound
from apps.planning.solver.check import find_breaches
from apps.planning.solver.polish import polish
from apps.planning.solver.problem import Plan, Problem
from apps.planning.solver.quick import quick_plan
from apps.planning.solver.search import improve
from apps.planning.solver.why import overloads

POLISH_SHARE = 0.3  # of the time, for short ways and even days
QUICK_S = 1.0
SMALL = 14  # jobs; so few are searched exactly from the start
WORTH_BESIDE_S = 8.0  # a search so short is over before another process has begun
BESIDE_SHARE = 0.88
LARGE = 30  # jobs; of so many the exact search gains less than bettering on


@dataclass(frozen=True)
class Built:
    """A finished round. gap: share by which it may be below the best there is; is_best: proved that nothing is worth more."""

    plan: Plan | None
    value: int
    bound: float
    seconds: float
    is_best: bool
    is_impossible: bool = False

    @property
    def gap(self) -> float:
        """How far the plan may be from the best, a share of the bound."""
        return (self.bound - self.value) / self.bound if self.bound > self.value else 0.0


def build_round(
    problem: Problem,
    *,
    seconds: float = 20.0,
    on_better: Callable[[Plan, int, float, float], None] = lambda plan, value, bound, seconds: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Built:
    """Build a round: first the most that is worth doing, then short ways and even days. on_better is told each better plan with its worth, the bound
    so far and the seconds taken.
    """
    began = time.monotonic()
    built = _search(problem, seconds=(1 - POLISH_SHARE) * seconds, on_better=on_better, should_stop=should_stop)
    if built.plan is None:
        return built
    left = min(seconds - (time.monotonic() - began), POLISH_SHARE * seconds)
    plan = polish(problem, built.plan, seconds=left, should_stop=should_stop)
    value, spent = plan.value(problem), time.monotonic() - began
    if plan is not built.plan:
        on_better(plan, value, built.bound, spent)
    return replace(built, plan=plan, value=value, bound=max(built.bound, float(value)), seconds=spent)


def _search(
    problem: Problem,
    *,
    seconds: float,
    on_better: Callable[[Plan, int, float, float], None],
    should_stop: Callable[[], bool],
) -> Built:
    """The plan of the most worth."""
    began = time.monotonic()
    everything = sum(j.value for j in problem.jobs)
    musts = [j for j in problem.jobs if j.is_must or j.fixed]
    bound = [float(everything)]

    def spent() -> float:
        return time.monotonic() - began

    def whole(plan: Plan | None) -> bool:
        return plan is not None and all(j.key in plan.placed for j in musts) and not find_breaches(problem, plan)

    def built(plan: Plan, *, best: bool) -> Built:
        value = plan.value(problem)
        return Built(plan, value, max(float(value), bound[0]), spent(), best or value >= bound[0])

    if overloads(problem):  # no order helps: said at once
        return Built(None, 0, 0.0, spent(), is_best=False, is_impossible=True)
    is_large = len(problem.jobs) > LARGE
    beside = Beside(problem, seconds=BESIDE_SHARE * seconds) if is_large and seconds >= WORTH_BESIDE_S else None
    first = quick_plan(problem, seconds=min(QUICK_S, seconds / 3), should_stop=should_stop)
    plan = first if whole(first) else None
    if plan is not None:
        on_better(plan, plan.value(problem), bound[0], spent())
    if beside and (plan is None or plan.value(problem) >= everything):
        beside.end()
        beside = None
    if plan is not None and plan.value(problem) >= everything:
        return built(plan, best=True)
    if plan is not None and len(problem.jobs) > SMALL:
        side = threading.Thread(
            target=lambda: bound.append(find_bound(problem, seconds=(0.25 if is_large else 0.5) * seconds)), daemon=True
        )
        side.start()
        better = quick_plan(problem, seconds=max(0.1, (0.97 if is_large else 0.5) * seconds - spent()), seed=11, should_stop=should_stop)
        side.join(0.0 if should_stop() else seconds)
        bound[0] = min(bound)
        for found in (better, beside.result(should_stop=should_stop) if beside else None):
            if found and whole(found) and found.value(problem) > plan.value(problem):
                plan = found
                on_better(plan, plan.value(problem), bound[0], spent())
    if plan is not None and (is_large or should_stop() or plan.value(problem) >= bound[0]):
        return built(plan, best=False)
    out = improve(
        problem,
        plan,
        seconds=max(0.5, seconds - spent()),
        on_better=lambda p, b: on_better(p, p.value(problem), min(bound[0], max(b, p.value(problem))), spent()),
        should_stop=should_stop,
    )
    if out.plan is None:
        return Built(plan, plan.value(problem) if plan else 0, bound[0], spent(), is_best=False, is_impossible=out.is_impossible)
    bound[0] = float(out.plan.value(problem)) if out.is_best else min(bound[0], out.bound)
    return built(out.plan, best=out.is_best)
