"""The search for a better round, with a bound on how much better any round could be: one circuit through everybody's day."""

from __future__ import annotations

import os
import queue
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from ortools.sat.python import cp_model

from apps.planning.solver.problem import Job, Placed, Plan, Problem

DAY = 24 * 60
LOOK_S = 0.1
WORTH = 20  # one point of a job's worth against one minute of somebody's day
WORKERS = min(8, os.cpu_count() or 2)


@dataclass(frozen=True)
class Outcome:
    """What the search came to. bound: no round is worth more; gap: how far below it the plan is, a share."""

    plan: Plan | None
    value: int
    bound: float
    gap: float
    seconds: float
    is_best: bool
    is_impossible: bool = False


@dataclass(frozen=True)
class _Node:
    """A stop: a task of a job for one of its people, or a lunch."""

    area: str
    minutes: int
    start: cp_model.IntVar
    person: cp_model.IntVar | int
    here: Any  # whether it is part of the round
    label: tuple[str, int, int]  # job, task, which of its people; or ("", person, 0) for a lunch


class RoundModel:
    """The constraints of a problem. Each rule that may clash can be switched by a literal of its own (see why.py)."""

    def __init__(self, problem: Problem, *, switch: Callable[[cp_model.CpModel, str], cp_model.IntVar] | None = None) -> None:
        self.problem, self.model = problem, cp_model.CpModel()
        self._switch = switch
        self.on: dict[str, cp_model.IntVar] = {}
        self.present: dict[str, cp_model.IntVar] = {}
        self.starts: dict[tuple[str, int], cp_model.IntVar] = {}
        self.people: dict[tuple[str, int], cp_model.IntVar] = {}
        self.used_kit: dict[tuple[str, int, str], cp_model.IntVar] = {}
        self.used_gas: dict[tuple[str, int, str], cp_model.IntVar] = {}
        self.lunches: dict[int, cp_model.IntVar] = {}
        self.arcs: list[tuple[int, int, Any]] = []
        self.nodes: list[_Node] = []
        self.owners: dict[str, tuple[cp_model.IntVar, cp_model.IntVar]] = {}  # who has an item before lunch, and after it
        self.unused = [self.model.new_bool_var(f"unused {w.key}") for w in problem.people]
        self.finish = [self.model.new_int_var(0, DAY, f"finish {w.key}") for w in problem.people]
        for job in problem.jobs:
            self._job(job)
        self._lunch_nodes()
        self._route()
        self._hold_groups()
        self._things()
        self._enough_time()
        m = self.model
        m.maximize(WORTH * sum(j.value * self.present[j.key] for j in problem.jobs) - sum(self.finish))

    def walk(self) -> Any:
        """Minutes between different places, of everybody, from the base and back."""
        p, many = self.problem, len(self.problem.people)

        def place(i: int) -> str:
            return p.base if i < many else self.nodes[i - many].area

        return sum(p.way(place(a), place(b)) * lit for a, b, lit in self.arcs if a != b and place(a) != place(b))

    def rule(self, name: str) -> list[cp_model.IntVar]:
        """The literal under which a rule holds; none outside of explaining."""
        if self._switch is None:
            return []
        if name not in self.on:
            self.on[name] = self._switch(self.model, name)
        return [self.on[name]]

    def _job(self, job: Job) -> None:
        m, key = self.model, job.key
        here = self.present[key] = m.new_bool_var(f"do {key}")
        if job.is_must or job.fixed:
            m.add(here == 1).only_enforce_if(self.rule(f"must {key}"))
        for n, minutes in enumerate(job.tasks):
            self.starts[key, n] = m.new_int_var(0, DAY - minutes, f"{key} {n}")
        for n, wait in enumerate(job.waits):
            gap = self.starts[key, n + 1] - self.starts[key, n] - job.tasks[n]
            m.add(gap >= wait)
            m.add(gap <= wait + job.slack)
        if job.window:
            m.add(self.starts[key, 0] >= job.window[0]).only_enforce_if([here, *self.rule(f"permit {key}")])
            last = self.starts[key, len(job.tasks) - 1] + job.tasks[-1]
            m.add(last <= job.window[1]).only_enforce_if([here, *self.rule(f"permit {key}")])
        if not job.fixed:
            m.add(self.starts[key, 0] >= self.problem.now)
        for slot in range(job.people):
            who = self.people[key, slot] = m.new_int_var(0, len(self.problem.people) - 1, f"who {key} {slot}")
            self._who(job, who, here)
            for n, minutes in enumerate(job.tasks):
                self.nodes.append(_Node(job.area, minutes, self.starts[key, n], who, here, (key, n, slot)))
        if job.people == 2:
            m.add(self.people[key, 0] < self.people[key, 1]).only_enforce_if(here)
        if job.fixed:
            self._fixed(job)

    def _who(self, job: Job, who: cp_model.IntVar, here: cp_model.IntVar) -> None:
        able = [n for n, w in enumerate(self.problem.people) if self.problem.may(w, job)]
        domain = cp_model.Domain.from_values(able)
        self.model.add_linear_expression_in_domain(who, domain).only_enforce_if([here, *self.rule(f"skills {job.key}")])

    def _fixed(self, job: Job) -> None:
        assert job.fixed is not None
        index = {w.key: n for n, w in enumerate(self.problem.people)}
        locked = self.rule(f"locked {job.key}")
        for n, start in enumerate(job.fixed.starts):
            self.model.add(self.starts[job.key, n] == start).only_enforce_if(locked)
        for slot, person in enumerate(sorted(index[p] for p in job.fixed.people)):
            self.model.add(self.people[job.key, slot] == person).only_enforce_if(locked)

    def _lunch_nodes(self) -> None:
        for n, w in enumerate(self.problem.people):
            if not w.lunch:
                continue
            start = self.lunches[n] = self.model.new_int_var(0, DAY - w.lunch[2], f"lunch {w.key}")
            here = self.unused[n].negated()
            self.model.add_linear_constraint(start, w.lunch[0], w.lunch[1]).only_enforce_if([here, *self.rule(f"lunch {w.key}")])
            self.nodes.append(_Node(self.problem.base, w.lunch[2], start, n, here, ("", n, 0)))

    def _route(self) -> None:
        """One circuit through every day: from somebody's start through their stops to the start of the next one's day."""
        m, p, many = self.model, self.problem, len(self.problem.people)
        for n, w in enumerate(p.people):
            self.arcs.append((n, (n + 1) % many, self.unused[n]))
            m.add(self.finish[n] >= w.start)
            for i, node in enumerate(self.nodes):
                if isinstance(node.person, int) and node.person != n:
                    continue
                out, back = m.new_bool_var(f"{w.key} to {i}"), m.new_bool_var(f"{i} home {w.key}")
                self.arcs += [(n, many + i, out), (many + i, (n + 1) % many, back)]
                shift = self.rule(f"shift {w.key}")
                m.add(node.start >= w.start + p.way(p.base, node.area)).only_enforce_if([out, *shift])
                home = node.start + node.minutes + p.way(node.area, p.base)
                m.add(home <= w.end).only_enforce_if([back, *shift])
                m.add(self.finish[n] >= home).only_enforce_if(back)
                for arc in (out, back):
                    self._same(node.person, n, arc)
        for i, a in enumerate(self.nodes):
            self.arcs.append((many + i, many + i, a.here.negated()))
            for k, b in enumerate(self.nodes):
                if i == k or (a.label[0] and a.label[0] == b.label[0] and (a.label[1] >= b.label[1] or a.label[2] != b.label[2])):
                    continue
                arc = m.new_bool_var(f"{i} to {k}")
                self.arcs.append((many + i, many + k, arc))
                m.add(b.start >= a.start + a.minutes + p.way(a.area, b.area)).only_enforce_if(arc)
                self._same(a.person, b.person, arc)
        m.add_circuit(self.arcs)

    def _same(self, a: cp_model.IntVar | int, b: cp_model.IntVar | int, arc: cp_model.IntVar) -> None:
        if isinstance(a, int) and isinstance(b, int):
            if a != b:
                self.model.add(arc == 0)
        else:
            self.model.add(a == b).only_enforce_if(arc)

    def _hold_groups(self) -> None:
        groups: dict[str, list[Job]] = {}
        for job in self.problem.jobs:
            for group in job.groups:
                groups.setdefault(group, []).append(job)
        m = self.model
        for group, jobs in groups.items():
            for n, a in enumerate(jobs):
                for b in jobs[n + 1 :]:
                    first, second = m.new_bool_var(""), m.new_bool_var("")
                    both = [self.present[a.key], self.present[b.key], *self.rule(f"group {group}")]
                    m.add_bool_or([first, second, *(lit.negated() for lit in both)])
                    for one, other, lit in ((a, b, first), (b, a, second)):
                        end = self.starts[one.key, len(one.tasks) - 1] + one.tasks[-1]
                        m.add(self.starts[other.key, other.hold_from] >= end).only_enforce_if(lit)

    def _things(self) -> None:
        m = self.model
        for job in self.problem.jobs:
            over, later = self._about_lunch(job) if job.kit or job.gas else (None, None)
            needs = [(self.used_kit, n, need, "kit") for n, need in enumerate(job.kit)]
            needs += [(self.used_gas, n, gas.bottles, "gas") for n, gas in enumerate(job.gas)]
            for used, n, items, what in needs:
                chosen = [m.new_bool_var(f"{job.key} {item}") for item in items]
                rule = self.rule(f"{what} {job.key}")
                m.add(sum(chosen) == self.present[job.key]).only_enforce_if(rule)
                for item, lit in zip(items, chosen, strict=True):
                    used[job.key, n, item] = lit
                    first, then = self._owner(item)
                    shared = self.rule(f"shared {item}")
                    who = self.people[job.key, 0]
                    m.add(first == who).only_enforce_if([lit, *([later.negated()] if later is not None else []), *shared])
                    m.add(then == who).only_enforce_if([lit, *([over.negated()] if over is not None else []), *shared])
        for bottle, litres in self.problem.litres.items():
            drawn = [
                (round(10 * job.gas[n].litres), self.used_gas[job.key, n, bottle])
                for job in self.problem.jobs
                for n in range(len(job.gas))
                if (job.key, n, bottle) in self.used_gas
            ]
            if drawn:
                m.add(sum(a * lit for a, lit in drawn) <= int(10 * litres)).only_enforce_if(self.rule(f"litres {bottle}"))

    @property
    def _may_change_hands(self) -> bool:
        return len(self.lunches) > 1

    def _at_lunch(self, n: int, *, end: bool) -> cp_model.LinearExprT:
        """When somebody's lunch begins or ends; such that nothing is before or after it where there is none."""
        lunch = self.problem.people[n].lunch
        if n not in self.lunches or lunch is None:
            return 2 * DAY if end else 0
        return self.lunches[n] + (lunch[2] if end else 0)

    def _about_lunch(self, job: Job) -> tuple[cp_model.IntVar | None, cp_model.IntVar | None]:
        """Literals that a job is over when who leads it has lunch, and that it begins after it; none where nothing may change hands."""
        if not self._may_change_hands:
            return None, None
        m, key = self.model, job.key
        over, later = m.new_bool_var(f"{key} over at lunch"), m.new_bool_var(f"{key} after lunch")
        begins, ends = m.new_int_var(0, DAY, ""), m.new_int_var(0, 2 * DAY, "")
        every = range(len(self.problem.people))
        m.add_element(self.people[key, 0], [self._at_lunch(n, end=False) for n in every], begins)
        m.add_element(self.people[key, 0], [self._at_lunch(n, end=True) for n in every], ends)
        m.add(self.starts[key, len(job.tasks) - 1] + job.tasks[-1] <= begins).only_enforce_if(over)
        m.add(self.starts[key, 0] >= ends).only_enforce_if(later)
        return over, later

    def _owner(self, item: str) -> tuple[cp_model.IntVar, cp_model.IntVar]:
        """Who has an item before and after lunch: one and the same, or two of whom the first is at lunch before the second goes on from there."""
        if item in self.owners:
            return self.owners[item]
        m, most = self.model, len(self.problem.people) - 1
        first = m.new_int_var(0, most, f"with {item}")
        if not self._may_change_hands:
            return self.owners.setdefault(item, (first, first))
        then, same = m.new_int_var(0, most, f"then with {item}"), m.new_bool_var(f"{item} stays")
        m.add(first == then).only_enforce_if(same)
        every, given, taken = range(most + 1), m.new_int_var(0, 3 * DAY, ""), m.new_int_var(0, 2 * DAY, "")
        m.add_element(first, [self._at_lunch(n, end=False) if n in self.lunches else 3 * DAY for n in every], given)
        m.add_element(then, [self._at_lunch(n, end=True) if n in self.lunches else 0 for n in every], taken)
        m.add(given <= taken).only_enforce_if(same.negated())
        return self.owners.setdefault(item, (first, then))

    def _enough_time(self) -> None:
        """Said twice so that the bound is near from the start: all attention and the least of walking fit into all shifts."""
        if self._switch is not None:
            return
        p, many = self.problem, len(self.problem.people)

        def place(i: int) -> str:
            return p.base if i < many else self.nodes[i - many].area

        room = sum((w.end - w.start - (w.lunch[2] if w.lunch else 0)) * self.unused[n].negated() for n, w in enumerate(p.people))
        work = sum(j.people * j.attention * self.present[j.key] for j in p.jobs)
        walk = sum(p.way(place(a), place(b)) * lit for a, b, lit in self.arcs if a != b and not (a < many and b < many))
        self.model.add(work + walk <= room)

    def hint(self, plan: Plan) -> None:
        """Start the search from a plan."""
        m, p, many = self.model, self.problem, len(self.problem.people)
        index = {w.key: n for n, w in enumerate(p.people)}
        stops: dict[int, list[tuple[int, int]]] = {n: [] for n in range(many)}
        for i, node in enumerate(self.nodes):
            key, n, slot = node.label
            if key and key in plan.placed:
                at = plan.placed[key]
                stops[sorted(index[w] for w in at.people)[slot]].append((at.starts[n], many + i))
            elif not key and p.people[n].key in plan.lunches:
                stops[n].append((plan.lunches[p.people[n].key], many + i))
        taken: set[tuple[int, int]] = set()
        for n, list_ in stops.items():
            way = [n, *(i for _, i in sorted(list_)), (n + 1) % many]
            taken |= set(pairwise(way))
        for a, b, lit in self.arcs:
            if a != b or many == 1 == b + 1:
                m.add_hint(lit, (a, b) in taken)
        for n, start in self.lunches.items():
            m.add_hint(start, plan.lunches.get(p.people[n].key, 0))
        for job in p.jobs:
            self._hint_job(job, plan.placed.get(job.key), index)

    def _hint_job(self, job: Job, at: Placed | None, index: dict[str, int]) -> None:
        m = self.model
        m.add_hint(self.present[job.key], at is not None)
        if at is None:
            return
        for n, start in enumerate(at.starts):
            m.add_hint(self.starts[job.key, n], start)
        for slot, person in enumerate(sorted(index[w] for w in at.people)):
            m.add_hint(self.people[job.key, slot], person)
        for used, chosen in ((self.used_kit, at.kit), (self.used_gas, at.bottles)):
            for (key, n, item), lit in used.items():
                if key == job.key:
                    m.add_hint(lit, n < len(chosen) and chosen[n] == item)

    def read(self, value: Callable[[cp_model.IntVar], int]) -> Plan:
        """The plan of a solution."""
        p, placed = self.problem, dict[str, Placed]()
        for job in p.jobs:
            if not value(self.present[job.key]):
                continue
            starts = tuple(value(self.starts[job.key, n]) for n in range(len(job.tasks)))
            people = tuple(p.people[value(self.people[job.key, s])].key for s in range(job.people))
            kit = tuple(self._chosen(self.used_kit, job.key, n, value) for n in range(len(job.kit)))
            bottles = tuple(self._chosen(self.used_gas, job.key, n, value) for n in range(len(job.gas)))
            placed[job.key] = Placed(starts, people, kit, bottles)
        lunches = {p.people[n].key: value(start) for n, start in self.lunches.items() if not value(self.unused[n])}
        return Plan(placed, lunches)

    @staticmethod
    def _chosen(used: dict[tuple[str, int, str], cp_model.IntVar], key: str, n: int, value: Callable[[cp_model.IntVar], int]) -> str:
        return next(item for (k, m, item), lit in used.items() if (k, m) == (key, n) and value(lit))


