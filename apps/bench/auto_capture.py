"""Auto-capture of one run, or of a batch of up to four: checked, planned, started, stopped, resumed."""

from __future__ import annotations

import contextlib
import math
import threading
import uuid
from collections import defaultdict
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.bench.engine import Engine, Lane
from apps.bench.live import RunLive
from apps.bench.models import RUNNING, STOPPED, AutoCapture
from apps.bench.selectors import find_signal
from apps.runs.models import Run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.batch_plan import MAX_SENSORS, BatchPlan, Member, Stop, plan_batch, require_apart
from metrology.methods.registry import get_method
from metrology.run.progress import current_slot, make_progress
from metrology.run.state import RunState, source_key

READ_S = 5.0
_engines: dict[uuid.UUID, Engine] = {}
_lock = threading.Lock()


def check_runs(run_ids: Sequence[uuid.UUID]) -> list[tuple[Run, RunState, str]]:
    """Runs that can go by themselves, with the signal that stimulates each; raises a Fault saying why one can't."""
    if not 1 <= len(set(run_ids)) <= MAX_SENSORS:
        raise Fault("bad_batch", f"A batch holds 1 to {MAX_SENSORS} sensors; {len(set(run_ids))} were chosen.", field="runs")
    out = []
    for run_id in dict.fromkeys(run_ids):
        run, _, state = load_state(run_id)
        tag = state.setup.instrument.tag
        method = get_method(state.setup.method)
        step = make_progress(state, method).current
        if step is None or step.kind != "readings":
            told = f"{tag} is not at its readings; it is at '{step.title if step else 'its end'}'. Bring it there first."
            raise Fault("not_reading", told, field="runs")
        slot = current_slot(state, method, step.key)
        channel = slot.channel if slot else ""
        applied, indicated = (
            state.sources.get(source_key(q, method.watching.source_channel(q, channel))) for q in ("applied", "indicated")
        )
        if not indicated or not applied or not applied["stimulus"]:
            told = f"{tag} can't go by itself: its reading and a stimulus that can be set must both be live. Choose the sources in its run."
            raise Fault("not_live", told, field="runs")
        out.append((run, state, str(applied["stimulus"])))
    return out


def _member(state: RunState, stimulus: str) -> Member:
    """A run as a sensor in its block."""
    method, i = get_method(state.setup.method), state.setup.instrument
    step = make_progress(state, method).current
    points = [s.nominal for s in method.trial.plan(state.setup, step.key).slots] if step else []
    probe = (state.references.get("applied") or {}).get("reference") or {}
    return Member(
        tag=i.tag,
        block=find_signal(stimulus)[0].label,
        unit=i.unit,
        top=max(points, default=0.0),
        bears=max(i.lrv, i.urv),
        probe=str(probe.get("code", "")),
        probe_unit=str(probe.get("unit", "")),
        probe_bears=float(probe["high"]) if probe else math.inf,
    )


def require_together(chosen: Sequence[tuple[Run, RunState, str]]) -> None:
    """Refuse sensors that can't be in their blocks together, or with what is being captured already."""
    together = [row for row in (*chosen, *_going()) if get_method(row[1].setup.method).traits.in_batches]
    require_apart([_member(state, stimulus) for _, state, stimulus in together])


def _require_free(chosen: Sequence[tuple[Run, RunState, str]]) -> None:
    """Refuse a stimulus that another capture drives now: of two, each would lead it away from the other's point."""
    mine = {run.id for run, _, _ in chosen}
    for run, _, stimulus in _going():
        if run.id not in mine and stimulus in {s for _, _, s in chosen}:
            told = (
                f"{find_signal(stimulus)[0].label} is driven by the capture of {run.tag} now. Wait until that is done, stop it, or take them together. "
                "Nothing was started."
            )
            raise Fault("source_busy", told, field="runs")


def foresee(chosen: Sequence[tuple[Run, RunState, str]]) -> BatchPlan:
    """The turns of each block from where the runs stand, by the pace that the devices' maps give."""
    lanes: dict[str, dict[float, list[str]]] = defaultdict(lambda: defaultdict(list))
    dwell: dict[str, float] = defaultdict(float)
    for _, state, stimulus in chosen:
        method = get_method(state.setup.method)
        step = make_progress(state, method).current
        slot = current_slot(state, method, step.key) if step else None
        if step is None or slot is None:
            continue
        i = state.setup.instrument
        dwell[stimulus] = max(dwell[stimulus], method.watching.dwell_s(state.setup))
        for s in method.trial.plan(state.setup, step.key).slots[slot.index :]:
            lanes[stimulus][s.nominal].append(i.tag)
    blocks = []
    for stimulus, points in lanes.items():
        device, _ = find_signal(stimulus)
        pace = {"unit_s": 0.0, "settle_s": 10.0, "from": 0.0, **device.pace}
        stops, at = [], float(pace["from"])
        for point, tags in points.items():
            travel = abs(point - at) * float(pace["unit_s"]) + float(pace["settle_s"])
            stops.append(Stop(device.label, point, travel, dwell[stimulus], tuple(tags)))
            at = point
        blocks.append(stops)
    return plan_batch(blocks, read_s=READ_S)


