"""A good plan at once: jobs put in one by one where they fit, in several orders; what the search starts from."""

from __future__ import annotations

import math
import random
import time
from bisect import insort
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

from apps.planning.solver.problem import HERE, Job, Placed, Plan, Problem, Worker

STEP = 5
WARMTH = 15.0  # points of worth by which a plan may be worse, at first, to be gone on from
WALK = 6.0  # what a minute of walking counts against ten minutes later in the day
DAY = 24 * 60
Block = tuple[int, int, str]


@dataclass
class Board:
    """A plan being made."""

    problem: Problem
    blocks: dict[str, list[Block]] = field(default_factory=dict)
    lunches: dict[str, int] = field(default_factory=dict)
    placed: dict[str, Placed] = field(default_factory=dict)
    owners: dict[str, str] = field(default_factory=dict)
    litres: dict[str, float] = field(default_factory=dict)
    holds: dict[str, list[tuple[int, int]]] = field(default_factory=dict)
    free: dict[str, int] = field(default_factory=dict)  # minutes of each shift that nothing stands in, walking not counted

    def __post_init__(self) -> None:
        self.litres = dict(self.problem.litres)
        for w in self.problem.people:
            self.blocks[w.key] = []
            self.free[w.key] = w.end - w.start
        self.way = self.problem.all_ways()

    def add_lunches(self) -> None:
        """Give everybody lunch at the first moment that is free."""
        for w in self.problem.people:
            if w.lunch:
                at = self.fit(w, w.lunch[2], self.problem.base, w.lunch[0])
                if at is not None and at <= w.lunch[1]:
                    self.lunches[w.key] = at
                    self._put(w.key, (at, at + w.lunch[2], self.problem.base))

    def fits(self, worker: Worker, minutes: int, area: str, after: int, until: int = DAY) -> Iterator[tuple[int, int]]:
        """Every gap of somebody's day in which a stop fits: its first start there, and the minutes of walking it adds."""
        way, base = self.way, self.problem.base
        free_from, place = worker.start, base
        for start, end, where in self.blocks[worker.key]:
            if start > after:
                at = max(after, free_from + way[place, area])
                if at + minutes + way[area, where] <= start:
                    if at > until:
                        return
                    yield at, way[place, area] + way[area, where] - way[place, where]
            free_from, place = end, where
        at = max(after, free_from + way[place, area])
        if at <= until and at + minutes + way[area, base] <= worker.end:
            yield at, way[place, area] + way[area, base] - (way[place, base] if self.blocks[worker.key] else 0)

    def fit(self, worker: Worker, minutes: int, area: str, after: int) -> int | None:
        """The first start not before `after` at which somebody can be at a place for so long."""
        return next((at for at, _ in self.fits(worker, minutes, area, after)), None)

    def _fit_all(self, workers: Sequence[Worker], minutes: int, area: str, after: int) -> int | None:
        at = after
        while at < DAY:
            found = [self.fit(w, minutes, area, at) for w in workers]
            if any(f is None for f in found):
                return None
            latest = max(f for f in found if f is not None)
            if latest == at or all(f == latest for f in found):
                return latest
            at = latest
        return None

    def try_job(self, job: Job, team: Sequence[Worker] | None = None) -> bool:
        """Put a job where it adds the least walking, early rather than late; whether it fitted. team: only these may do it."""
        if job.fixed:
            return self._put_fixed(job)
        best: tuple[float, tuple[int, ...], Sequence[Worker], tuple[str, ...], tuple[str, ...]] | None = None
        able = [w for w in self.problem.people if self.problem.may(w, job)]
        for those in [team] if team else combinations(able, job.people):
            if any(self.free[w.key] < job.attention + HERE * len(job.tasks) for w in those):
                continue
            things = self._things(job, those[0].key)
            if things is None:
                continue
            for starts, walk in self._options(job, those):
                cost = WALK * walk + starts[-1] / 10
                if best is None or cost < best[0]:
                    best = (cost, starts, those, *things)
        if best is None:
            return False
        self._take(job, Placed(best[1], tuple(w.key for w in best[2]), best[3], best[4]))
        return True

    def _options(self, job: Job, team: Sequence[Worker]) -> Iterator[tuple[tuple[int, ...], int]]:
        """Ways to place a job: every gap for one stop of one person, else the first that holds."""
        if len(team) > 1 or len(job.tasks) > 1 or job.groups:
            starts = self._starts(job, team)
            if starts:
                walk = next((w for at, w in self.fits(team[0], job.tasks[0], job.area, starts[0]) if at == starts[0]), 0)
                yield starts, walk
            return
        after = max(self.problem.now, job.window[0] if job.window else 0)
        until = (job.window[1] if job.window else DAY) - job.tasks[0]
        for at, walk in self.fits(team[0], job.tasks[0], job.area, after, until):
            yield (at,), walk

    def _things(self, job: Job, person: str) -> tuple[tuple[str, ...], tuple[str, ...]] | None:
        kit: list[str] = []
        for need in job.kit:
            free = [i for i in need if self.owners.get(i, person) == person]
            if not free:
                return None
            kit.append(min(free, key=lambda i: (i not in self.owners, i not in kit)))
        bottles: list[str] = []
        left = dict(self.litres)
        for gas in job.gas:
            usable = [b for b in gas.bottles if self.owners.get(b, person) == person and left.get(b, 0.0) >= gas.litres]
            if not usable:
                return None
            bottles.append(min(usable, key=lambda b: (b not in self.owners, b)))
            left[bottles[-1]] -= gas.litres
        return tuple(kit), tuple(bottles)

    def _starts(self, job: Job, team: Sequence[Worker]) -> tuple[int, ...] | None:
        after = max(self.problem.now, job.window[0] if job.window else 0)
        until = job.window[1] if job.window else DAY
        while after < until:
            first = self._fit_all(team, job.tasks[0], job.area, after)
            if first is None or first + job.least > until:
                return None
            starts = self._rest(job, team, first)
            if starts is None:
                after = first + STEP
                continue
            clash = self._clash(job, starts)
            if clash is None:
                return starts if starts[-1] + job.tasks[-1] <= until else None
            after = max(first + 1, clash - sum((*job.tasks[: job.hold_from], *job.waits[: job.hold_from])))
        return None

    def _rest(self, job: Job, team: Sequence[Worker], first: int) -> tuple[int, ...] | None:
        starts = [first]
        own: list[Block] = [(first, first + job.tasks[0], job.area)]
        for n, wait in enumerate(job.waits):
            ready = starts[-1] + job.tasks[n] + wait
            for w in team:
                for b in own:
                    self._put(w.key, b)
            at = self._fit_all(team, job.tasks[n + 1], job.area, ready)
            for w in team:
                for b in own:
                    self.blocks[w.key].remove(b)
                    self.free[w.key] += b[1] - b[0]
            if at is None or at > ready + job.slack:
                return None
            starts.append(at)
            own.append((at, at + job.tasks[n + 1], job.area))
        return tuple(starts)

    def _clash(self, job: Job, starts: tuple[int, ...]) -> int | None:
        begin, end = starts[job.hold_from], starts[-1] + job.tasks[-1]
        ends = [e for g in job.groups for s, e in self.holds.get(g, []) if s < end and begin < e]
        return max(ends) if ends else None

    def _put_fixed(self, job: Job) -> bool:
        assert job.fixed is not None
        things = self._things(job, job.fixed.people[0])
        self._take(job, Placed(job.fixed.starts, job.fixed.people, *(things or ((), ()))))
        return things is not None

    def _take(self, job: Job, at: Placed) -> None:
        self.placed[job.key] = at
        for person in at.people:
            for n, s in enumerate(at.starts):
                self._put(person, (s, s + job.tasks[n], job.area))
        for group in job.groups:
            self.holds.setdefault(group, []).append(at.hold(job))
        for item in (*at.kit, *at.bottles):
            self.owners[item] = at.people[0]
        for bottle, need in zip(at.bottles, job.gas, strict=True):
            self.litres[bottle] -= need.litres

    def _put(self, person: str, block: Block) -> None:
        insort(self.blocks[person], block)
        self.free[person] -= block[1] - block[0]

    def plan(self) -> Plan:
        """The plan as it stands; lunches of those who have work."""
        busy = {p for at in self.placed.values() for p in at.people}
        return Plan(dict(self.placed), {k: v for k, v in self.lunches.items() if k in busy})


