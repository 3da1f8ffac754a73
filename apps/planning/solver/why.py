"""Why a round can't be done, as the smallest set of rules that clash; and why a job was left out."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import replace

from ortools.sat.python import cp_model

from apps.planning.solver.problem import Fixed, GasNeed, Job, Plan, Problem, clock
from apps.planning.solver.quick import decode
from apps.planning.solver.search import RoundModel

SOLVE_S = 1.0
CLASH_S = 4.0  # for the whole of it; a set that is not the smallest by then is told as it is


def find_clash(problem: Problem, names: dict[str, str] | None = None) -> list[str]:
    """The rules that can't hold together, none of which could be left away, as sentences; empty when the round is possible."""
    small = replace(problem, jobs=tuple(j for j in problem.jobs if j.is_must or j.fixed))
    model = RoundModel(small, switch=lambda m, name: m.new_bool_var(name))
    model.model.clear_objective()
    rules, until = list(model.on), time.monotonic() + CLASH_S
    if _holds(model, rules):
        return []
    core = _first_core(model, rules)
    for rule in list(core):
        if time.monotonic() > until:
            break
        rest = [r for r in core if r != rule]
        if not _holds(model, rest):
            core = rest
    return [_sentence(small, rule, names or {}) for rule in sorted(core)]


def _solver() -> cp_model.CpSolver:
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = SOLVE_S
    solver.parameters.num_workers = 1
    return solver


def _holds(model: RoundModel, rules: list[str]) -> bool:
    """Whether the rules can hold together; not proved is taken as yes, so that nothing is named that may be innocent."""
    copy = model.model.clone()
    copy.clear_assumptions()
    copy.clear_hints()
    for rule in rules:
        copy.add(copy.get_bool_var_from_proto_index(model.on[rule].index) == 1)
    return _solver().solve(copy) != cp_model.INFEASIBLE


def _first_core(model: RoundModel, rules: list[str]) -> list[str]:
    """The solver's own idea of what clashes, to start from; all rules when it has none."""
    copy = model.model.clone()
    copy.add_assumptions([copy.get_bool_var_from_proto_index(model.on[r].index) for r in rules])
    solver = _solver()
    if solver.solve(copy) != cp_model.INFEASIBLE:
        return rules
    named = {model.on[r].index: r for r in rules}
    core = [named[i] for i in solver.sufficient_assumptions_for_infeasibility() if i in named]
    return core if core and not _holds(model, core) else rules


def _sentence(problem: Problem, rule: str, names: dict[str, str]) -> str:
    kind, _, key = rule.partition(" ")
    name = names.get(key, key)
    job = problem.index.get(key)
    worker = next((w for w in problem.people if w.key == key), None)
    if kind == "must":
        return f"{name} must be done."
    if kind == "locked" and job and job.fixed:
        people = " and ".join(names.get(p, p) for p in job.fixed.people)
        return f"{name} is locked: {people} at {clock(job.fixed.starts[0])}."
    if kind == "permit" and job and job.window:
        return f"The permit for {name} runs from {clock(job.window[0])} to {clock(job.window[1])}; it takes {job.least} min at least."
    if kind == "skills" and job:
        return f"{name} needs somebody qualified for {', '.join(sorted(job.skills)) or 'nothing'}{' and two people' if job.people == 2 else ''}."
    if kind == "shift" and worker:
        return f"{name}'s shift is from {clock(worker.start)} to {clock(worker.end)}."
    if kind == "lunch" and worker and worker.lunch:
        return f"{name} has lunch between {clock(worker.lunch[0])} and {clock(worker.lunch[1] + worker.lunch[2])}."
    if kind == "group":
        return f"Those of '{key}' may not be on hold together."
    if kind == "kit":
        return f"{name} needs kit: {_kit(problem, key)}."
    if kind == "gas" and job:
        needs = "; ".join(f"{g.litres:.0f} l from {' or '.join(g.bottles) or 'no bottle'}" for g in job.gas)
        return f"{name} needs {needs}."
    if kind == "litres":
        return f"{name} gives {problem.litres.get(key, 0):.0f} l."
    return f"{name} can be with one person only."


def _kit(problem: Problem, key: str) -> str:
    return "; ".join(" or ".join(need) or "none that is good" for need in problem.index[key].kit) or "none"


def why_left_out(problem: Problem, plan: Plan, key: str, names: dict[str, str] | None = None) -> str:
    """Why a job is not in a plan: what stands in its way even alone, else what binds beside the rest of the plan."""
    job, called = problem.index[key], names or {}
    able = [w for w in problem.people if problem.may(w, job)]
    if len(able) < job.people:
        who = f"{', '.join(sorted(job.skills))}" if job.skills else "it"
        return f"Nobody on this round is qualified for {who}." if not able else "It takes two people who are qualified."
    for need in job.kit:
        if not need:
            return "No kit that is good enough and in date is free for it."
    for gas in job.gas:
        if not any(problem.litres.get(b, 0.0) >= gas.litres for b in gas.bottles):
            return f"No bottle that fits has the {gas.litres:.0f} l it takes{_fullest(problem.litres, gas)}."
    if job.window and job.window[1] - job.window[0] < job.least:
        return f"Its permit lasts {job.window[1] - job.window[0]} min and it takes {job.least} min."
    alone = replace(job, is_must=False, fixed=None)
    if key not in decode(replace(problem, jobs=(alone,)), [alone]).placed:
        return f"It takes {job.least} min and does not fit into what is left of any shift{' and its permit' if job.window else ''}."
    return _binding(problem, plan, alone, called)


