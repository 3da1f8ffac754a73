"""Captures and their candidates as plain data."""

from __future__ import annotations

import uuid
from typing import Any

from apps.bench.auto_capture import active_for, check_runs
from apps.bench.models import AutoCapture
from apps.bench.selectors import find_signal
from apps.runs.models import OPEN, Run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.registry import batch_methods, get_method
from metrology.run.progress import make_progress


def auto_data(auto: AutoCapture) -> dict[str, Any]:
    """A capture that goes on by itself, with how far each of its runs is."""
    return {
        "id": auto.id,
        "status": auto.status,
        "says": auto.says,
        "started_at": auto.started_at,
        "ended_at": auto.ended_at,
        "started_by": auto.started_by.name,
        "lanes": auto.progress,
        "plan": auto.plan,
        "runs": [_run_row(uuid.UUID(r)) for r in auto.runs],
    }


def _run_row(run_id: uuid.UUID) -> dict[str, Any]:
    run, _, state = load_state(run_id)
    method = get_method(state.setup.method)
    progress = make_progress(state, method)
    sets = [p.step for p in progress.steps if p.step.kind == "readings" and state.active_readings(p.step.key)]
    step = sets[-1] if sets else None
    return {
        "id": str(run.id),
        "number": run.label,
        "tag": run.tag,
        "at_step": run.at_step,
        "taken": len(state.active_readings(step.key)) if step else 0,
        "total": len(method.plan(state.setup, step.key if step else "as_found")),
    }


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
