"""Which signal a quantity of a run is read from: of this instrument, of the right side, and never both sides at once."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.methods.method import Method
from metrology.methods.parameters import TRIM_ACTS
from metrology.run.progress import (
    Progress,
    current_slot,
)
from metrology.run.same_device import require_same_device
from metrology.run.state import RunState

OWN_ROLES = ("pv", "own", "indicated")  # signals of what an instrument says; the others come from test gear


def says_of_itself(quantity: str, role: str, wired_to: str, tag: str) -> bool:
    """Whether a signal is what the instrument under test says of itself, so that it can't stand for what is really applied."""
    return quantity == "applied" and bool(tag) and wired_to == tag and role in OWN_ROLES


def quantities_of(state: RunState, method: Method, progress: Progress) -> set[str]:
    """What can be read live in a run: the quantities of its readings and watched conditions, and the device where it is compared or trimmed."""
    steps = [p.step for p in progress.steps]
    sets = {s.set_name for s in steps if s.kind == "readings"}
    slots = [slot for key in sets for slot in method.trial.plan(state.setup, key).slots]
    at = progress.current
    current = current_slot(state, method, at.key) if at and at.kind == "readings" else None
    asked = {q.name for slot in (*slots, *([current] if current else [])) for q in method.trial.asks(state.setup, slot)}
    watched = [method.watching.watched(state.setup, s) for s in steps if s.kind == "condition"]
    asked |= {q.name for found in watched if found for q in found[1]}
    return asked | ({"device"} if any(s.kind == "compare" or s.variant in TRIM_ACTS for s in steps) else set())


def channels_of(state: RunState, method: Method, progress: Progress) -> set[str]:
    """The channels that a run reads."""
    sets = {p.step.set_name for p in progress.steps if p.step.kind == "readings"}
    return {slot.channel for key in sets for slot in method.trial.plan(state.setup, key).slots}


def admit_source(state: RunState, method: Method, progress: Progress, payload: Mapping[str, Any]) -> dict[str, Any]:
    """A quantity read live from a signal, or by hand again. What the signal is was looked up by the server."""
    quantity = str(payload.get("quantity", ""))
    if quantity not in quantities_of(state, method, progress):
        raise Fault("unknown_quantity", f"'{quantity}' is not a quantity of this run.", field="quantity")
    signal = str(payload.get("signal", "") or "")
    tag = state.setup.instrument.tag
    if says_of_itself(quantity, str(payload.get("role", "")), str(payload.get("wired_to", "")), tag):
        told = (
            f"{payload.get('label', signal)} is what {tag} says of itself; it can't stand for what is really applied. Choose the reference."
        )
        raise Fault("own_signal", told, field="signal")
    if quantity != "device":  # which is asked who it is each time it is read or written to
        require_same_device(state, payload.get("device") or {}, nothing="It was not chosen.")
    wired_to = str(payload.get("wired_to", "") or "")
    if quantity != "applied" and wired_to not in ("", tag) and str(payload.get("role", "")) in OWN_ROLES:
        told = f"{payload.get('label', signal)} is wired to {wired_to}; this run is of {tag}. Another instrument can't speak for it."
        raise Fault("another_device", told, field="signal")
    other = {"applied": "indicated", "indicated": "applied"}.get(quantity, "")
    if signal and any(s["signal"] == signal and s["quantity"] == other for s in state.sources.values()):
        told = (
            f"{payload.get('label', signal)} stands for the other side already: what is applied can't prove itself. Choose another signal."
        )
        raise Fault("same_signal", told, field="signal")
    channel = method.watching.source_channel(quantity, str(payload.get("channel", "") or ""))
    known = {method.watching.source_channel(quantity, c) for c in channels_of(state, method, progress)}
    if channel and channel not in known:
        raise Fault("unknown_channel", f"This run reads no '{channel}'.", field="channel")
    return {
        "quantity": quantity,
        **({"channel": channel} if channel else {}),
        "signal": signal,
        "label": str(payload.get("label", "")) if signal else "",
        "unit": str(payload.get("unit", "")) if signal else "",
        "stimulus": str(payload.get("stimulus", "")) if signal else "",
    }
