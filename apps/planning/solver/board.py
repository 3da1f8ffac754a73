"""A plan being made: everybody's day with what stands in it, and where one more job still fits."""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations

from apps.planning.solver.problem import AFTERNOON, HERE, MORNING, Job, Placed, Plan, Problem, Worker

STEP = 5
WALK = 9.0  # what a minute of walking counts against ten minutes later in the day
DAY = 24 * 60
Block = tuple[int, int, str]
Window = tuple[int, int]  # between when a job must lie
Things = tuple[tuple[str, ...], tuple[str, ...]]  # kit and bottles that a job is done with


@dataclass
class Board:
    """A plan being made."""

    problem: Problem
    blocks: dict[str, list[Block]] = field(default_factory=dict)
    lunches: dict[str, int] = field(default_factory=dict)
    placed: dict[str, Placed] = field(default_factory=dict)
    owners: dict[tuple[str, int], str] = field(default_factory=dict)  # who has an item, by half of the day
    litres: dict[str, float] = field(default_factory=dict)
    holds: dict[str, list[tuple[int, int]]] = field(default_factory=dict)
    free: dict[str, int] = field(default_factory=dict)  # minutes of each shift that nothing stands in, walking not counted
    widest: dict[str, int] = field(default_factory=dict)  # the longest stretch of each shift between two stops, as far as it is known

    def __post_init__(self) -> None:
        self.litres = dict(self.problem.litres)
        for w in self.problem.people:
            self.blocks[w.key] = []
            self.free[w.key] = w.end - w.start
        self.way = self.problem.all_ways()

    def add_lunches(self, wished: Mapping[str, int]) -> None:
        """Give everybody lunch at the first moment that is free, from when it is wished on."""
        for w in self.problem.people:
            if w.lunch:
                after = min(max(w.lunch[0], wished.get(w.key, 0)), w.lunch[1])
                at = self.fit(w, w.lunch[2], self.problem.base, after)
                if at is None or at > w.lunch[1]:
                    at = self.fit(w, w.lunch[2], self.problem.base, w.lunch[0])
                if at is not None and at <= w.lunch[1]:
                    self.lunches[w.key] = at
                    self._put(w.key, (at, at + w.lunch[2], self.problem.base))
        for key, placed in list(self.placed.items()):  # in which half of the day a locked job lies is known only now
            self._equip(self.problem.index[key], placed)

    def _widest(self, worker: Worker) -> int:
        """Minutes of the longest stretch in which nothing stands; looked up once until something is put there or taken away."""
        found = self.widest.get(worker.key)
        if found is None:
            found, free_from = 0, worker.start
            for start, end, _ in self.blocks[worker.key]:
                found, free_from = max(found, start - free_from), max(free_from, end)
            found = self.widest[worker.key] = max(found, worker.end - free_from)
        return found

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
        """Put a job where it adds the least walking, early rather than late; whether it fitted.

        team: they do it, at the first moment there is, so that what is kept of a plan keeps its order.
        """
        if job.fixed:
            return self._put_fixed(job)
        if team:
            return self._keep(job, team)
        best: tuple[float, Placed] | None = None
        able = [w for w in self.problem.people if self.problem.may(w, job)]
        longest = max(job.tasks) + 2 * HERE  # with the shortest ways there and on
        for those in combinations(able, job.people):
            if any(self.free[w.key] < job.attention + HERE * len(job.tasks) for w in those):
                continue
            if any(self._widest(w) < longest for w in those):
                continue
            for things, window in self._equipped(job, those[0].key):
                for starts, walk in self._options(job, those, window):
                    cost = WALK * walk + starts[-1] / 10
                    if best is None or cost < best[0]:
                        best = cost, Placed(starts, tuple(w.key for w in those), *things)
        if best is None:
            return False
        self._take(job, best[1])
        return True

    def _keep(self, job: Job, team: Sequence[Worker]) -> bool:
        for things, window in self._equipped(job, team[0].key):
            starts = self._starts(job, team, window)
            if starts is not None:
                self._take(job, Placed(starts, tuple(w.key for w in team), *things))
                return True
        return False

    def _options(self, job: Job, team: Sequence[Worker], window: Window) -> Iterator[tuple[tuple[int, ...], int]]:
        """Ways to place a job: every gap for one stop of one person, else the first that holds."""
        if len(team) > 1 or len(job.tasks) > 1 or job.groups:
            starts = self._starts(job, team, window)
            if starts:
                walk = next((w for at, w in self.fits(team[0], job.tasks[0], job.area, starts[0]) if at == starts[0]), 0)
                yield starts, walk
            return
        after, until = window
        for at, walk in self.fits(team[0], job.tasks[0], job.area, after, until - job.tasks[0]):
            yield (at,), walk

    def _equipped(self, job: Job, person: str) -> Iterator[tuple[Things, Window]]:
        """What a job would be done with, and between when: at any time where all of it is free all day, else before lunch, else after it."""
        after = max(self.problem.now, job.window[0] if job.window else 0)
        until = job.window[1] if job.window else DAY
        whole = self._things(job, person, (MORNING, AFTERNOON))
        if whole is not None:
            yield whole, (after, until)
            return
        lunch = self.lunches.get(person)
        if lunch is None:
            return
        for half, window in ((MORNING, (after, min(until, lunch))), (AFTERNOON, (max(after, lunch), until))):
            things = self._things(job, person, (half,))
            if things is not None and window[0] < window[1]:
                yield things, window

    def _things(self, job: Job, person: str, halves: tuple[int, ...]) -> Things | None:
        kit: list[str] = []
        for need in job.kit:
            free = [i for i in need if self._has(i, person, halves)]
            if not free:
                return None
            kit.append(min(free, key=lambda i: (not self._is_out(i), i not in kit)))
        bottles: list[str] = []
        left = dict(self.litres)
        for gas in job.gas:
            usable = [b for b in gas.bottles if left.get(b, 0.0) >= gas.litres and self._has(b, person, halves)]
            if not usable:
                return None
            bottles.append(min(usable, key=lambda b: (not self._is_out(b), b)))
            left[bottles[-1]] -= gas.litres
        return tuple(kit), tuple(bottles)

    def _is_out(self, item: str) -> bool:
        return (item, MORNING) in self.owners or (item, AFTERNOON) in self.owners

    def _has(self, item: str, person: str, halves: tuple[int, ...]) -> bool:
        """Whether somebody may have an item in some halves of the day: nobody else does, and it changes hands in time."""
        if any(self.owners.get((item, half), person) != person for half in halves):
            return False
        if len(halves) > 1:
            return True
        other = self.owners.get((item, 1 - halves[0]), person)
        giver, taker = (person, other) if halves[0] == MORNING else (other, person)
        return giver == taker or (giver in self.lunches and self.lunches[giver] <= self._on_from(taker))

    def _on_from(self, person: str) -> int:
        """When somebody goes on from lunch; before all others where there is none."""
        minutes = next((w.lunch[2] for w in self.problem.people if w.key == person and w.lunch), 0)
        return self.lunches[person] + minutes if person in self.lunches else -1

    def _starts(self, job: Job, team: Sequence[Worker], window: Window) -> tuple[int, ...] | None:
        after, until = window
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
                    self.widest.pop(w.key, None)
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
        """Where it is locked; with what, is settled once lunch is."""
        assert job.fixed is not None
        self._stand(job, Placed(job.fixed.starts, job.fixed.people))
        return True

    def _equip(self, job: Job, at: Placed) -> None:
        things = self._things(job, at.people[0], at.halves(job, self.lunches.get(at.people[0])))
        if things is not None:
            self._give(job, Placed(at.starts, at.people, *things))

    def _take(self, job: Job, at: Placed) -> None:
        self._stand(job, at)
        self._give(job, at)

    def _give(self, job: Job, at: Placed) -> None:
        self.placed[job.key] = at
        for half in at.halves(job, self.lunches.get(at.people[0])):
            for item in (*at.kit, *at.bottles):
                self.owners[item, half] = at.people[0]
        for bottle, need in zip(at.bottles, job.gas, strict=True):
            self.litres[bottle] -= need.litres

    def _stand(self, job: Job, at: Placed) -> None:
        self.placed[job.key] = at
        for person in at.people:
            for n, s in enumerate(at.starts):
                self._put(person, (s, s + job.tasks[n], job.area))
        for group in job.groups:
            self.holds.setdefault(group, []).append(at.hold(job))

    def _put(self, person: str, block: Block) -> None:
        insort(self.blocks[person], block)
        self.widest.pop(person, None)
        self.free[person] -= block[1] - block[0]

    def walk(self) -> int:
        """Minutes of walking in all days."""
        total = 0
        for blocks in self.blocks.values():
            place = self.problem.base
            for _, _, area in blocks:
                total += self.way[place, area]
                place = area
            total += self.way[place, self.problem.base] if blocks else 0
        return total

    def plan(self) -> Plan:
        """The plan as it stands; lunches of those who have work."""
        busy = {p for at in self.placed.values() for p in at.people}
        return Plan(dict(self.placed), {k: v for k, v in self.lunches.items() if k in busy})
