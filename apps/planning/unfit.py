"""Kit of a round that must not be used any more: which jobs need it, what would do instead, and its exchange."""

from __future__ import annotations

import uuid
from collections import defaultdict
from typing import Any

from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.kit.models import GasBottle, Reference
from apps.planning.following import get_round, plan_of, runs_of
from apps.planning.jobs import problem_of
from apps.planning.models import Round, RoundJob
from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Plan, Problem
from apps.runs.models import OPEN
from metrology.faults import Fault

PROPOSED = 3


def unfit_kit(found: Round) -> list[dict[str, Any]]:
    """Items of a round in quarantine, retired or out of date on its day, each with the jobs not done yet that need it and what would do for all of them."""
    says = _unfit(found)
    if not says:
        return []
    needed: dict[str, list[str]] = defaultdict(list)
    for row in _to_do(found):
        for code in row.kit:
            if code in says:
                needed[code].append(row.instrument.tag)
    if not needed:
        return []
    problem, plan = problem_of(found), plan_of(found)
    return [
        {"code": c, "says": says[c], "tags": sorted(tags), "instead": _instead(problem, plan, tags)} for c, tags in sorted(needed.items())
    ]


def _to_do(found: Round) -> list[RoundJob]:
    runs = runs_of(found)
    rows = found.jobs.select_related("instrument").exclude(tasks=[])
    return [r for r in rows if (run := runs.get(r.instrument_id)) is None or run.status in OPEN]


def _unfit(found: Round) -> dict[str, str]:
    """What must not be used on the day of a round, with why."""
    codes = {code for kit in found.jobs.exclude(tasks=[]).values_list("kit", flat=True) for code in kit}
    out = {}
    for model, until in ((Reference, "due_on"), (GasBottle, "expires_on")):
        for item in model.objects.filter(code__in=codes):
            ends = getattr(item, until)
            if item.state != "in service":
                out[item.code] = f"{item.code} {item.name} is {item.state}."
            elif ends is not None and ends < found.day:
                out[item.code] = f"{item.code} {item.name} is out of date since {ends:%-d %b %Y}."
    return out


def _lacking(problem: Problem, plan: Plan, tag: str) -> list[tuple[str, int, tuple[str, ...]]]:
    """The needs of a job that nothing in its plan serves: kit or gas, which of them, and what would do."""
    job, at = problem.index[tag], plan.placed[tag]
    kit = [("kit", n, need) for n, need in enumerate(job.kit) if not at.kit[n]]
    return kit + [("gas", n, need.bottles) for n, need in enumerate(job.gas) if not at.bottles[n]]


def _with(problem: Problem, plan: Plan, tags: list[str], take: str) -> Plan | None:
    """The plan with an item for every need of these jobs that it serves; None where it serves one of them not at all."""
    placed = dict(plan.placed)
    for tag in tags:
        served = [(kind, n) for kind, n, able in _lacking(problem, plan, tag) if take in able]
        if not served:
            return None
        at = placed[tag]
        kit, gas = list(at.kit), list(at.bottles)
        for kind, n in served:
            (kit if kind == "kit" else gas)[n] = take
        placed[tag] = type(at)(at.starts, at.people, tuple(kit), tuple(gas))
    return Plan(placed, plan.lunches)


def _instead(problem: Problem, plan: Plan, tags: list[str]) -> list[str]:
    """Items that would do for all of these jobs and break no rule of the round."""
    tags = [t for t in tags if t in plan.placed]
    able = [c for t in tags[:1] for _, _, options in _lacking(problem, plan, t) for c in options]
    before = set(find_breaches(problem, plan))
    out = []
    for code in dict.fromkeys(able):
        made = _with(problem, plan, tags, code)
        if made is not None and set(find_breaches(problem, made)) <= before:
            out.append(code)
        if len(out) == PROPOSED:
            break
    return out


def require_fit(found: Round) -> None:
    """Refuse to give a round out while a job of it needs kit that must not be used."""
    told = [
        f"{row['says']} It is planned for {', '.join(row['tags'][:4])}{' and others' if len(row['tags']) > 4 else ''}."
        for row in unfit_kit(found)
    ]
    if told:
        raise Fault(
            "unfit_kit", " ".join([*told[:4], "Take another item for these, or build the round anew; then give it out."]), field="status"
        )


@transaction.atomic
def exchange_kit(*, actor: Person, round_id: uuid.UUID, code: str, take: str) -> Round:
    """Another item for every job of a round that needs one that must not be used."""
    require(actor, "plan the work")
    found = get_round(round_id)
    row = next((r for r in unfit_kit(found) if r["code"] == code), None)
    if row is None:
        raise Fault("not_now", f"{code} is not needed by a job that is still to do, or is fit again. Look at the round anew.", field="code")
    if take not in row["instead"]:
        raise Fault("unknown_choice", f"{take} does not do for all of these: {', '.join(row['tags'])}. Nothing was changed.", field="take")
    for job in found.jobs.filter(instrument__tag__in=row["tags"]):
        job.kit = [take if c == code else c for c in job.kit]
        job.save(update_fields=["kit"])
    return found