def decode(problem: Problem, order: Iterable[Job], teams: Mapping[str, tuple[str, ...]] | None = None) -> Plan:
    """The plan of an order: locked jobs first, then lunch, then one job after the other. teams: who keeps which job."""
    board, order = Board(problem), list(order)
    workers = {w.key: w for w in problem.people}
    for job in order:
        if job.fixed:
            board.try_job(job)
    board.add_lunches()
    for job in order:
        if not job.fixed:
            kept = (teams or {}).get(job.key)
            board.try_job(job, [workers[k] for k in kept] if kept else None)
    return board.plan()


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
    best = max((decode(problem, order) for order in orders), key=lambda plan: _rank(problem, plan))
    return _better(problem, best, seconds, random.Random(seed), should_stop) if problem.jobs else best


def _better(problem: Problem, best: Plan, seconds: float, chance: random.Random, should_stop: Callable[[], bool]) -> Plan:
    """Ruin and recreate: jobs near each other are taken out, the rest drawn together, and the most worthy put in again."""
    jobs = {j.key: j for j in problem.jobs}
    current, began = best, time.monotonic()
    score = top = _rank(problem, best)
    while (spent := time.monotonic() - began) < seconds and not should_stop():
        out = _neighbours(problem, current, chance)
        kept = _sequence(problem, current, out, chance)
        rest = [j for j in problem.jobs if j.key not in kept]
        rest.sort(key=lambda j: (not j.is_must, -_worth(j) * chance.uniform(0.6, 1.4)))
        plan = decode(problem, [*(jobs[k] for k in kept), *rest], {k: current.placed[k].people for k in kept})
        rank = _rank(problem, plan)
        warmth = WARMTH * max(0.0, 1 - spent / seconds)
        if rank[0] >= score[0] and (rank[1] >= score[1] or chance.random() < math.exp((rank[1] - score[1]) / max(warmth, 1e-6))):
            current, score = plan, rank
        if rank > top:
            best, top = plan, rank
    return best


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


