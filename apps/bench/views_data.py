"""Captures and their candidates as plain data."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

from django.utils import timezone

from apps.bench.auto_capture import active_for, check_runs
from apps.bench.models import RUNNING, AutoCapture
from apps.bench.selectors import find_signal
from apps.runs.models import OPEN, Run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.registry import batch_methods, get_method
from metrology.run.progress import make_progress

PACE_FROM = 2  # readings from which on the pace of the capture itself counts


def auto_data(auto: AutoCapture) -> dict[str, Any]:
    """A capture that goes on by itself, with how far each of its runs is."""
    rows, taken = [], 0
    for run_id in auto.runs:
        row, now_taken = _run_row(uuid.UUID(run_id), since=auto.started_at)
        rows.append(row)
        taken += now_taken
    return {
        "id": auto.id,
        "status": auto.status,
        "says": auto.says,
        "left_s": _left_s(auto, taken, sum(r["total"] - r["taken"] for r in rows)) if auto.status == RUNNING else None,
        "started_at": auto.started_at,
        "ended_at": auto.ended_at,
        "started_by": auto.started_by.name,
        "lanes": auto.progress,
        "plan": auto.plan,
        "runs": rows,
    }


def _left_s(auto: AutoCapture, taken: int, left: int) -> float | None:
    """How long it still takes at the pace so far; by what was foreseen until a few are taken, and unknown where nothing was."""
    gone = (timezone.now() - auto.started_at).total_seconds()
    if taken >= PACE_FROM:
        return gone / taken * left
    return max(0.0, auto.plan.get("finish_s", 0.0) - gone) or None


def _run_row(run_id: uuid.UUID, *, since: datetime) -> tuple[dict[str, Any], int]:
    """How far a run is, and how many of its readings were taken since then."""
    run, _, state = load_state(run_id)
    method = get_method(state.setup.method)
    progress = make_progress(state, method)
    sets = [p.step for p in progress.steps if p.step.kind == "readings" and state.active_readings(p.step.key)]
    step = sets[-1] if sets else None
    readings = state.active_readings(step.key) if step else {}
    row = {
        "id": str(run.id),
        "number": run.label,
        "tag": run.tag,
        "at_step": run.at_step,
        "taken": len(readings),
        "total": len(method.plan(state.setup, step.key if step else "as_found")),
    }
    return row, sum(r.at >= since for r in readings.values())


def candidates() -> list[dict[str, Any]]:
    """Open runs that can be captured together, each with why it can't join a batch yet; empty when it can."""
    rows = []
    for run in Run.objects.filter(status__in=OPEN, method__in=batch_methods()).select_related("instrument").order_by("instrument__tag"):
        why, block = "", ""
        try:
            [(_, _, stimulus)] = check_runs([run.id])
            block = find_signal(stimulus)[0].label
            if active_for(run.id):
                why = "It is being captured by itself now."
        except (Fault, Missing) as fault:
            why = fault.message
        rows.append(
            {
                "id": run.id,
                "number": run.label,
                "tag": run.tag,
                "service": run.instrument.service if run.instrument else "",
                "at_step": run.at_step,
                "why_not": why,
                "block": block,
            }
        )
    return rows
