"""Proof tests between runs and functions: what a run is asked for, what it leaves behind, and when the next is due."""

from __future__ import annotations

from collections.abc import Collection
from datetime import date, timedelta
from typing import Any

from django.utils import timezone

from apps.plant.models import Instrument
from apps.runs.due import set_due
from apps.runs.models import Run
from apps.safety.models import FunctionMember, ProofTest, SafetyFunction
from metrology.methods.registry import get_method
from metrology.methods.setup import TripPoint
from metrology.quantities.words import day_words
from metrology.run.results import results_of
from metrology.run.state import RunState


def members_of(i: Instrument) -> list[FunctionMember]:
    """The functions that an instrument belongs to, with where it must trip."""
    return list(i.functions.select_related("function", "instrument").order_by("function__code"))


def points_of(i: Instrument) -> tuple[TripPoint, ...]:
    """What a run on it is asked to prove."""
    return tuple(m.point() for m in members_of(i))


def keep_proofs(run: Run, state: RunState) -> None:
    """The proof tests of a run that has ended: kept once it is signed, gone once it is voided."""
    if run.instrument is None or not state.setup.functions:
        return
    ProofTest.objects.filter(run=run).delete()
    if run.status != "voided":
        summary = state.seal["summary"] if state.seal else results_of(state, get_method(state.setup.method))
        known = {f.code: f for f in SafetyFunction.objects.filter(code__in=[p.code for p in state.setup.functions])}
        for told in summary.get("proofs", ()):
            if told["code"] in known:  # a function that is gone is proved no more
                _keep(run, state, known[told["code"]], told)
    set_due(run.instrument)


def _keep(run: Run, state: RunState, function: SafetyFunction, told: dict[str, Any]) -> None:
    assert run.instrument is not None and run.ended_at is not None
    row = {k: v for k, v in told.items() if k not in ("code", "bypass_min")}
    minutes = told["bypass_min"] if told["bypass_min"] is not None else held_minutes(state)
    ProofTest.objects.create(run=run, function=function, instrument=run.instrument, at=run.ended_at, bypass_min=minutes, **row)


def held_minutes(state: RunState) -> float:
    """How long the instrument was held in a run, by its holds: from the first placed to the last released."""
    closed = [(h.placed_at, h.released_at) for h in state.holds.values() if h.released_at]
    if not closed:
        return 0.0
    return round((max(b for _, b in closed) - min(a for a, _ in closed)).total_seconds() / 60, 1)


def last_tests(members: Collection[FunctionMember]) -> dict[int, ProofTest]:
    """The last proof test of each member, by its key; those of all of them in one look."""
    rows = ProofTest.objects.filter(function__in={m.function_id for m in members}).select_related("run").order_by("at", "pk")
    last = {(t.function_id, t.instrument_id): t for t in rows}
    return {m.pk: t for m in members if (t := last.get((m.function_id, m.instrument_id)))}


def proved_until(m: FunctionMember, last: ProofTest | None) -> date:
    """Until when its last proof test stands."""
    on = timezone.localdate(last.at) if last else m.since
    return on + timedelta(days=m.function.proof_days)


def proof_due(i: Instrument, proved: frozenset[str], on: date | None) -> tuple[date, str] | None:
    """When the next proof test of an instrument is due, and why; None where it belongs to no function.

    proved: functions that a run proves which ends on that day, and whose tests are not kept yet.
    """
    members = members_of(i)
    last = last_tests(members)
    return min((_due(m, last.get(m.pk), on if m.function.code in proved else None) for m in members), default=None)


def _due(m: FunctionMember, last: ProofTest | None, now: date | None) -> tuple[date, str]:
    every = m.function.proof_days
    if now is not None:
        until, told = now + timedelta(days=every), "last in this run"
    elif last is not None:
        until, told = proved_until(m, last), f"last on {day_words(timezone.localdate(last.at))} in {last.run.label}"
    else:
        until, told = proved_until(m, None), f"none since {day_words(m.since)}"
    return until, f"proof test of {m.function.code} every {every} days, {told}"
