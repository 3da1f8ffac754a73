"""Every rule of a round looked at once more, on the finished plan, without the solver's help."""

from __future__ import annotations

from collections import defaultdict
from itertools import pairwise, product

from apps.planning.solver.problem import AFTERNOON, MORNING, Job, Placed, Plan, Problem


def find_breaches(problem: Problem, plan: Plan) -> list[str]:
    """What of a plan breaks a rule, as sentences; empty when it holds."""
    out: list[str] = []
    for key, placed in plan.placed.items():
        out += _job(problem, problem.job(key), placed)
    out += [f"{j.key} must be done and is not." for j in problem.jobs if (j.is_must or j.fixed) and j.key not in plan.placed]
    out += _people(problem, plan)
    out += _holds(problem, plan)
    out += _kit(problem, plan)
    return out


def _job(problem: Problem, job: Job, at: Placed) -> list[str]:
    out = []
    workers = {w.key: w for w in problem.people}
    if len(at.starts) != len(job.tasks):
        return [f"{job.key} has {len(job.tasks)} tasks and {len(at.starts)} starts."]
    for n, wait in enumerate(job.waits):
        gap = at.starts[n + 1] - at.starts[n] - job.tasks[n]
        if not wait <= gap <= wait + job.slack:
            out.append(f"{job.key} waits {gap} min between its tasks; {wait} to {wait + job.slack} are right.")
    if len(set(at.people)) != job.people:
        out.append(f"{job.key} takes {job.people} people and has {len(set(at.people))}.")
    for person in at.people:
        if not job.skills <= workers[person].skills:
            out.append(f"{person} is not qualified for {job.key}.")
    if job.window and not (job.window[0] <= at.starts[0] and at.end(job) <= job.window[1]):
        out.append(f"{job.key} lies outside its permit.")
    if job.fixed and (at.starts != job.fixed.starts or set(at.people) != set(job.fixed.people)):
        out.append(f"{job.key} was moved although it is locked.")
    if not job.fixed and at.starts[0] < problem.now:
        out.append(f"{job.key} starts in the past.")
    return out


def _people(problem: Problem, plan: Plan) -> list[str]:
    out = []
    for worker in problem.people:
        blocks = [
            (s, s + job.tasks[n], job.area, job.key)
            for job in problem.jobs
            if job.key in plan.placed and worker.key in plan.placed[job.key].people
            for n, s in enumerate(plan.placed[job.key].starts)
        ]
        if not blocks:
            continue
        if worker.lunch:
            start = plan.lunches.get(worker.key)
            if start is None or not worker.lunch[0] <= start <= worker.lunch[1]:
                out.append(f"{worker.key} has no lunch in time.")
            else:
                blocks.append((start, start + worker.lunch[2], problem.base, "lunch"))
        blocks.sort()
        if blocks[0][0] < worker.start + problem.way(problem.base, blocks[0][2]):
            out.append(f"{worker.key} starts before the shift.")
        if blocks[-1][1] + problem.way(blocks[-1][2], problem.base) > worker.end:
            out.append(f"{worker.key} is back after the shift.")
        for (_, end, here, a), (start, _, there, b) in pairwise(blocks):
            if start < end + problem.way(here, there):
                out.append(f"{worker.key} can't be at {b} in time after {a}.")
    return out


def _holds(problem: Problem, plan: Plan) -> list[str]:
    groups: dict[str, list[tuple[int, int, str]]] = defaultdict(list)
    for job in problem.jobs:
        if job.key in plan.placed:
            for group in job.groups:
                groups[group].append((*plan.placed[job.key].hold(job), job.key))
    out = []
    for group, holds in groups.items():
        holds.sort()
        out += [f"{a} and {b} of {group} are on hold together." for (_, e, a), (s, _, b) in pairwise(holds) if s < e]
    return out


def _kit(problem: Problem, plan: Plan) -> list[str]:
    out, owners, drawn = [], dict[tuple[str, int], str](), defaultdict[str, float](float)
    for job in problem.jobs:
        at = plan.placed.get(job.key)
        if at is None:
            continue
        if len(at.kit) != len(job.kit) or any(item not in need for item, need in zip(at.kit, job.kit, strict=False)):
            out.append(f"{job.key} lacks kit that suits it.")
        if len(at.bottles) != len(job.gas) or any(b not in need.bottles for b, need in zip(at.bottles, job.gas, strict=False)):
            out.append(f"{job.key} lacks gas that suits it.")
        for item, half in product((*at.kit, *at.bottles), at.halves(job, plan.lunches.get(at.people[0]))):
            if owners.setdefault((item, half), at.people[0]) != at.people[0]:
                out.append(f"{item} is with {owners[item, half]} and with {at.people[0]}.")
        for bottle, need in zip(at.bottles, job.gas, strict=False):
            drawn[bottle] += need.litres
    out = list(dict.fromkeys(out))
    minutes = {w.key: w.lunch[2] for w in problem.people if w.lunch}
    for item in {item for item, _ in owners}:
        giver, taker = owners.get((item, MORNING)), owners.get((item, AFTERNOON))
        if giver and taker and giver != taker and plan.lunches[giver] > plan.lunches[taker] + minutes[taker]:
            out.append(f"{item} is still with {giver} when {taker} goes on with it after lunch.")
    out += [
        f"{b} gives {problem.litres.get(b, 0):.0f} l and {n:.0f} l are planned."
        for b, n in drawn.items()
        if n > problem.litres.get(b, 0) + 1e-6
    ]
    return out
