"""A good plan at once: jobs put in one by one where they fit, in several orders; what the search starts from."""

from __future__ import annotations

import math
import random
import time
from collections.abc import Callable, Container, Iterable, Mapping, Sequence

from apps.planning.solver.board import Board
from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Job, Plan, Problem

WARMTH = 25.0  # points of worth by which a plan may be worse, at first, to be gone on from
LUNCH_MOVES = 0.25  # how often somebody's lunch is moved on the way to a better plan
WALK_COSTS = 1.5  # points of worth that a minute of walking counts on the way to a better plan: saved, it makes room for another job


def decode(
    problem: Problem,
    order: Iterable[Job],
    teams: Mapping[str, tuple[str, ...]] | None = None,
    lunches: Mapping[str, int] | None = None,
) -> Board:
    """An order on the board: locked jobs first, then lunch, then one job after the other.

    teams: who keeps which job. lunches: from when on somebody has lunch, the earliest time there is when nothing is said.
    """
    board, order = Board(problem), list(order)
    workers = {w.key: w for w in problem.people}
    for job in order:
        if job.fixed:
            board.try_job(job)
    board.add_lunches(lunches or problem.lunches)
    for job in order:
        if not job.fixed:
            kept = (teams or {}).get(job.key)
            board.try_job(job, [workers[k] for k in kept] if kept else None)
    return board


def quick_plan(problem: Problem, *, seconds: float = 1.0, seed: int = 7, should_stop: Callable[[], bool] = lambda: False) -> Plan:
    """The best of some orders, then bettered for so long by taking a few neighbours out and putting others in."""
    areas: dict[str, int] = {}
    for j in problem.jobs:
        areas[j.area] = areas.get(j.area, 0) + j.value
    orders = [
        sorted(problem.jobs, key=lambda j: (not j.is_must, -_worth(j))),
        sorted(problem.jobs, key=lambda j: (not j.is_must, -areas[j.area], j.area, -_worth(j))),
        sorted(problem.jobs, key=lambda j: (not j.is_must, -j.value)),
    ]
    best = max((decode(problem, order).plan() for order in orders), key=lambda plan: _rank(problem, plan))
    return _lunch_soon(problem, _better(problem, best, seconds, random.Random(seed), should_stop)) if problem.jobs else best


def _lunch_soon(problem: Problem, plan: Plan) -> Plan:
    """The same plan with each lunch as early as what comes before it allows: nobody waits for lunch."""
    lunches = dict(plan.lunches)
    for w in problem.people:
        if w.lunch is None or w.key not in lunches:
            continue
        stops = [
            (start + job.tasks[n], job.area)
            for job in problem.jobs
            if job.key in plan.placed and w.key in plan.placed[job.key].people
            for n, start in enumerate(plan.placed[job.key].starts)
            if start < lunches[w.key]
        ]
        free = max((end + problem.way(area, problem.base) for end, area in stops), default=w.start)
        lunches[w.key] = min(lunches[w.key], max(w.lunch[0], free))
    made = Plan(plan.placed, lunches)
    # What changes hands at lunch may hang on when lunch is.
    return made if len(find_breaches(problem, made)) <= len(find_breaches(problem, plan)) else plan


def _better(problem: Problem, best: Plan, seconds: float, chance: random.Random, should_stop: Callable[[], bool]) -> Plan:
    """Ruin and recreate: jobs near each other are taken out, the rest drawn together, and the most worthy put in again."""
    musts = {j.key for j in problem.jobs if j.is_must}
    current, began = best, time.monotonic()
    top = _rank(problem, best)
    score = (top[0], -math.inf)
    while (spent := time.monotonic() - began) < seconds and not should_stop():
        board = recreated(problem, current, chance, first=musts)
        plan = board.plan()
        worth = _rank(problem, plan)
        rank = (worth[0], worth[1] - WALK_COSTS * board.walk())
        warmth = WARMTH * max(0.0, 1 - spent / seconds)
        if rank[0] >= score[0] and (rank[1] >= score[1] or chance.random() < math.exp((rank[1] - score[1]) / max(warmth, 1e-6))):
            current, score = plan, rank
        if worth > top:
            best, top = plan, worth
    return best


