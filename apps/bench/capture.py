"""Capturing a reading from live sources; what is stored comes from the server's own traces, never from the page."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from contextlib import suppress
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.bench.hub import HUB
from apps.bench.live import RunLive, same_stream
from apps.bench.selectors import find_signal
from apps.bench.sources.base import SourceFault
from apps.bench.stimulus import shut
from apps.runs.arriving import NewEvent
from apps.runs.models import Run
from apps.runs.services import append_seen
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.methods.slots import Slot
from metrology.run.progress import current_slot, make_progress
from metrology.run.state import RunState


def live_of(run_id: uuid.UUID) -> tuple[RunLive, RunState]:
    """The live side of a run, and its state."""
    _, _, state = load_state(run_id)
    return HUB.run(str(run_id), state, get_method(state.setup.method)), state


CAME_TO: dict[uuid.UUID, int] = {}  # how far runs have come that were appended to since this server started


def follow(run_id: uuid.UUID, state: RunState) -> None:
    """Keep the live side of a run with its events, and tell those who watch it how far it has come."""
    CAME_TO[run_id] = state.seq
    HUB.moved_on(str(run_id), state, get_method(state.setup.method))


def read_now(signal_id: str) -> tuple[float, str] | None:
    """What a signal reads at this moment, with its unit; None where its device is gone or does not answer."""
    try:
        device, signal = find_signal(signal_id)
        return HUB.poller(device).read_once(signal), str(signal["unit"])
    except (Missing, SourceFault):
        return None


def capture_reading(
    *,
    actor: Person,
    run_id: uuid.UUID,
    typed: Mapping[str, Any],
    now: datetime,
    event_id: uuid.UUID | None = None,
    expected_seq: int | None = None,
) -> tuple[Run, RunState]:
    """Capture every live quantity of the next reading; what is not live must be typed beside it."""
    live, _ = live_of(run_id)
    if live.slot is None or live.is_adjusting:
        raise Fault("not_reading", "No reading is asked for at this step. Nothing was captured.", field="step")
    if not live.quantities:
        told = next(iter(live.faults.values()), "No source is live in this run: choose one, or type the reading.")
        raise Fault("nothing_live", told, field="indicated")
    if live.is_condition:
        return _capture_condition(actor=actor, run_id=run_id, live=live, now=now, event_id=event_id, expected_seq=expected_seq)
    got = live.capture()
    payload: dict[str, Any] = {
        **{k: str(v) for k, v in typed.items() if k in live.asked},
        **{name: told["text"] for name, told in got.items()},
        "step": live.step,
        "slot": live.slot.index,
        "captured": got,
    }
    _require_near(live, got)
    # What a source really read is no slip of the fingers, however far out it is.
    if any(not live.quantities[n].quantity.low <= told["mean"] <= live.quantities[n].quantity.high for n, told in got.items()):
        payload["confirmed_unlikely"] = True
    event = NewEvent(event_id or uuid.uuid4(), "reading_taken", payload)
    taken, stimulus = live.slot, live.stimulus
    changed = append_seen(actor=actor, run_id=run_id, event=event, now=now, expected_seq=expected_seq)
    _rest(changed[1], taken, stimulus)
    return changed


def _rest(state: RunState, taken: Slot, stimulus: str) -> None:
    """Nothing flows that nobody needs: what was put on for one reading is shut once that is taken, unless the next is read of the same."""
    method = get_method(state.setup.method)
    if not stimulus or not method.watching.is_step(taken):
        return
    step = make_progress(state, method).current
    after = current_slot(state, method, step.key) if step and step.kind == "readings" else None
    if after and same_stream(taken, after):
        return
    with suppress(SourceFault, Missing):
        shut(stimulus)


def _capture_condition(
    *, actor: Person, run_id: uuid.UUID, live: RunLive, now: datetime, event_id: uuid.UUID | None, expected_seq: int | None
) -> tuple[Run, RunState]:
    """A condition step confirmed with what its source reads now; its limits are the step's own."""
    text, told = live.capture_condition()
    _, state = live_of(run_id)
    step = make_progress(state, get_method(state.setup.method)).current
    name = step.fields[0].name if step and step.fields else "reading"
    payload = {"step": live.step, "values": {name: text}, "captured": told}
    return append_seen(
        actor=actor, run_id=run_id, event=NewEvent(event_id or uuid.uuid4(), "step_confirmed", payload), now=now, expected_seq=expected_seq
    )


def _require_near(live: RunLive, got: Mapping[str, Mapping[str, Any]]) -> None:
    """What is applied must be at its point before anything is captured there."""
    if "applied" not in got:
        return
    q = live.quantities["applied"].quantity
    mean = got["applied"]["mean"]
    if not q.low <= mean <= q.high:
        told = f"{mean:.5g} {q.unit} is applied and this point is {q.expected:.5g} {q.unit}. Bring it there; nothing was captured."
        raise Fault("not_at_point", told, field="applied")
