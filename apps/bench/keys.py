"""The keys of an instrument that is on the bench: accept zero, accept span, inhibit, reset, a valve, a beaker, weights.

A map that gives a key its number in `press` has that written; otherwise a span key is given the value that is applied.
"""

from __future__ import annotations

import time
import uuid
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.bench.capture import live_of
from apps.bench.hub import HUB
from apps.bench.selectors import find_signal
from apps.bench.sources.base import SourceFault
from apps.runs.arriving import NewEvent
from apps.runs.models import Run
from apps.runs.services import append_seen
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.adjusting.base import SPAN
from metrology.methods.method import Method
from metrology.methods.registry import get_method
from metrology.methods.steps import Step
from metrology.run.parameters import require_hold
from metrology.run.progress import make_progress, passes_of
from metrology.run.state import RunState

ANSWER_S = 0.15


def _require_its_turn(state: RunState, method: Method, step: Step, act: str, signal: Mapping[str, Any]) -> None:
    """On a head with several channels the key must be that of the channel being set."""
    channel = str(signal.get("channel", ""))
    if not channel or step.kind != "adjust" or act.partition(":")[0] not in ("zero", "span"):
        return
    wanted = method.adjusting.progress(state.setup, passes_of(state, step.key), step.variant).next_screw
    target = next((t for t in method.adjusting.targets(state.setup, step.variant) if t.screw == wanted), None)
    if target and (target.channel != channel or act not in target.keys):
        raise Fault("not_now", f"'{wanted}' is being set; this is the key of channel {channel}. Nothing was pressed.", field="signal")


def press_key(*, actor: Person, run_id: uuid.UUID, signal_id: str, now: datetime) -> tuple[Run, RunState]:
    """Press a key and keep what the instrument answered; a refusal is an answer too, and leaves its calibration as it was."""
    require(actor, "work on a run")
    _, _, state = load_state(run_id)
    require_hold(state, "The instrument's output can move")
    method = get_method(state.setup.method)
    step = make_progress(state, method).current
    device, signal = find_signal(signal_id)
    if step is None or signal.get("role") != "key" or signal.get("tag") != state.setup.instrument.tag:
        raise Fault("not_a_key", f"'{signal['label']}' is not a key of {state.setup.instrument.tag}.", field="signal")
    act = signal["key"].rpartition(".")[2]
    _require_its_turn(state, method, step, act, signal)
    value = float(signal.get("press", 1.0 if act == "inhibit" else 0.0))
    if act == SPAN and "press" not in signal:
        wanted = (
            method.adjusting.progress(state.setup, passes_of(state, step.key), step.variant).next_screw if step.kind == "adjust" else ""
        )
        target = next((t for t in method.adjusting.targets(state.setup, step.variant) if t.screw == wanted and t.kind == SPAN), None)
        if target is None:
            raise Fault("not_now", "Span is accepted while span is being set, after zero.", field="signal")
        value = target.ideal
    poller = HUB.poller(device)
    pressed = time.time()
    try:
        poller.write(signal, value)
        time.sleep(ANSWER_S)
        taken = poller.read_once(signal) > 0
    except SourceFault as fault:
        raise Fault("no_answer", f"{fault.message} Nothing was changed here; do it at the instrument.", field="signal") from fault
    if taken and signal.get("marks"):  # what is watched begins with it, such as an injection
        live_of(run_id)[0].mark(told=True, at=pressed)
    words = f"pressed '{signal['label']}': " + ("taken" if taken else "refused, the old calibration stands")
    payload = {"step": step.key, "act": act, "words": words, "values": {"taken": taken}}
    return append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "device_acted", payload), now=now)
