"""Rounds of a size that is promised, drawn by a seed on the plan of the demonstration plant: how soon, and how near the bound."""

from __future__ import annotations

import math
import random
import time
from dataclasses import dataclass, replace

from apps.planning.solver.build import build_round
from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import GasNeed, Job, Plan, Problem, Worker
from apps.planning.solver.walking import days, shortest_tour, stops_of, unevenness, walked_share
from apps.planning.solver.why import find_clash
from demo.plant import AREAS

GAS = frozenset({"gas work"})


@dataclass(frozen=True)
class Trial:
    """What one round came to. first_s: until a plan was there; gap: a share of the bound; breaches: rules the plan breaks."""

    first_s: float
    gap: float
    jobs: int
    seconds: float
    breaches: int


def make_problem(seed: int, jobs: int = 60, people: int = 3) -> Problem:
    """More work than a shift holds: transmitters with and without warm-up, gas detectors that vote, some with a permit or for two."""
    draw = random.Random(seed)
    places = {code: (east, north) for code, _, _, east, north in AREAS}
    ways = {(a, b): max(3, 1 + math.ceil(math.dist(places[a], places[b]) / 70)) for a in places for b in places if a != b}
    made = []
    for n in range(jobs):
        gas, warm = draw.random() < 0.2, draw.random() < 0.3
        tasks = (draw.choice((6, 9)), draw.choice((22, 28, 34))) if warm else (draw.choice((24, 30, 36)),)
        made.append(
            Job(
                f"J{n}",
                draw.choice([a for a in places if a != "WSH"]),
                draw.choice((60, 75, 100, 125, 160, 210)),
                tasks,
                (draw.choice((15, 20, 30)),) if warm else (),
                hold_from=len(tasks) - 1,
                people=2 if draw.random() < 0.04 else 1,
                skills=GAS if gas else frozenset(),
                window=(480, 900) if draw.random() < 0.2 else None,
                groups=(f"V{draw.randrange(4)}",) if gas else (),
                kit=() if gas else (("C1", "C2", "C3", "C4"),),
                gas=(GasNeed(("B1", "B2", "B3"), draw.choice((6.0, 9.0))),) if gas else (),
            )
        )
    crew = tuple(Worker(f"P{n}", 450, 930, GAS if n != people - 1 else frozenset(), (690, 780, 30)) for n in range(people))
    return Problem(crew, tuple(made), ways, "WSH", {"B1": 60.0, "B2": 40.0, "B3": 30.0})


def run_trial(seed: int, seconds: float) -> Trial:
    """Build one round and look at every rule once more."""
    problem = make_problem(seed)
    first: list[float] = []

    def tell(_plan: Plan, _value: int, _bound: float, spent: float) -> None:
        first.append(spent)

    built = build_round(problem, seconds=seconds, on_better=tell)
    assert built.plan is not None
    return Trial(first[0], built.gap, len(built.plan.placed), built.seconds, len(find_breaches(problem, built.plan)))


def run_walking(jobs: int, seconds: float, seeds: tuple[int, ...] = (1, 2, 3)) -> tuple[float, float, int]:
    """Rounds of so many jobs: walking beside the shortest tours with the way back for lunch, the same without it, and minutes from the longest to the
    shortest day; of each the worst.
    """
    shares, plain, uneven = [], [], []
    for seed in seeds:
        problem = make_problem(seed, jobs=jobs)
        plan = build_round(problem, seconds=seconds).plan
        assert plan is not None
        tours = sum(
            shortest_tour(problem, frozenset(at for _, _, at in stops_of(problem, plan, w.key)) - {problem.base}) for w in problem.people
        )
        shares.append(walked_share(problem, plan))
        plain.append(sum(d.walked for d in days(problem, plan).values()) / tours)
        uneven.append(unevenness(problem, plan))
    return max(shares), max(plain), max(uneven)


def explain_seconds(seed: int = 5) -> float:
    """Seconds until the smallest clash of a round that can't be done is told: more musts than a permit's window holds."""
    problem = make_problem(seed, jobs=20)
    musts = tuple(replace(j, is_must=True, window=(480, 560), area="RO") if n < 9 else j for n, j in enumerate(problem.jobs))
    hard = replace(problem, jobs=musts)
    began = time.monotonic()
    told = find_clash(hard)
    assert told, "it can be done"
    return time.monotonic() - began