def _neighbours(problem: Problem, plan: Plan, chance: random.Random) -> set[str]:
    """Some jobs near each other: of an area, of one person's stretch of the day, or any."""
    placed = [k for k in plan.placed if not problem.index[k].fixed]
    if not placed:
        return set()
    seed = plan.placed[chance.choice(placed)]
    area = problem.index[chance.choice(placed)].area
    many = chance.randint(1, 5)
    kind = chance.random()
    if kind < 0.4:
        near = [k for k in placed if problem.index[k].area == area]
    elif kind < 0.8:
        near = sorted(
            (k for k in placed if seed.people[0] in plan.placed[k].people), key=lambda k: abs(plan.placed[k].starts[0] - seed.starts[0])
        )
        return set(near[:many])
    else:
        near = placed
    return set(chance.sample(near, min(many, len(near))))


def _worth(j: Job) -> float:
    return j.value / (j.people * (j.attention + 4))


def _rank(problem: Problem, plan: Plan) -> tuple[int, float]:
    """Jobs that must be done first, then worth; among equals the plan that is over sooner."""
    musts = sum(1 for j in problem.jobs if (j.is_must or j.fixed) and j.key in plan.placed)
    return musts, plan.value(problem) - sum(at.starts[-1] for at in plan.placed.values()) / 1e5
