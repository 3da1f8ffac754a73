"""Talking to an instrument whose fields are registers, such as the indicator of a scale: read, told, read back. What was read is on the record as read.

In its map a signal of role "parameter" belongs to the instrument of its tag, and is named by what follows the last point of its key; one of role
"number" tells which instrument it is, and says by `expected` which number that must be. It is asked for before anything is kept of it or written to it.
"""

from __future__ import annotations

import time
import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.bench.hub import HUB
from apps.bench.models import NUMBER, PARAMETER, Device
from apps.bench.sources.base import SourceFault
from apps.runs.arriving import NewEvent
from apps.runs.models import Run
from apps.runs.services import append_seen
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.methods.steps import READ_ACT, SENT_ACT, Readout, Step
from metrology.run.parameters import require_hold
from metrology.run.progress import make_progress
from metrology.run.readouts import note_on, parameters_file, readout_of, require_still, told_text, values_of_file
from metrology.run.state import RunState

LOOKS, LOOK_S = 5, 0.2  # at what may still move
TAKES_S = 3.0  # at most, until what was written stands in its registers


class Indicator:
    """The registers of one instrument by their names."""

    def __init__(self, device: Device, signals: dict[str, dict[str, Any]], number: dict[str, Any] | None) -> None:
        self.device, self.signals, self.number = device, signals, number
        self._poller = HUB.poller(device)

    def read(self, name: str, *, still: float = 0.0) -> float:
        """What one of them holds; a number that may move is looked at several times, and refused while it does."""
        signal = self.signals[name]
        looks = [self._poller.read_once(signal)]
        while still and len(looks) < LOOKS:
            time.sleep(LOOK_S)
            looks.append(self._poller.read_once(signal))
        return require_still(str(signal["label"]), str(signal["unit"]), looks, still)

    def require_own(self, nothing: str) -> None:
        """The one that answers is the one in the map; of another nothing is kept, and nothing is written to it."""
        if self.number is None:
            return
        held, expected = self._poller.read_once(self.number), float(self.number["expected"])
        if held != expected:
            told = f"{self.device.label} answers as number {held:g}; {expected:g} is meant. Another instrument may stand at its address."
            raise Fault("another_device", f"{told} {nothing}", field="readout")

    def write(self, name: str, value: float) -> None:
        """One of them set."""
        self._poller.write(self.signals[name], value)


def indicator_of(tag: str) -> Indicator | None:
    """The instrument of a tag, where its parameters or cells can be read; None where they can't."""
    for device in Device.objects.all():
        own = [s for s in device.signals if s.get("tag") == tag]
        named = {str(s["key"]).rpartition(".")[2]: s for s in own if s.get("role") == PARAMETER}
        if named:
            return Indicator(device, named, next((s for s in own if s.get("role") == NUMBER), None))
    return None


def _step(run_id: uuid.UUID) -> tuple[RunState, Step]:
    _, _, state = load_state(run_id)
    step = make_progress(state, get_method(state.setup.method)).current
    if step is None or not step.readouts:
        raise Fault("not_current", "Nothing is read from the instrument at this step.", field="readout")
    return state, step


def _require(tag: str, names: Sequence[str]) -> Indicator:
    found = indicator_of(tag)
    missing = [n for n in names if found is None or n not in found.signals]
    if found is None or missing:
        raise Fault("no_device", f"{tag} can't be read here for that. Type what it shows.", field="readout")
    return found


def told_now(run_id: uuid.UUID) -> dict[str, Any]:
    """What the instrument tells now of each field of the current step; nothing of it is kept. note: what there is to say of it."""
    _, _, state = load_state(run_id)
    step = make_progress(state, get_method(state.setup.method)).current
    found = indicator_of(state.setup.instrument.tag) if step and step.readouts else None
    if step is None or found is None:
        return {"device": "", "fault": "", "told": []}
    fields = {f.name: f for f in step.fields}
    takes = [(name, signal) for r in step.readouts for name, signal in r.takes if signal in found.signals]
    try:
        found.require_own("Nothing of it is shown.")
        held = {signal: found.read(signal) for signal in dict.fromkeys(signal for _, signal in takes)}
    except (SourceFault, Fault) as fault:
        return {"device": found.device.label, "fault": f"{fault.message} Type what it shows.", "told": []}
    rows = [{"name": name, "value": told_text(held[signal]), "note": note_on(fields[name], held[signal])} for name, signal in takes]
    return {"device": found.device.label, "fault": "", "told": rows}


