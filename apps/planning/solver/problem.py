"""A round as the solver sees it. Times are whole minutes from midnight."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

HERE = 2  # minutes from one instrument to the next in the same area
MORNING, AFTERNOON = 0, 1
SLACK = 90  # how much longer than needed a warm-up or soak may be left alone


@dataclass(frozen=True)
class Fixed:
    """Who does a job and when its tasks start, not to be moved."""

    people: tuple[str, ...]
    starts: tuple[int, ...]


@dataclass(frozen=True)
class GasNeed:
    """Litres from one of some bottles."""

    bottles: tuple[str, ...]
    litres: float


@dataclass(frozen=True)
class Job:
    """One instrument. tasks: minutes of attention; waits: least minutes between them, when nobody is needed.

    hold_from: the task with which its hold begins; groups: holds of one group may not coincide. kit: for each need the
    items that would do. window: within which it must lie, as a permit allows.
    """

    key: str
    area: str
    value: int
    tasks: tuple[int, ...]
    waits: tuple[int, ...] = ()
    slack: int = SLACK
    hold_from: int = 0
    people: int = 1
    skills: frozenset[str] = frozenset()
    window: tuple[int, int] | None = None
    groups: tuple[str, ...] = ()
    kit: tuple[tuple[str, ...], ...] = ()
    gas: tuple[GasNeed, ...] = ()
    is_must: bool = False
    fixed: Fixed | None = None

    @property
    def attention(self) -> int:
        """Minutes of one person's attention."""
        return sum(self.tasks)

    @property
    def least(self) -> int:
        """Minutes from its first task to its end when nothing delays it."""
        return self.attention + sum(self.waits)


@dataclass(frozen=True)
class Worker:
    """Somebody on the round. lunch: (not before, not after as a start, minutes), taken at the base."""

    key: str
    start: int
    end: int
    skills: frozenset[str] = frozenset()
    lunch: tuple[int, int, int] | None = None


@dataclass(frozen=True)
class Problem:
    """People, jobs, the way between areas, and the litres in each bottle that may be used (what must be spared taken off).

    Kit is with whoever leads the jobs it is used for, in the morning with one and after lunch with another: it changes hands at the base, where lunch is,
    no later than the other goes on from there.
    """

    people: tuple[Worker, ...]
    jobs: tuple[Job, ...]
    ways: Mapping[tuple[str, str], int]
    base: str
    litres: Mapping[str, float] = field(default_factory=dict)
    now: int = 0
    lunches: Mapping[str, int] = field(default_factory=dict)  # as they were planned before: what is fixed may rest on them

    def way(self, a: str, b: str) -> int:
        """Minutes from one area to another."""
        return HERE if a == b else self.ways.get((a, b), self.ways.get((b, a), 10))

    @cached_property
    def index(self) -> Mapping[str, Job]:
        """The jobs by key."""
        return {j.key: j for j in self.jobs}

    def all_ways(self) -> dict[tuple[str, str], int]:
        """The minutes between every two areas of the problem."""
        places = {self.base, *(j.area for j in self.jobs)}
        return {(a, b): self.way(a, b) for a in places for b in places}

    def job(self, key: str) -> Job:
        """The job of that key."""
        return self.index[key]

    def may(self, worker: Worker, job: Job) -> bool:
        """Whether somebody is qualified for a job."""
        return job.skills <= worker.skills


@dataclass(frozen=True)
class Placed:
    """A job in a plan: the start of each task, who does it, and with what."""

    starts: tuple[int, ...]
    people: tuple[str, ...]
    kit: tuple[str, ...] = ()
    bottles: tuple[str, ...] = ()

    def end(self, job: Job) -> int:
        """When its last task ends."""
        return self.starts[-1] + job.tasks[-1]

    def halves(self, job: Job, lunch: int | None) -> tuple[int, ...]:
        """The halves of the day, before and after the lunch of who leads it, in which it needs its kit; both where there is no lunch between."""
        if lunch is None:
            return MORNING, AFTERNOON
        return (MORNING,) if self.end(job) <= lunch else (AFTERNOON,) if self.starts[0] >= lunch else (MORNING, AFTERNOON)

    def hold(self, job: Job) -> tuple[int, int]:
        """From when to when it is on hold."""
        return self.starts[job.hold_from], self.end(job)


@dataclass(frozen=True)
class Plan:
    """What is done, by job; and when each has lunch."""

    placed: Mapping[str, Placed]
    lunches: Mapping[str, int]

    def value(self, problem: Problem) -> int:
        """The worth of the jobs in it."""
        return sum(j.value for j in problem.jobs if j.key in self.placed)


def clock(minutes: int) -> str:
    """Minutes from midnight as 07:30."""
    return f"{minutes // 60:02d}:{minutes % 60:02d}"