def plan_data(plan: BatchPlan) -> dict[str, Any]:
    """A plan as plain data."""
    return {
        "finish_s": plan.finish_s,
        "one_after_another_s": plan.one_after_another_s,
        "saved_s": plan.saved_s,
        "turns": [
            {
                "block": t.stop.block,
                "point": f"{t.stop.point:g}",
                "sensors": list(t.stop.sensors),
                "start_s": t.start_s,
                "ready_s": t.ready_s,
                "read_s": t.read_s,
                "done_s": t.done_s,
            }
            for t in plan.turns
        ],
    }


def _going() -> list[tuple[Run, RunState, str]]:
    """The runs that are being captured by themselves now."""
    ids = [uuid.UUID(r) for auto in AutoCapture.objects.filter(status=RUNNING) for r in auto.runs]
    out: list[tuple[Run, RunState, str]] = []
    for run_id in ids:
        with contextlib.suppress(Fault):
            out += check_runs([run_id])
    return out


def preview(*, actor: Person, run_ids: Sequence[uuid.UUID]) -> dict[str, Any]:
    """The plan of a batch that could be started."""
    require(actor, "work on a run")
    chosen = check_runs(run_ids)
    require_together(chosen)
    return plan_data(foresee(chosen))


def start(*, actor: Person, run_ids: Sequence[uuid.UUID], now: datetime) -> AutoCapture:
    """Start capturing by itself; it goes on until all points are taken, whether a page is open or not."""
    require(actor, "work on a run")
    chosen = check_runs(run_ids)
    require_together(chosen)
    with _lock:
        for run, state, _ in chosen:
            if active_for(run.id):
                raise Fault("running", f"{state.setup.instrument.tag} is being captured by itself already.", field="runs")
        _require_free(chosen)
        made = AutoCapture.objects.create(
            started_by=actor, started_at=now, runs=[str(r.id) for r, _, _ in chosen], plan=plan_data(foresee(chosen)), says="Started."
        )
        _launch(made, chosen)
    return made


def _launch(made: AutoCapture, chosen: Sequence[tuple[Run, RunState, str]]) -> None:
    lanes: dict[str, list[uuid.UUID]] = defaultdict(list)
    for run, _, stimulus in chosen:
        lanes[stimulus].append(run.id)
    engine = Engine(made.id, [Lane(stimulus, ids) for stimulus, ids in lanes.items()])
    _engines[made.id] = engine
    engine.start()


def active_for(run_id: uuid.UUID) -> AutoCapture | None:
    """The capture that is going on for a run."""
    return next((a for a in AutoCapture.objects.filter(status=RUNNING) if str(run_id) in a.runs), None)


def latest_for(run_id: uuid.UUID) -> AutoCapture | None:
    """The capture that goes on for a run, or the last that did."""
    return next((a for a in AutoCapture.objects.all()[:50] if str(run_id) in a.runs), None)


def get_auto(auto_id: uuid.UUID) -> AutoCapture:
    """A capture by id."""
    found = AutoCapture.objects.filter(pk=auto_id).first()
    if found is None:
        raise Missing("unknown_capture", "There is no such capture.")
    return found


def stop(*, actor: Person, auto_id: uuid.UUID, now: datetime) -> AutoCapture:
    """Stop capturing by itself; everything captured stays, typing goes on."""
    require(actor, "work on a run")
    made = get_auto(auto_id)
    engine = _engines.pop(made.id, None)
    given = engine.stop(gives_back=True) if engine else ""
    if made.status == RUNNING:
        AutoCapture.objects.filter(pk=made.pk, status=RUNNING).update(
            status=STOPPED, ended_at=now, says=f"Stopped by {actor.name}. What was captured is kept.{given}"[:400]
        )
    made.refresh_from_db()
    return made


def resume_all(now: datetime) -> None:
    """After a restart of the server: go on with what was running."""
    for made in AutoCapture.objects.filter(status=RUNNING):
        if made.id in _engines:
            continue
        try:
            _launch(made, check_runs([uuid.UUID(r) for r in made.runs]))
        except (Fault, Missing) as fault:
            AutoCapture.objects.filter(pk=made.pk).update(
                status=STOPPED, ended_at=now, says=f"Not resumed after a restart: {fault.message}"[:400]
            )


def stop_all() -> None:
    """End every engine in this process, as at its shutdown; they resume at the next start."""
    for engine in list(_engines.values()):
        engine.stop()
    _engines.clear()


__all__ = [
    "RunLive",
    "active_for",
    "check_runs",
    "get_auto",
    "latest_for",
    "plan_data",
    "preview",
    "resume_all",
    "start",
    "stop",
    "stop_all",
]
