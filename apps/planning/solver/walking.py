"""How a plan is walked and shared: each person's way beside the shortest tour of the places they visit, and how long each day is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from apps.planning.solver.problem import Plan, Problem, Worker

EXACT_PLACES = 11  # of more the shortest tour is not worked out but bounded from below
EVEN_WITHIN = 60  # minutes that the longest day may be longer than the shortest


@dataclass(frozen=True)
class Day:
    """One person's day.

    walked: minutes between different places, from the base and back; tour: the least for these places, with the way back for lunch; length: until the
    last job is done and they are back.
    """

    walked: int
    tour: int
    length: int


def stops_of(problem: Problem, plan: Plan, person: str) -> list[tuple[int, int, str]]:
    """The stops of a person in their order: from, to, and where; lunch at the base among them."""
    out = [
        (start, start + job.tasks[n], job.area)
        for key, at in plan.placed.items()
        if person in at.people
        for job in (problem.job(key),)
        for n, start in enumerate(at.starts)
    ]
    lunch = plan.lunches.get(person)
    minutes = next((w.lunch[2] for w in problem.people if w.key == person and w.lunch), 0)
    return sorted([*out, *([(lunch, lunch + minutes, problem.base)] if lunch is not None and out else [])])


def walked_by(problem: Problem, plan: Plan, person: str) -> int:
    """Minutes that somebody walks between different places, from the base and back."""
    places = [problem.base, *(where for _, _, where in stops_of(problem, plan, person)), problem.base]
    return sum(problem.way(a, b) for a, b in pairwise(places) if a != b)


def walked(problem: Problem, plan: Plan) -> int:
    """Minutes that everybody walks."""
    return sum(walked_by(problem, plan, w.key) for w in problem.people)


def length_of(problem: Problem, plan: Plan, w: Worker) -> int:
    """Minutes until somebody's last job is done and they are back; lunch after it does not count."""
    eats = plan.lunches.get(w.key)
    work = [s for s in stops_of(problem, plan, w.key) if not (s[0] == eats and s[2] == problem.base)]
    return work[-1][1] + problem.way(work[-1][2], problem.base) - max(w.start, problem.now) if work else 0


def days(problem: Problem, plan: Plan) -> Mapping[str, Day]:
    """Everybody's day; of who has nothing to do, an empty one."""
    out = {}
    for w in problem.people:
        stops = stops_of(problem, plan, w.key)
        at = [where for _, _, where in stops]
        eats_between = problem.base in at[1:-1] and w.key in plan.lunches
        tour = shortest_tour(problem, frozenset(at) - {problem.base}, lunch=eats_between)
        out[w.key] = Day(walked_by(problem, plan, w.key), tour, length_of(problem, plan, w))
    return out


def walked_share(problem: Problem, plan: Plan) -> float:
    """All that is walked beside the shortest tours of the places visited; 1 where nobody goes anywhere."""
    found = days(problem, plan).values()
    tours = sum(d.tour for d in found)
    return sum(d.walked for d in found) / tours if tours else 1.0


def unevenness(problem: Problem, plan: Plan) -> int:
    """Minutes from the shortest to the longest day."""
    lengths = [length_of(problem, plan, w) for w in problem.people]
    return max(lengths) - min(lengths) if lengths else 0


def shortest_tour(problem: Problem, places: frozenset[str], *, lunch: bool = False) -> int:
    """The least minutes from the base through places and back (Held and Karp 1962); of more than EXACT_PLACES no more than that.

    lunch: with one way back to the base between them, for who works before and after it.
    """
    todo = sorted(places)
    if not todo:
        return 0
    if len(todo) > EXACT_PLACES:
        return _no_less(problem, todo)
    closed = _closed_tours(problem, todo)
    full = (1 << len(todo)) - 1
    if not lunch:
        return closed[full]
    if len(todo) == 1:
        return 2 * closed[full]
    return min(closed[m] + closed[full ^ m] for m in range(1, full))


def _closed_tours(problem: Problem, todo: list[str]) -> dict[int, int]:
    """For every choice of places, as a mask, the shortest way from the base through them and back."""
    best: dict[tuple[int, int], int] = {(1 << n, n): problem.way(problem.base, p) for n, p in enumerate(todo)}
    closed: dict[int, int] = {}
    for mask in range(1, 1 << len(todo)):
        for last in range(len(todo)):
            here = best.get((mask, last))
            if here is None:
                continue
            closed[mask] = min(closed.get(mask, 1 << 30), here + problem.way(todo[last], problem.base))
            for n, place in enumerate(todo):
                if not mask & (1 << n):
                    key = (mask | (1 << n), n)
                    best[key] = min(best.get(key, 1 << 30), here + problem.way(todo[last], place))
    return closed


def _no_less(problem: Problem, todo: list[str]) -> int:
    """What no tour is shorter than: each place is come to and left, at the least by its two nearest ways."""
    places = [problem.base, *todo]
    near = [sorted(problem.way(a, b) for b in places if b != a)[:2] for a in places]
    return (sum(map(sum, near)) + 1) // 2