class _Watch(cp_model.CpSolverSolutionCallback):
    """Keeps the better rounds as they are found, in whatever thread the solver finds them."""

    def __init__(self, model: RoundModel) -> None:
        super().__init__()
        self._model = model
        self.found: queue.SimpleQueue[tuple[Plan, float]] = queue.SimpleQueue()

    def on_solution_callback(self) -> None:
        """A better round was found."""
        self.found.put((self._model.read(self.value), self.best_objective_bound / WORTH))


def improve(
    problem: Problem,
    first: Plan | None,
    *,
    seconds: float,
    on_better: Callable[[Plan, float], None] = lambda plan, bound: None,
    should_stop: Callable[[], bool] = lambda: False,
    enough: float = 0.002,
) -> Outcome:
    """Search from a plan for so many seconds, until nothing better is possible, or until it is asked to stop."""
    began = time.monotonic()
    model = RoundModel(problem)
    if first is not None:
        model.hint(first)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = max(0.1, seconds)
    solver.parameters.num_workers = WORKERS
    solver.parameters.relative_gap_limit = enough
    solver.parameters.linearization_level = 2
    status = _watched(solver, model, on_better, should_stop)
    took = time.monotonic() - began
    if status == cp_model.INFEASIBLE:
        return Outcome(None, 0, 0.0, 0.0, took, is_best=False, is_impossible=True)
    plan = model.read(solver.value) if status in (cp_model.OPTIMAL, cp_model.FEASIBLE) else first
    if plan is None:
        return Outcome(None, 0, solver.best_objective_bound / WORTH, 1.0, took, is_best=False)
    if first is not None and plan.value(problem) < first.value(problem):
        plan = first
    return _outcome(problem, plan, solver.best_objective_bound / WORTH, took, is_best=status == cp_model.OPTIMAL)


def _outcome(problem: Problem, plan: Plan, bound: float, took: float, *, is_best: bool) -> Outcome:
    value = plan.value(problem)
    # The objective also counts minutes; without them the bound is on worth alone, and never above the worth of all jobs.
    most = min(float(sum(j.value for j in problem.jobs)), bound + DAY * len(problem.people) / WORTH)
    most = max(most, value)
    return Outcome(plan, value, most, (most - value) / most if most else 0.0, took, is_best)


def _watched(
    solver: cp_model.CpSolver, model: RoundModel, on_better: Callable[[Plan, float], None], should_stop: Callable[[], bool]
) -> int:
    """Solve beside this thread, which alone tells of better rounds and asks whether to stop: whoever listens has one thread only."""
    watch, status = _Watch(model), list[int]()
    thread = threading.Thread(target=lambda: status.append(int(solver.solve(model.model, watch))), daemon=True)
    thread.start()
    while thread.is_alive():
        thread.join(LOOK_S)
        while not watch.found.empty():
            on_better(*watch.found.get())
        if should_stop():
            solver.stop_search()
    return status[0] if status else int(cp_model.UNKNOWN)
