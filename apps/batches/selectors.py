"""Reading batches: which sensors may go, what a batch would be, and how each of its sensors stands."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import date
from typing import Any

from django.db.models import F

from apps.accounts.models import Person
from apps.batches.models import Batch, BatchSensor
from apps.batches.proposing import Asked, Row
from apps.batches.services import is_capturable
from apps.bench import auto_capture
from apps.bench.views_data import auto_data
from apps.kit.models import Reference
from apps.plant.models import IN_USE, Instrument
from apps.runs.due import standing
from apps.runs.models import OPEN, Run
from apps.runs.store import load_state
from metrology.judgement.decision import FAIL
from metrology.methods.method import Method
from metrology.methods.registry import batch_methods, get_method
from metrology.methods.steps import Step
from metrology.quantities.words import day_words
from metrology.run.progress import CURRENT, LATER, evaluate_together, make_progress
from metrology.run.proposing import proposal_at
from metrology.run.state import RunState

SHOWN = 200


def sensors(today: date) -> list[dict[str, Any]]:
    """Temperature sensors of the plant that go into a block, those due first."""
    found = (
        Instrument.objects.filter(state=IN_USE, method__in=batch_methods())
        .select_related("area")
        .order_by(F("next_due").asc(nulls_last=True), "tag")[:SHOWN]
    )
    at_work = dict(Run.objects.filter(status__in=OPEN, instrument__in=[i.pk for i in found]).values_list("instrument_id", "id"))
    return [
        {
            "tag": i.tag,
            "service": i.service,
            "area": i.area.name,
            "range": f"{i.lrv:g} to {i.urv:g} {i.unit}",
            "standing": standing(i.next_due, 0, today),
            "due": day_words(i.next_due.isoformat()) if i.next_due else "",
            "run": at_work.get(i.pk),
        }
        for i in found
    ]


def proposal_data(rows: Sequence[Row], asked: Asked) -> dict[str, Any]:
    """A batch as it would be, for the page that asks."""
    names = dict(Reference.objects.values_list("code", "name"))
    blocks = Reference.objects.filter(kind="block", state="in service").order_by("code")
    return {
        "sensors": [
            {
                "tag": r.instrument.tag,
                "block": r.placed.block if r.placed else "",
                "block_name": names.get(r.placed.block, "") if r.placed else "",
                "well": r.placed.well if r.placed else None,
                "probe": r.placed.probe if r.placed else "",
                "probe_name": names.get(r.placed.probe, "") if r.placed else "",
                "readout": r.readout,
                "is_live": r.is_live,
                "remarks": list(r.remarks),
                "why_not": r.why_not,
            }
            for r in rows
        ],
        "blocks": [{"value": b.code, "label": f"{b.name} ({b.code})"} for b in blocks],
        "asks": [
            {
                "name": a.field.name,
                "label": a.field.label,
                "unit": a.field.unit,
                "kind": a.field.kind,
                "hint": a.field.hint,
                "only_for": list(a.only_for),
                "options": [{"value": v, "label": w} for v, w in a.field.options],
            }
            for a in asked.asks
        ],
        "minutes": asked.minutes,
        "tap": asdict(asked.tap),
    }


def batches(person: Person) -> list[dict[str, Any]]:
    """Batches that are not over, one's own first."""
    found = Batch.objects.filter(closed_at=None).select_related("owner").prefetch_related("sensors__instrument")
    rows = [
        {
            "id": b.id,
            "by": b.owner.name,
            "is_mine": b.owner_id == person.pk,
            "made_at": b.made_at,
            "tags": [s.instrument.tag for s in b.sensors.all()],
        }
        for b in found[:20]
    ]
    return sorted(rows, key=lambda r: not r["is_mine"])


