"""What stops when an item of the kit is taken out of service."""

from __future__ import annotations

from typing import Any

from apps.planning.models import RoundJob
from apps.runs.models import OPEN, Run, RunEvent


def what_stops(code: str) -> list[dict[str, str]]:
    """The open runs and rounds that count on an item."""
    out = []
    types = ("reference_assigned", "gas_assigned", "standard_assigned")
    runs = {e.run_id for e in RunEvent.objects.filter(run__status__in=OPEN, type__in=types) if _names(e.payload, code)}
    for run in Run.objects.filter(pk__in=runs).select_related("instrument", "technician"):
        says = f"{run.tag}, {run.label} of {run.technician.name} at '{run.at_step}': with it."
        out.append({"kind": "run", "id": str(run.id), "says": says})
    for job in RoundJob.objects.filter(round__status__in=("planned", "under way")).select_related("round", "instrument"):
        if code in job.kit:
            out.append(
                {
                    "kind": "round",
                    "id": str(job.round_id),
                    "says": f"{job.instrument.tag} in {job.round.name} of {job.round.day:%-d %b}.",
                }
            )
    return out


def _names(payload: dict[str, Any], code: str) -> bool:
    return any(
        isinstance(payload.get(k), dict) and payload[k].get("code") == code for k in ("reference", "bottle", "regulator", "line", "item")
    )
