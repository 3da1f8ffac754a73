"""A job of a round moved by hand: locked where it was put; where it has no room, the exchange that would make it is proposed first."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from django.db import transaction

from apps.planning.following import plan_of
from apps.planning.jobs import build_problem
from apps.planning.making import read_clock
from apps.planning.models import Round, RoundJob
from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Fixed, Job, Placed, Plan, Problem, clock
from apps.planning.solver.swap import moved, swap_for
from metrology.faults import Fault


def move_job(found: Round, row: RoundJob, data: Mapping[str, Any], keep: Mapping[str, Fixed], gone: set[str]) -> None:
    """Put a job elsewhere. keep: what may not be moved for it; gone: what is done. with_swap: the exchange that was proposed is wanted."""
    tag = row.instrument.tag
    problem = build_problem(found, keep={k: v for k, v in keep.items() if k != tag}, gone=gone)
    job, names = problem.index[tag], {c["username"]: c["name"] for c in found.crew}
    plan, wish = plan_of(found), _wish(row, job, data, names)
    made = Plan({**plan.placed, tag: wish}, plan.lunches)
    new = _new_breaches(problem, plan, made)
    if new:
        made = _exchanged(problem, plan, tag, wish, new, names, is_wanted=bool(data.get("with_swap")))
    _store(found, problem, made, {tag, *moved(plan, made, but=tag)})
    RoundJob.objects.filter(pk=row.pk).update(is_locked=True)


def _wish(row: RoundJob, job: Job, data: Mapping[str, Any], names: Mapping[str, str]) -> Placed:
    """Where it is wanted; a second person, the kit and the gas as it has them, where they do."""
    person = str(data.get("person") or (row.tasks[0]["people"][0] if row.tasks else ""))
    if person not in names:
        raise Fault("unknown_person", "Choose somebody of this round.", field="person")
    start = read_clock(data["start"], "start") if data.get("start") else int(row.tasks[0]["start"]) if row.tasks else 0
    starts = [start]
    for n, wait in enumerate(job.waits):
        starts.append(starts[-1] + job.tasks[n] + wait)
    people = [person]
    if job.people == 2:
        others = [p for t in row.tasks[:1] for p in t["people"] if p != person] or [p for p in names if p != person]
        people += others[:1]
    free = [next((i for i in need if i in row.kit), need[0] if need else "") for need in job.kit]
    gas = [next((b for b in g.bottles if b in row.kit), g.bottles[0] if g.bottles else "") for g in job.gas]
    return Placed(tuple(starts), tuple(people), tuple(free), tuple(gas))


def _new_breaches(problem: Problem, plan: Plan, made: Plan) -> list[str]:
    before = set(find_breaches(problem, plan))
    said = [s for s in find_breaches(problem, made) if not s.endswith("must be done and is not.")]
    return [s for s in said if s not in before]


def _exchanged(problem: Problem, plan: Plan, tag: str, wish: Placed, new: list[str], names: Mapping[str, str], *, is_wanted: bool) -> Plan:
    """The plan with what must move for it; proposed with a Fault as long as it is not wanted."""
    for key, name in names.items():
        new = [re.sub(rf"\b{re.escape(key)}\b", name.replace("\\", ""), s) for s in new]
    told = f"It can't stand there as things are: {' '.join(new)}"
    made = swap_for(problem, plan, tag, wish)
    if made is None:
        raise Fault("breaks", f"{told} No exchange makes room for it: take something out, or build the round anew.", field="start")
    if is_wanted:
        return made
    others = [
        f"{k} to {' and '.join(names[p] for p in made.placed[k].people)} at {clock(made.placed[k].starts[0])}"
        for k in moved(plan, made, but=tag)
    ]
    swap = others or ["kit changes hands"]
    raise Fault("breaks", f"{told} It can with this exchange: {'; '.join(swap)}.", field="start", swap=swap)


@transaction.atomic
def _store(found: Round, problem: Problem, plan: Plan, tags: set[str]) -> None:
    for row in found.jobs.select_related("instrument").filter(instrument__tag__in=tags):
        at = plan.placed[row.instrument.tag]
        row.tasks, row.why_left = task_rows(problem, row.instrument.tag, at), ""
        row.kit = list(dict.fromkeys((*at.kit, *at.bottles)))
        row.save(update_fields=["tasks", "kit", "why_left"])
    if dict(plan.lunches) != found.result.get("lunches", {}):
        found.result = {**found.result, "lunches": dict(plan.lunches)}
        found.save(update_fields=["result"])


def task_rows(problem: Problem, tag: str, at: Placed) -> list[dict[str, Any]]:
    """The tasks of a placed job as they are stored and shown."""
    job = problem.index[tag]
    return [
        {
            "start": s,
            "end": s + job.tasks[n],
            "people": list(at.people),
            "holds": n >= job.hold_from,
            "wait": job.waits[n] if n < len(job.waits) else 0,
        }
        for n, s in enumerate(at.starts)
    ]