def batch_data(batch: Batch, person: Person) -> dict[str, Any]:
    """A batch with how each of its sensors stands, and the capture that goes on."""
    found = list(batch.sensors.select_related("instrument__area", "run"))
    names = dict(Reference.objects.values_list("code", "name"))
    rows = [_row(s, batch, names) for s in found]
    runs = [s.run.id for s in found if s.run]
    auto = next((a for a in map(auto_capture.latest_for, runs) if a), None)
    return {
        "id": batch.id,
        "by": batch.owner.name,
        "is_mine": batch.owner_id == person.pk,
        "made_at": batch.made_at,
        "closed_at": batch.closed_at,
        "said": batch.said,
        "sensors": rows,
        "ready": sum(r["state"] == "ready" for r in rows),
        "can_capture": any(is_capturable(s.run.id) for s in found if s.run and s.run.status in OPEN and not s.note),
        "auto": auto_data(auto) if auto else None,
    }


def _row(sensor: BatchSensor, batch: Batch, names: dict[str, str]) -> dict[str, Any]:
    i = sensor.instrument
    return {
        "tag": i.tag,
        "service": i.service,
        "unit": i.unit,
        "block": sensor.block,
        "block_name": names.get(sensor.block, ""),
        "well": sensor.well,
        "probe": sensor.probe,
        "readout": sensor.readout,
        "run": sensor.run_id,
        "note": sensor.note,
        "verdict": sensor.run.found_verdict if sensor.run else "",
        "share": "",
        "taken": 0,
        "total": 0,
        "at_step": "",
        "is_on_hold": False,
        "asks": [],
        "says": [],
        **_stands(sensor, batch),
    }


def _stands(sensor: BatchSensor, batch: Batch) -> dict[str, Any]:
    """State of a sensor: to begin, at work, plain (it passed and may be put back), to decide, restoring, ready, or what its run ended as."""
    if sensor.run is None:
        return {"state": "to begin"}
    _, _, state = load_state(sensor.run.id)
    method = get_method(state.setup.method)
    progress = make_progress(state, method)
    if sensor.run.status not in OPEN:  # what it came to is the record's to tell; here only how many readings it has
        return {"state": sensor.run.status, **_read_so_far(state, method, [p.step for p in progress.steps])[1]}
    step = progress.current
    told: dict[str, Any] = {"at_step": step.title if step else "", "is_on_hold": bool(state.open_holds)}
    told |= _judged_so_far(state, method, [p.step for p in progress.steps])
    if step is None or step.kind == "sign":
        return {**told, "state": "ready"}
    is_plain = step.kind == "judge" and _is_plain(state, method, step)
    if is_plain or step.phase == "restore":
        rest = [p.step for p in progress.steps if p.status in (CURRENT, LATER) and p.step.phase == "restore"]
        told["asks"] = [
            {"name": f.name, "label": f.label, "unit": f.unit}
            for s in rest
            for f in s.fields
            if s.kind == "release" and f.required and not batch.said.get(f.name)
        ]
        told["says"] = [c.label for s in rest for c in s.checks]
        return {**told, "state": "plain"}
    return {**told, "state": "to decide" if step.kind == "judge" else "at work"}


def _is_plain(state: RunState, method: Method, step: Step) -> bool:
    result = evaluate_together(state, method, step.set_name)
    return result.verdict != FAIL and proposal_at(state, method, step, result).choice == "leave"


def _read_so_far(state: RunState, method: Method, steps: Sequence[Step]) -> tuple[str, dict[str, Any]]:
    """The last set that has readings, empty where none has, and how many."""
    key = next((s.key for s in reversed(steps) if s.kind == "readings" and state.active_readings(s.key)), "")
    return key, {"taken": len(state.active_readings(key)) if key else 0, "total": len(method.plan(state.setup, key or "as_found"))}


def _judged_so_far(state: RunState, method: Method, steps: Sequence[Step]) -> dict[str, Any]:
    """Of the last set that has readings: how many, the verdict of those there are, and how much of the tolerance the worst of them uses."""
    key, told = _read_so_far(state, method, steps)
    if not key:
        return told
    result = evaluate_together(state, method, key)
    return {**told, "verdict": result.verdict, "share": f"{100 * result.share:.0f}"} if result.is_judged else told