def read_fields(*, actor: Person, run_id: uuid.UUID, readout: str, now: datetime) -> tuple[Run, RunState]:
    """Read what belongs to fields of the current step, and keep it as read."""
    require(actor, "work on a run")
    state, step = _step(run_id)
    asked = readout_of(step, readout)
    found = _require(state.setup.instrument.tag, [signal for _, signal in asked.takes])
    try:
        found.require_own("Nothing was kept.")
        values = {name: told_text(found.read(signal, still=asked.still)) for name, signal in asked.takes}
    except SourceFault as fault:
        raise Fault(fault.code, f"{fault.message} Nothing was kept; read again, or type what it shows.", field="readout") from fault
    words = f"read from {found.device.label}: {_listed(step, values)}"
    return _keep(actor, run_id, step, READ_ACT, words, values, now)


def send_values(*, actor: Person, run_id: uuid.UUID, now: datetime) -> tuple[Run, RunState]:
    """Tell the instrument what is meant, read everything back, and keep both. It must be held, in its service mode, and the one that is meant."""
    require(actor, "work on a run")
    state, step = _step(run_id)
    if not step.sends:
        raise Fault("not_current", "Nothing is sent to the instrument at this step.", field="readout")
    require_hold(state, "The instrument's output can move")
    back = step.readouts[0]
    found = _require(state.setup.instrument.tag, [*(n for n, _ in step.sends), *(signal for _, signal in back.takes)])
    try:
        found.require_own("Nothing was written.")
        for name, value in step.sends:
            found.write(name, value)
        values = _read_back(found, back, dict(step.sends))
    except SourceFault as fault:
        told = f"{fault.message} Part of it may have been taken: read it back before anything else."
        raise Fault(fault.code, told, field="readout") from fault
    sent = ", ".join(f"{found.signals[name]['label']} {told_text(value)}" for name, value in step.sends)
    return _keep(actor, run_id, step, SENT_ACT, f"sent to {found.device.label}: {sent}; read back: {_listed(step, values)}", values, now)


def _read_back(found: Indicator, back: Readout, sent: dict[str, float]) -> dict[str, str]:
    """What it holds once it has taken what was sent; as it is, where it has not after a while."""
    until = time.monotonic() + TAKES_S
    while True:
        time.sleep(LOOK_S)
        values = {name: told_text(found.read(signal)) for name, signal in back.takes}
        held = {signal: float(values[name]) for name, signal in back.takes}
        if time.monotonic() > until or all(abs(held[s] - v) <= 1e-5 * max(abs(v), 1.0) for s, v in sent.items() if s in held):
            return values


def take_file(*, actor: Person, run_id: uuid.UUID, document: Mapping[str, Any], now: datetime) -> tuple[Run, RunState]:
    """A file of parameters chosen for what is to be sent; on the record as taken from it."""
    require(actor, "work on a run")
    _, _, state = load_state(run_id)
    step = make_progress(state, get_method(state.setup.method)).current
    if step is None:
        raise Fault("not_current", "The run is over. Nothing was taken from the file.", field="file")
    values = values_of_file(state, step, document)
    return _keep(actor, run_id, step, READ_ACT, f"taken from a file: {_listed(step, values)}", values, now)


def saved_file(run_id: uuid.UUID) -> dict[str, Any]:
    """The parameters of the current step as a file, with the run they are of."""
    run, _, state = load_state(run_id)
    step = make_progress(state, get_method(state.setup.method)).current
    if step is None or not step.saves:
        raise Fault("not_current", "Parameters are saved once they were read back.", field="file")
    return {**parameters_file(state, step), "run": run.label}


def _listed(step: Step, values: dict[str, str]) -> str:
    fields = {f.name: f for f in step.fields}
    return ", ".join(f"{fields[name].label} {text} {fields[name].unit}".strip() for name, text in values.items())


def _keep(
    actor: Person, run_id: uuid.UUID, step: Step, act: str, words: str, values: dict[str, str], now: datetime
) -> tuple[Run, RunState]:
    payload = {"step": step.key, "act": act, "words": words, "values": values}
    return append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "device_acted", payload), now=now)
