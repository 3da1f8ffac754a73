"""Talking to the smart transmitter of a run: read, send, trim, loop test. Each act is checked first, done, then recorded."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.bench.hart.master import MALFUNCTION, HartMaster
from apps.bench.selectors import find_signal
from apps.bench.sources.base import SourceFault
from apps.runs.arriving import NewEvent
from apps.runs.models import Run
from apps.runs.services import append_seen
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.parameters import ACTS, FOLLOWS, FORMAT, HELD, require_possible
from metrology.methods.registry import get_method
from metrology.quantities.typed import parse_typed
from metrology.run.parameters import admit_parameters, device_values, held_act, pending_values, require_hold
from metrology.run.progress import make_progress
from metrology.run.rules import admit
from metrology.run.same_device import require_same_device
from metrology.run.state import RunState


def _open(run_id: uuid.UUID) -> tuple[RunState, HartMaster, str]:
    _, _, state = load_state(run_id)
    source = state.sources.get("device")
    if not source:
        raise Fault("no_device", "No communication is chosen for this run. Choose it, or type what the communicator shows.", field="device")
    device, _ = find_signal(str(source["signal"]))
    if device.protocol != "hart":
        raise Fault("no_device", f"{device.label} does not speak to transmitters.", field="device")
    return state, HartMaster(device.host, device.port, timeout_s=device.timeout_s), device.label


def read_device(*, actor: Person, run_id: uuid.UUID, kind: str, now: datetime) -> tuple[Run, RunState]:
    """Read every parameter and keep it as a set: before, read back or after."""
    require(actor, "work on a run")
    if kind not in ("before", "read back", "after"):
        raise Fault("unknown_choice", "A device is read as the set before, to read back, or as the set after.", field="kind")
    state, master, label = _open(run_id)
    step = make_progress(state, get_method(state.setup.method)).current
    values = _talk(master, master.read_all)
    require_same_device(state, values, nothing="Nothing of it was kept.")
    payload = {"step": step.key if step else "", "kind": kind, "values": values, "source": f"read from {label}"}
    return append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "parameters_captured", payload), now=now)


def _talk(master: HartMaster, act: Any) -> Any:
    try:
        return act()
    except SourceFault as fault:
        raise Fault(fault.code, f"{fault.message} The record stands as it was; try again, or type the values.", field="device") from fault
    finally:
        master.close()


def _require_own(state: RunState, master: HartMaster) -> None:
    """Asked in the same conversation, right before anything is written: the tag and number of whoever listens now."""
    require_same_device(state, master.who(), nothing="Nothing was written to it.")


def accept_device(*, actor: Person, run_id: uuid.UUID, reason: str, now: datetime) -> tuple[Run, RunState]:
    """The device that answers now is the one that is meant, though its tag says otherwise: a step of its own, with a reason."""
    require(actor, "work on a run")
    _, master, _ = _open(run_id)
    payload = {**_talk(master, master.who), "reason": reason}
    return append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "device_accepted", payload), now=now)


def send_pending(*, actor: Person, run_id: uuid.UUID, now: datetime) -> tuple[Run, RunState]:
    """Send what is pending, read the device back, and record both."""
    require(actor, "work on a run")
    state, master, label = _open(run_id)
    require_hold(state, "The loop current can move")
    step = make_progress(state, get_method(state.setup.method)).current
    if step is None or step.kind != "compare":
        raise Fault("not_current", "Parameters are sent at 'Set range, damping, trims'. Nothing was sent.", field="step")
    payload = {"step": step.key, "kind": "sent", "values": {"lrv": 0}, "source": f"sent to {label}"}
    admit_parameters(state, step, payload)
    values, held = dict(pending_values(state)), dict(device_values(state))
    back: dict[str, Any] = {}

    def act() -> None:
        _require_own(state, master)
        master.write(values, held)
        back.update(master.read_all())

    try:
        _talk(master, act)
    except Fault as fault:
        if fault.code == "another_device":
            raise
        raise Fault(fault.code, f"{fault.message} Part of it may have been taken: read the device again.", field="device") from fault
    append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "parameters_captured", payload), now=now)
    told = {"step": step.key, "kind": "read back", "values": back, "source": f"read from {label}"}
    return append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "parameters_captured", told), now=now)


def act_on_device(*, actor: Person, run_id: uuid.UUID, act: str, value: str, now: datetime) -> tuple[Run, RunState]:
    """Do one act on the device and record it; refused without an open hold."""
    require(actor, "work on a run")
    if act not in ACTS:
        raise Fault("unknown_choice", f"'{act}' is not something that can be done to a transmitter here.", field="act")
    state, master, _ = _open(run_id)
    method = get_method(state.setup.method)
    step = make_progress(state, method).current
    chosen, device = ACTS[act], device_values(state)
    own = str(device.get("unit") or state.setup.instrument.unit)
    unit = "mA" if chosen.asks == "mA" else own
    number = parse_typed(value, name="The value", unit=unit, field="value") if chosen.asks else None
    if number:
        require_possible(chosen, number.value, unit, device)
    payload = {
        "step": step.key if step else "",
        "act": act,
        "words": chosen.words.format(value=number.text if number else "", unit=unit),
        "values": {"value": number.text} if number else {},
    }
    admit(state, method, "device_acted", payload=payload, now=now)

    def do() -> str:
        _require_own(state, master)
        if chosen.is_trim and master.status & MALFUNCTION:
            told = (
                "The device reports a malfunction: a trim would hide it. Nothing was sent. Read its diagnostics, and repair or exchange it."
            )
            raise Fault("malfunction", told, field="device")
        _do(master, act, number.value if number else 0.0, own)
        return _shows(master) if chosen.is_trim or act in (HELD, FOLLOWS) else ""

    payload["words"] += _talk(master, do)
    return append_seen(actor=actor, run_id=run_id, event=NewEvent(uuid.uuid4(), "device_acted", payload), now=now)


def end_loop_test(*, run_id: uuid.UUID, now: datetime) -> None:
    """A loop test that was left ends by itself: the output follows the process again, is read back, and both are on the record.

    Raises a Fault while the device does not answer, another one does, or no hold is open; NotAllowed where who held it may not work on runs now.
    """
    run, _, _ = load_state(run_id)
    state, master, _ = _open(run_id)
    held = held_act(state)
    if held is None:
        return
    require(run.technician, "work on a run")
    require_hold(state, "The loop current can move")

    def do() -> str:
        _require_own(state, master)
        master.act(HELD, 0.0)
        return _shows(master)

    words = f"{ACTS[FOLLOWS].words}, by itself{_talk(master, do)}"
    payload = {"step": held["step"], "act": FOLLOWS, "words": words, "values": {}}
    append_seen(actor=run.technician, run_id=run_id, event=NewEvent(uuid.uuid4(), "device_acted", payload), now=now)


def _shows(master: HartMaster) -> str:
    """What the device says of itself after it was trimmed; nothing where it does not answer, since the trim itself is done."""
    try:
        (pv, unit), (ma, _) = master.read_pv(), master.read_current()
    except SourceFault:
        return "; it has not told its value since"
    return f"; it shows {pv:.5g} {unit} and {ma:.3f} mA"


def _do(master: HartMaster, act: str, value: float, unit: str) -> None:
    if act in ("protect", "unprotect"):
        master.act("write_protect", 1.0 if act == "protect" else 0.0)
    elif act == FOLLOWS:
        master.act(HELD, 0.0)
    else:
        master.act(act, value, unit)


NOW = "now"  # the kind of a set that is the device as it was last read or written, whatever that was for


def parameter_file(run_id: uuid.UUID, kind: str) -> Mapping[str, Any]:
    """A parameter set of a run as an open JSON document."""
    run, _, state = load_state(run_id)
    about: dict[str, Any] = {"format": FORMAT, "tag": state.setup.instrument.tag, "run": run.label, "kind": kind}
    if kind == NOW:
        if not device_values(state):
            raise Fault("not_read", "The device has not been read in this run yet. Read it first.", field="kind")
        return {**about, "values": dict(device_values(state))}
    found = next((p for p in reversed(state.parameters) if p.kind == kind), None)
    if found is None:
        raise Fault("not_read", f"This run has no parameter set '{kind}'.", field="kind")
    return {**about, "source": found.source, "by": found.by, "at": found.at.isoformat(), "values": dict(found.values)}
