"""Taking a run on as far as what is known takes it: its steps by `metrology.run.onward`, and what is wired to it asked and moved on the way."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.bench.wired import INHIBIT, RELEASE, RESET, press, seen_of
from apps.runs.arriving import NewEvent
from apps.runs.models import OPEN
from apps.runs.outside import seen_at_release
from apps.runs.services import append_events
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.run.onward import NOTHING, Event, onward
from metrology.run.progress import make_progress
from metrology.run.state import RunState

MOST_STEPS = 60  # of one go; a run has fewer


def append_one(actor: Person, run_id: uuid.UUID, state: RunState, event: Event, now: datetime, event_id: uuid.UUID | None = None) -> None:
    """One event after what stands."""
    made = NewEvent(event_id or uuid.uuid4(), *event)
    append_events(actor=actor, run_id=run_id, expected_seq=state.seq, events=[made], now=now)


def take_on(actor: Person, run_id: uuid.UUID, known: Mapping[str, str], now: datetime, *, speaks_for: frozenset[str] = NOTHING) -> None:
    """Store step after step until somebody must say something, time must pass, or it has ended."""
    is_held = False
    for _ in range(MOST_STEPS):
        _, _, state = load_state(run_id)
        method = get_method(state.setup.method)
        step = make_progress(state, method).current
        if step is None or state.status not in OPEN:
            return
        if step.variant == INHIBIT and step.phase in speaks_for and not is_held:
            is_held = True
            if press(actor, run_id, state.setup.instrument.tag, INHIBIT, now):
                continue
        live = (
            {n: s["text"] for h in state.open_holds for n, s in seen_at_release(state, method, h.id).items()}
            if step.kind == "release"
            else {}
        )
        event = onward(state, method, {**known, **live}, now=now, speaks_for=speaks_for)
        if event is None:
            return
        if event[0] == "hold_released":
            _release(actor, run_id, state, event, now)
            continue
        if step.kind == "condition":
            event[1]["values"] |= seen_of(state, method, step)
        append_one(actor, run_id, state, event, now)


def _release(actor: Person, run_id: uuid.UUID, state: RunState, event: tuple[str, dict[str, Any]], now: datetime) -> None:
    """Its alarms reset and its own inhibit off, then the hold; refused, it is inhibited again."""
    tag = state.setup.instrument.tag
    press(actor, run_id, tag, RESET, now)
    is_free = press(actor, run_id, tag, RELEASE, now)
    try:
        append_one(actor, run_id, load_state(run_id)[2], event, now)
    except Fault:
        if is_free:
            press(actor, run_id, tag, INHIBIT, now)
        raise
