"""A round as it is followed: each job beside its run, and what the next shift must know."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import date, datetime
from itertools import pairwise
from typing import Any, cast

from django.db.models import Q
from django.utils import timezone

from apps.planning.jobs import problem_of
from apps.planning.models import Round, RoundJob
from apps.planning.solver.problem import Placed, Plan
from apps.planning.solver.walking import days, stops_of
from apps.plant.once import once
from apps.runs.models import OPEN, Hold, Run
from config.failures import Missing

DAY = 24 * 60


def get_round(round_id: uuid.UUID) -> Round:
    """A round by id."""
    found = Round.objects.filter(pk=round_id).first()
    if found is None:
        raise Missing("unknown_round", "There is no such round.")
    return found


def minute_of(found: Round, now: datetime) -> int:
    """The minute of the round's day that it is now; 0 before that day."""
    local = timezone.localtime(now)
    if local.date() != found.day:
        return 0 if local.date() < found.day else DAY
    return 60 * local.hour + local.minute


def plan_of(found: Round) -> Plan:
    """The plan as stored, for checking; looked up once while a page is read."""
    return cast(Plan, once(f"plan {found.pk}", lambda: _plan_of(found)))


def _plan_of(found: Round) -> Plan:
    """Kit and bottles are told apart by the needs of each job."""
    problem = problem_of(found)
    placed = {}
    for row in found.jobs.select_related("instrument"):
        job = problem.index.get(row.instrument.tag)
        if row.tasks and job and len(row.tasks) == len(job.tasks):
            kit = tuple(next((i for i in need if i in row.kit), "") for need in job.kit)
            bottles = tuple(next((b for b in g.bottles if b in row.kit), "") for g in job.gas)
            placed[row.instrument.tag] = Placed(tuple(t["start"] for t in row.tasks), tuple(row.tasks[0]["people"]), kit, bottles)
    return Plan(placed, {k: int(v) for k, v in found.result.get("lunches", {}).items()})


def walking_of(found: Round, *, is_built: bool) -> dict[str, Any]:
    """The ways between places, each as late as it may be begun, and all of it beside the least that these places take."""
    if not is_built:
        return {"walks": [], "walked_min": 0, "tour_min": 0}
    problem, plan = problem_of(found), plan_of(found)
    walks = []
    for w in problem.people:
        stops = [(w.start, w.start, problem.base), *stops_of(problem, plan, w.key)]
        for (_, _, here), (start, _, there) in pairwise(stops):
            minutes = problem.way(here, there)
            if here != there:
                walks.append({"person": w.key, "start": start - minutes, "end": start, "says": f"{here} to {there}, {minutes} min"})
    found_days = days(problem, plan).values()
    return {"walks": walks, "walked_min": sum(d.walked for d in found_days), "tour_min": sum(d.tour for d in found_days)}


def runs_of(found: Round) -> dict[int, Run]:
    """The latest run of each job's instrument that belongs to the round: started on its day, or open since before."""
    rows = (
        Run.objects.filter(instrument__round_jobs__round=found).exclude(status="voided").select_related("technician").order_by("started_at")
    )
    return {
        r.instrument_id: r
        for r in rows
        if r.instrument_id
        and (timezone.localdate(r.started_at) == found.day or (r.status in OPEN and timezone.localdate(r.started_at) <= found.day))
    }


