"""Rounds: built by the solver, moved and locked by hand, re-planned half-way, followed while they run, handed over."""

from __future__ import annotations

import time
import uuid
from collections.abc import Callable, Mapping
from datetime import datetime
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.journal.writing import Told, write
from apps.planning.across import jobs_elsewhere, require_apart
from apps.planning.by_hand import move_job, task_rows
from apps.planning.following import get_round, minute_of, runs_of
from apps.planning.jobs import build_problem
from apps.planning.models import Round, RoundJob
from apps.planning.solver.problem import Fixed, Plan, Problem
from apps.planning.unfit import require_fit
from apps.runs.models import OPEN, Hold
from config import background
from config.failures import Missing
from metrology.faults import Fault

if TYPE_CHECKING:
    from apps.planning.solver.build import Built

SOLVE_S = 20.0


def start_solving(*, actor: Person, round_id: uuid.UUID, now: datetime, seconds: float = SOLVE_S) -> Round:
    """Build the round, or build it anew around what is locked, under way or done; from now on when it is today."""
    require(actor, "plan the work")
    if not Round.objects.filter(pk=round_id, status__in=("draft", "planned", "under way")).update(stop_asked=False):
        get_round(round_id)
        raise Fault("not_now", "It is being built already, or is closed.")
    found = get_round(round_id)
    before = found.status
    Round.objects.filter(pk=round_id).update(status="solving", result={**found.result, "progress": []})
    background.start(solve_round, round_id, before, minute_of(found, now), seconds)
    return get_round(round_id)


def stop_solving(*, actor: Person, round_id: uuid.UUID) -> Round:
    """Stop building with the best plan so far."""
    require(actor, "plan the work")
    Round.objects.filter(pk=round_id, status="solving").update(stop_asked=True)
    return get_round(round_id)


def _standing_still(found: Round, now: int, *, is_running: bool) -> tuple[dict[str, Fixed], set[str]]:
    """What a re-plan may not move: locked jobs and those under way; and what is done and so out of it."""
    keep, gone = dict[str, Fixed](), set[str]()
    runs = runs_of(found)
    for job in found.jobs.select_related("instrument"):
        tag = job.instrument.tag
        run = runs.get(job.instrument_id)
        if run and run.status not in OPEN:
            gone.add(tag)
        elif job.tasks and (job.is_locked or (run and is_running)):
            starts = tuple(int(t["start"]) for t in job.tasks)
            if job.is_locked or starts[0] <= now:
                keep[tag] = Fixed(tuple(job.tasks[0]["people"]), starts)
    return keep, gone


def solve_round(round_id: uuid.UUID, before: str, now: int, seconds: float) -> None:
    """Build a round, tell how far it is, and store the plan; before: its status to go back to when there is none."""
    found = get_round(round_id)
    after = "under way" if before == "under way" else "planned"
    try:
        keep, gone = _standing_still(found, now, is_running=before == "under way")
        gone |= _leave_to_others(found)
        problem = build_problem(found, now=now, keep=keep, gone=gone)
        stop = _Stop(round_id)
        build = _builder()
        built = build(problem, seconds=seconds, on_better=_teller(round_id), should_stop=stop.is_asked)
        _store(found, problem, built, gone)
        after = after if built.plan else before
    except Exception:
        found.result = {**found.result, "says": "Building the round stopped by an error; the plan before it stands.", "clash": []}
        found.save(update_fields=["result"])
        raise
    finally:
        Round.objects.filter(pk=round_id).update(status=after)


def _leave_to_others(found: Round) -> set[str]:
    """Jobs that another round has planned meanwhile; they are left out here, with its name."""
    elsewhere = jobs_elsewhere(min(found.day, timezone.localdate()), besides=found)
    rows = [r for r in found.jobs.select_related("instrument") if r.instrument_id in elsewhere]
    for row in rows:
        row.tasks, row.kit, row.is_locked, row.why_left = [], [], False, f"It is on '{elsewhere[row.instrument_id]}'."
        row.save()
    return {row.instrument.tag for row in rows}


class _Stop:
    """Looks twice a second at most whether somebody asked to stop."""

    def __init__(self, round_id: uuid.UUID) -> None:
        self._id, self._asked, self._at = round_id, False, 0.0

    def is_asked(self) -> bool:
        if not self._asked and time.monotonic() - self._at > 0.5:
            self._at = time.monotonic()
            self._asked = Round.objects.filter(pk=self._id, stop_asked=True).exists()
        return self._asked


def _teller(round_id: uuid.UUID) -> Any:
    def tell(plan: Plan, value: int, bound: float, seconds: float) -> None:
        found = get_round(round_id)
        progress = [
            *found.result.get("progress", []),
            {"jobs": len(plan.placed), "value": value, "bound": round(bound, 1), "seconds": round(seconds, 1)},
        ]
        Round.objects.filter(pk=round_id).update(result={**found.result, "progress": progress[-20:]})

    return tell


def _builder() -> Callable[..., Built]:
    """What builds a round. The solver is loaded with the first, so that a server that plans nothing yet starts quickly."""
    if settings.BACKGROUND_INLINE:
        from apps.planning.solver.build import build_round

        return build_round
    from apps.planning.solver.apart import build_apart

    return build_apart