def recreated(problem: Problem, plan: Plan, chance: random.Random, *, first: Container[str]) -> Board:
    """A plan ruined and made anew: jobs near each other are taken out, the rest drawn together, and the most worthy put in again.

    first: of what is put in, what comes before the others.
    """
    kept = _sequence(problem, plan, _neighbours(problem, plan, chance), chance)
    rest = [j for j in problem.jobs if j.key not in kept]
    rest.sort(key=lambda j: (j.key not in first, -_worth(j) * chance.uniform(0.6, 1.4)))
    lunches = _lunches(problem, plan, chance)
    return decode(problem, [*(problem.index[k] for k in kept), *rest], {k: plan.placed[k].people for k in kept}, lunches)


def _sequence(problem: Problem, plan: Plan, out: set[str], chance: random.Random) -> list[str]:
    """What stays in a plan, in its order; now and then one person's jobs gathered by area, or one area's jobs moved in the day."""
    kept = sorted((k for k in plan.placed if k not in out), key=lambda k: plan.placed[k].starts[0])
    kind = chance.random()
    if kind < 0.4 or not kept:
        return kept
    person = chance.choice(problem.people).key
    mine = [k for k in kept if person in plan.placed[k].people and not problem.index[k].fixed]
    if len(mine) < 2:
        return kept
    areas = list(dict.fromkeys(problem.index[k].area for k in mine))
    if kind < 0.6:
        i = chance.randrange(len(mine))
        mine.insert(chance.randrange(len(mine)), mine.pop(i))
    else:
        if kind > 0.8:
            i = chance.randrange(len(areas))
            areas.insert(chance.randrange(len(areas)), areas.pop(i))
        mine.sort(key=lambda k: areas.index(problem.index[k].area))
    moved = iter(mine)
    taken = set(mine)
    return [next(moved) if k in taken else k for k in kept]


def _lunches(problem: Problem, plan: Plan, chance: random.Random) -> dict[str, int]:
    """When each has lunch: as in the plan, now and then sooner or later, so that what comes before it fits without a rest."""
    out = dict(plan.lunches)
    eaters = [w for w in problem.people if w.lunch]
    if eaters and chance.random() < LUNCH_MOVES:
        w = chance.choice(eaters)
        if w.lunch:
            out[w.key] = chance.randint(w.lunch[0], w.lunch[1])
    return out


def _neighbours(problem: Problem, plan: Plan, chance: random.Random) -> set[str]:
    """Some jobs near each other: of an area, of one person's stretch of the day, of everybody's stretch about a place, or any."""
    placed = [k for k in plan.placed if not problem.index[k].fixed]
    if not placed:
        return set()
    kind, many = chance.random(), chance.randint(1, 5)
    seed = chance.choice(placed)
    if kind < 0.2:
        near = [k for k in placed if problem.index[k].area == problem.index[seed].area]
    elif kind < 0.45:
        return set(_stretch(plan, placed, plan.placed[seed].people[0], seed, many))
    elif kind < 0.9:
        return _stretches(problem, plan, placed, seed, chance)
    else:
        near = placed
    return set(chance.sample(near, min(many, len(near))))


def _stretch(plan: Plan, placed: Sequence[str], person: str, seed: str, many: int) -> list[str]:
    """The jobs of one person nearest in time to a job."""
    at = plan.placed[seed].starts[0]
    mine = [k for k in placed if person in plan.placed[k].people]
    return sorted(mine, key=lambda k: abs(plan.placed[k].starts[0] - at))[:many]


def _stretches(problem: Problem, plan: Plan, placed: Sequence[str], seed: str, chance: random.Random) -> set[str]:
    """About a place, a stretch of the day of each of some people: what they do there may change hands as a whole."""
    area = problem.index[seed].area
    out: set[str] = set()
    people = [w.key for w in problem.people]
    chance.shuffle(people)
    for person in people[: chance.randint(1, len(people))]:
        mine = [k for k in placed if person in plan.placed[k].people]
        if mine:
            nearest = min(mine, key=lambda k: (problem.way(area, problem.index[k].area), chance.random()))
            out.update(_stretch(plan, placed, person, nearest, chance.randint(1, 4)))
    return out


def _worth(j: Job) -> float:
    return j.value / (j.people * (j.attention + 4))


def _rank(problem: Problem, plan: Plan) -> tuple[int, float]:
    """Jobs that must be done first, then worth; among equals the plan that is over sooner."""
    musts = sum(1 for j in problem.jobs if (j.is_must or j.fixed) and j.key in plan.placed)
    return musts, plan.value(problem) - sum(at.starts[-1] for at in plan.placed.values()) / 1e5
