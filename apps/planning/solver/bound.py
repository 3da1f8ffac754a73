"""How much any round could be worth at most: the same people, jobs, kit and gas, but with all waiting and clock times let go.

What is left is easier and can only be worth more: who does what, and the shortest walk through the areas that each must see.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from itertools import product

from ortools.sat.python import cp_model

from apps.planning.solver.problem import AFTERNOON, HERE, MORNING, Problem

Half = dict[tuple[str, int], cp_model.IntVar]


def shortest_ways(problem: Problem) -> dict[tuple[str, str], int]:
    """The ways between areas less the step that each stop takes anyhow, every detour that is shorter taken: no walk is below them."""
    ways = {pair: max(0, minutes - HERE) for pair, minutes in problem.all_ways().items()}
    places = sorted({a for a, _ in ways})
    for via in places:
        for a in places:
            for b in places:
                if via not in (a, b) and a != b:
                    ways[a, b] = min(ways[a, b], ways[a, via] + ways[via, b])
    return ways


class BoundModel:
    """The relaxed problem. A day has two halves, before and after lunch; each begins and ends at the base."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.model = problem, cp_model.CpModel()
        m, many = self.model, len(problem.people)
        self.does = {(j.key, n): m.new_bool_var("") for j in problem.jobs for n in range(many)}
        self.present = {j.key: m.new_bool_var("") for j in problem.jobs}
        for j in problem.jobs:
            m.add(sum(self.does[j.key, n] for n in range(many)) == j.people * self.present[j.key])
            for n, w in enumerate(problem.people):
                if not problem.may(w, j):
                    m.add(self.does[j.key, n] == 0)
            if j.is_must or j.fixed:
                m.add(self.present[j.key] == 1)
            if j.fixed:
                for n, w in enumerate(problem.people):
                    m.add(self.does[j.key, n] == (w.key in j.fixed.people))
        ways = shortest_ways(problem)
        self.halves: list[list[Half]] = []  # of everybody's day: which tasks lie in it
        for n in range(many):
            self.halves.append(self._day(n, ways))
        self._things()
        m.maximize(sum(j.value * self.present[j.key] for j in problem.jobs))

    def _day(self, n: int, ways: Mapping[tuple[str, str], int]) -> list[Half]:
        m, worker = self.model, self.problem.people[n]
        mine = [j for j in self.problem.jobs if self.problem.may(worker, j)]
        halves: list[Half] = [{} for _ in range(2 if worker.lunch else 1)]
        for j in mine:
            for k in range(len(j.tasks)):
                for half in halves:
                    half[j.key, k] = m.new_bool_var("")
                m.add(sum(half[j.key, k] for half in halves) == self.does[j.key, n])
            for k in range(len(j.tasks) - 1):
                # A later task never lies in the half before that of an earlier one.
                m.add_implication(halves[0][j.key, k + 1], halves[0][j.key, k])
        if worker.lunch is None:
            self._half(halves[0], ways, worker.end - worker.start)
            return [halves[0], halves[0]]  # without lunch nothing changes hands
        lunch = m.new_int_var(max(worker.start, worker.lunch[0]), worker.lunch[1], "")
        self._half(halves[0], ways, lunch - worker.start)
        self._half(halves[1], ways, worker.end - worker.lunch[2] - lunch)
        return halves

    def _half(
        self, tasks: Mapping[tuple[str, int], cp_model.IntVar], ways: Mapping[tuple[str, str], int], room: cp_model.LinearExprT
    ) -> None:
        """The tasks of half a day with the shortest tour through their areas fit into its room."""
        m, p = self.model, self.problem
        areas = sorted({p.index[key].area for key, _ in tasks} - {p.base})
        sees = {a: m.new_bool_var("") for a in areas}
        places = [p.base, *areas]
        arcs, walk = [], []
        stays = m.new_bool_var("")
        for i, a in enumerate(places):
            for k, b in enumerate(places):
                lit = m.new_bool_var("") if i != k else sees[a].negated() if a != p.base else stays
                arcs.append((i, k, lit))
                if i != k:
                    walk.append(ways[a, b] * lit)
        m.add_circuit(arcs)
        for (key, _), lit in tasks.items():
            if p.index[key].area != p.base:
                m.add_implication(lit, sees[p.index[key].area])
        work = sum((p.index[key].tasks[k] + HERE) * lit for (key, k), lit in tasks.items())
        # Back to the base takes one more step, when somewhere else was gone to.
        m.add(work + sum(walk) + HERE * stays.negated() <= room)

    def _things(self) -> None:
        m, p, many = self.model, self.problem, len(self.problem.people)
        owner: dict[tuple[str, int, int], cp_model.IntVar] = {}
        drawn: dict[str, list[tuple[int, cp_model.IntVar]]] = {}

        def with_(item: str, n: int, half: int) -> cp_model.IntVar:
            if (item, n, half) not in owner:
                owner.update({(item, k, half): m.new_bool_var("") for k in range(many)})
                m.add_at_most_one(owner[item, k, half] for k in range(many))
            return owner[item, n, half]

        for j in p.jobs:
            for items, litres in [*((need, 0.0) for need in j.kit), *((g.bottles, g.litres) for g in j.gas)]:
                uses = {item: m.new_bool_var("") for item in items}
                m.add(sum(uses.values()) == self.present[j.key])
                for item, lit in uses.items():
                    if j.people == 1:
                        for n, half, k in product(range(many), (MORNING, AFTERNOON), range(len(j.tasks))):
                            here = self.halves[n][half].get((j.key, k))
                            if here is not None:
                                m.add_bool_or(lit.negated(), here.negated(), with_(item, n, half))
                    if litres:
                        drawn.setdefault(item, []).append((int(10 * litres), lit))
        for bottle, uses_ in drawn.items():
            m.add(sum(a * lit for a, lit in uses_) <= int(10 * p.litres.get(bottle, 0.0)))


def find_bound(problem: Problem, *, seconds: float, workers: int = 1, stop: Callable[[cp_model.CpSolver], None] = lambda s: None) -> float:
    """The most that a round could be worth; the worth of all jobs when there is no time to find less."""
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = max(0.1, seconds)
    solver.parameters.num_workers = workers
    solver.parameters.linearization_level = 2
    stop(solver)
    status = solver.solve(BoundModel(problem).model)
    everything = float(sum(j.value for j in problem.jobs))
    if status == cp_model.INFEASIBLE:
        return 0.0
    return min(everything, solver.best_objective_bound) if status != cp_model.MODEL_INVALID else everything