@transaction.atomic
def _store(found: Round, problem: Problem, built: Built, gone: set[str]) -> None:
    from apps.planning.solver.why import find_clash, overloads, why_left_out

    found.refresh_from_db()
    names = {c["username"]: c["name"] for c in found.crew}
    progress = found.result.get("progress", [])
    if built.plan is None:
        over = overloads(problem, names)
        clash = find_clash(problem, names)
        says = (
            "These can't hold together:"
            if clash
            else ""
            if over
            else "No plan was found in the time given. Give it longer, or leave something out."
        )
        says = " ".join(filter(None, (*over, says)))
        found.result = {**found.result, "says": says, "clash": clash, "progress": progress}
        found.save(update_fields=["result"])
        return
    plan = built.plan
    for row in found.jobs.select_related("instrument"):
        tag = row.instrument.tag
        if tag in gone:
            continue
        at = plan.placed.get(tag)
        row.tasks = task_rows(problem, tag, at) if at else []
        row.kit = list(dict.fromkeys((*at.kit, *at.bottles))) if at else []
        row.why_left = "" if at else why_left_out(problem, plan, tag, names)[:300]
        row.save()
    found.result = {
        "says": "",
        "clash": [],
        "progress": progress,
        "value": built.value,
        "bound": round(built.bound, 1),
        "gap_percent": round(100 * built.gap, 1),
        "is_best": built.is_best,
        "seconds": round(built.seconds, 1),
        "lunches": dict(plan.lunches),
        "not_taken": found.result.get("not_taken", []),
        **saved_by_overlapping(problem, plan),
    }
    found.save(update_fields=["result"])


def saved_by_overlapping(problem: Problem, plan: Plan) -> dict[str, int]:
    """Minutes that the same jobs would take with every wait sat out, against what they take in this plan."""
    waited = 0
    for tag, at in plan.placed.items():
        job = problem.index[tag]
        waited += sum(at.starts[n + 1] - at.starts[n] - job.tasks[n] for n in range(len(job.waits))) * job.people
    idle = 0
    for w in problem.people:
        blocks = sorted(
            (s, s + problem.index[t].tasks[n], t) for t, at in plan.placed.items() if w.key in at.people for n, s in enumerate(at.starts)
        )
        for (_, end, a), (start, _, b) in pairwise(blocks):
            idle += start - end if a == b else 0
    return {"waiting_min": waited, "saved_min": max(0, waited - idle)}


def change_job(*, actor: Person, round_id: uuid.UUID, tag: str, data: Mapping[str, Any], now: datetime) -> Round:
    """Lock, move, give to somebody else, make a must, or take out; a move that breaks a rule is refused with the rule."""
    require(actor, "plan the work")
    found = get_round(round_id)
    if found.status not in ("draft", "planned", "under way"):
        raise Fault("not_now", "Wait until it is built, or stop the building.")
    row = found.jobs.select_related("instrument").filter(instrument__tag=tag).first()
    if row is None:
        raise Missing("unknown_job", f"{tag} is not on this round.", field="tag")
    if data.get("remove"):
        _take_out(found, row, actor, str(data.get("reason") or "").strip(), now)
        return get_round(round_id)
    if "is_must" in data:
        row.is_must = bool(data["is_must"])
    if "is_locked" in data:
        if data["is_locked"] and not row.tasks:
            raise Fault(
                "not_planned", f"{tag} is not in the plan, so there is nothing to lock. Move it to somebody first.", field="is_locked"
            )
        row.is_locked = bool(data["is_locked"])
    row.save()
    if data.get("person") or data.get("start"):
        move_job(found, row, data, *_standing_still(found, minute_of(found, now), is_running=found.status == "under way"))
    return get_round(round_id)


def _take_out(found: Round, row: RoundJob, actor: Person, reason: str, now: datetime) -> None:
    """Take a job out of a round. One that was begun takes a reason, which is written down; one that is on hold stays."""
    tag, run = row.instrument.tag, runs_of(found).get(row.instrument_id)
    if run is not None and run.status in OPEN:
        if Hold.objects.filter(run=run, released_at=None).exists():
            told = f"{tag} is on hold and not guarded. Finish it or release the hold first; it stays on this round until then."
            raise Fault("on_hold", told, field="remove")
        if len(reason) < 5:
            told = f"{tag} was begun by {run.technician.name} and is not signed; its run stays open. If it is to leave this round all the same, say why."
            raise Fault("begun", told, field="reason", needs_reason=True)
    local = timezone.localtime(now)
    found.taken_out = [*found.taken_out, {"tag": tag, "by": actor.name, "at": f"{local:%H:%M}", "why": reason, "begun": run is not None}]
    found.save(update_fields=["taken_out"])
    row.delete()


def set_status(*, actor: Person, round_id: uuid.UUID, status: str) -> Round:
    """Give a planned round out, or close it. One with unfit kit, or with somebody in two places, is not given out."""
    require(actor, "plan the work")
    if status == "under way":
        found = get_round(round_id)
        require_fit(found)
        require_apart(found)
    allowed = {"under way": ("planned",), "closed": ("planned", "under way", "draft")}
    if status not in allowed or not Round.objects.filter(pk=round_id, status__in=allowed[status]).update(status=status):
        found = get_round(round_id)
        raise Fault("not_now", f"The round is {found.status}; that can't be done with it now.", field="status")
    found = get_round(round_id)
    write([Told("plan", found.name, {"row": {"round": str(found.pk), "day": found.day, "status": status}, "by": actor.username})])
    return found