def _fullest(litres: Mapping[str, float], gas: GasNeed) -> str:
    """How much the fullest bottle is short, where there is one."""
    left, bottle = max(((litres.get(b, 0.0), b) for b in gas.bottles), default=(0.0, ""))
    return f": {bottle} is short by {_litres(gas.litres - left)}" if bottle else ""


def _litres(short: float) -> str:
    return f"{short:.1f} l" if short < 10 else f"{short:.0f} l"


def _binding(problem: Problem, plan: Plan, job: Job, names: Mapping[str, str]) -> str:
    """The one rule without which it would find room beside what is planned; the shift where there is none such."""
    if _finds_room(problem, plan, job):
        return "It would fit in: more urgent work was placed first. Build it anew, or move it in by hand."
    drawn: dict[str, float] = {}
    for key, at in plan.placed.items():
        for bottle, need in zip(at.bottles, problem.index[key].gas, strict=False):
            drawn[bottle] = drawn.get(bottle, 0.0) + need.litres
    if job.gas and _finds_room(problem, plan, replace(job, gas=())):
        left = {b: n - drawn.get(b, 0.0) for b, n in problem.litres.items()}
        gas = next((g for g in job.gas if all(left.get(b, 0.0) < g.litres for b in g.bottles)), None)
        if gas is not None:
            return f"The gas does not last: after what is planned it takes {gas.litres:.0f} l more{_fullest(left, gas)}."
        return "Its gas is with somebody else all day."
    if job.kit and _finds_room(problem, plan, replace(job, kit=())):
        holders = {item: at.people[0] for at in plan.placed.values() for item in at.kit}
        item = next((i for need in job.kit for i in need if i in holders), "")
        who = names.get(holders.get(item, ""), holders.get(item, "somebody else"))
        return f"Its kit is elsewhere: {item or 'what it takes'} is with {who}, who has no time left for it."
    if job.groups and _finds_room(problem, plan, replace(job, groups=())):
        rivals = sorted(names.get(k, k) for k in plan.placed if set(problem.index[k].groups) & set(job.groups))
        return f"It may not be on hold together with {', '.join(rivals[:3])}, and no time is left beside."
    if job.window and _finds_room(problem, plan, replace(job, window=None)):
        return f"Inside its permit, {clock(job.window[0])} to {clock(job.window[1])}, the time is taken by other work."
    if job.skills and _finds_room(problem, plan, replace(job, skills=frozenset())):
        return f"Whoever is qualified for {', '.join(sorted(job.skills))} has no time left; others would have."
    if job.people == 2 and _finds_room(problem, plan, replace(job, people=1)):
        return f"It takes two people, and no two have {job.least} min together."
    return f"The shift is full: it takes {job.least} min and the way, and what is more urgent, or nearer, came first."


def _finds_room(problem: Problem, plan: Plan, job: Job) -> bool:
    """Whether a job can be put in beside what is planned, with nothing of that moved."""
    stays = [replace(problem.index[k], fixed=Fixed(at.people, at.starts)) for k, at in plan.placed.items()]
    board = decode(replace(problem, jobs=(*stays, job)), [*stays, job], lunches=plan.lunches)
    return job.key in board.placed


def overloads(problem: Problem, names: Mapping[str, str] | None = None) -> list[str]:
    """Where what must be done takes more of people's time than the shifts give, whatever the order: of everybody, then of the qualified for something."""
    musts = [j for j in problem.jobs if j.is_must or j.fixed]
    out = []
    for skills in dict.fromkeys((frozenset[str](), *sorted((j.skills for j in musts), key=sorted))):
        mine = [j for j in musts if skills <= j.skills]
        crew = [w for w in problem.people if skills <= w.skills]
        need = sum(j.attention * j.people for j in mine)
        there = sum(max(0, w.end - w.start - (w.lunch[2] if w.lunch else 0)) for w in crew)
        if need > there:
            who = f" of {' and '.join((names or {}).get(w.key, w.key) for w in crew)}" if skills and crew else ""
            what = f" for {', '.join(sorted(skills))}" if skills else ""
            out.append(f"{_hours(need)} of musts{what}, {_hours(there)} of shift{who}.")
    return out


def _hours(minutes: int) -> str:
    hours, rest = divmod(minutes, 60)
    return " ".join(filter(None, (f"{hours} h" if hours else "", f"{rest} min" if rest or not hours else "")))