def job_rows(found: Round, now: datetime) -> list[dict[str, Any]]:
    """Every job with its plan, how far its run is, and by how much it drifts from the plan."""
    runs, minute = runs_of(found), minute_of(found, now)
    names = {c["username"]: c["name"] for c in found.crew}
    holds = set(Hold.objects.filter(released_at=None).values_list("run_id", flat=True))
    out = []
    for row in found.jobs.select_related("instrument__area"):
        run, i = runs.get(row.instrument_id), row.instrument
        begun = _minute(run.started_at, found.day) if run else None
        ended = _minute(run.signed_at or run.ended_at, found.day) if run and run.status not in OPEN else None
        state = "done" if ended is not None else "under way" if run else "left out" if not row.tasks else "to do"
        late = _late(row, run, ended, minute) if found.status == "under way" and row.tasks else 0
        out.append(
            {
                "tag": i.tag,
                "service": i.service,
                "area": i.area.name,
                "area_code": i.area.code,
                "method_title": i.method_title,
                "next_due": i.next_due,
                "is_must": row.is_must,
                "is_locked": row.is_locked,
                "tasks": [{**t, "names": [names.get(p, p) for p in t["people"]]} for t in row.tasks],
                "kit": row.kit,
                "why_left": row.why_left,
                "state": state,
                "run": run.id if run else None,
                "is_on_hold": bool(run and run.id in holds),
                "begun": begun,
                "ended": ended,
                "late_min": late,
            }
        )
    return out


def _late(row: RoundJob, run: Run | None, ended: int | None, minute: int) -> int:
    """Minutes by which a job is behind its plan: at its end, or as far as it shows by now."""
    start, end = int(row.tasks[0]["start"]), int(row.tasks[-1]["end"])
    if ended is not None:
        return ended - end
    return max(0, minute - end) if run else max(0, minute - start)


def _minute(at: datetime | None, day: date) -> int | None:
    if at is None:
        return None
    local = timezone.localtime(at)
    return (local.date() - day).days * DAY + 60 * local.hour + local.minute


def hand_over(found: Round, now: datetime) -> list[dict[str, str]]:
    """What the next shift must know: loops that are open first, then what was begun, then what was not."""
    rows = job_rows(found, now)
    out = []
    for row in sorted(rows, key=lambda r: (not r["is_on_hold"], r["state"] != "under way", r["tasks"][0]["start"] if r["tasks"] else DAY)):
        if row["is_on_hold"]:
            out.append(
                {
                    "tag": row["tag"],
                    "what": "open",
                    "says": f"{row['tag']} is on hold and not guarded: finish it, or release it, before all else.",
                }
            )
        elif row["state"] == "under way":
            out.append({"tag": row["tag"], "what": "begun", "says": f"{row['tag']} was begun and is not signed."})
        elif row["state"] == "to do":
            out.append({"tag": row["tag"], "what": "not begun", "says": f"{row['tag']} was planned and not begun."})
    out += [{"tag": t["tag"], "what": "taken out", "says": _taken_out(t)} for t in found.taken_out if t["begun"]]
    others = _open_elsewhere({row["tag"] for row in rows}, now)
    return [
        *(r for r in out if r["what"] == "open"),
        *(r for r in others if r["what"] == "open"),
        *(r for r in [*out, *others] if r["what"] != "open"),
    ]


def _taken_out(t: Mapping[str, Any]) -> str:
    return f"{t['tag']} was begun and taken out of this round by {t['by']} at {t['at']}: {t['why']}"


def _open_elsewhere(tags: set[str], now: datetime) -> list[dict[str, str]]:
    """Open holds and runs of other rounds, or of none: whoever comes next must know of them whichever round they belong to."""
    held: dict[uuid.UUID, Hold] = {h.run_id: h for h in Hold.objects.filter(released_at=None).select_related("run__instrument")}
    runs = Run.objects.filter(instrument__isnull=False).filter(Q(status__in=OPEN) | Q(pk__in=list(held)))
    out = []
    for run in runs.select_related("instrument", "technician").order_by("started_at"):
        tag = run.instrument.tag if run.instrument else ""
        if tag in tags:
            continue
        of = f"({run.technician.name}, since {_since(run.started_at, now)}, not of this round)"
        if run.pk in held:
            out.append({"tag": tag, "what": "open", "says": f"{tag} is on hold and not guarded {of}: finish it, or release it."})
        else:
            out.append({"tag": tag, "what": "begun", "says": f"{tag} was begun and is not signed {of}."})
    return out


def _since(at: datetime, now: datetime) -> str:
    local = timezone.localtime(at)
    return f"{local:%H:%M}" if local.date() == timezone.localdate(now) else f"{local:%-d %b}"
