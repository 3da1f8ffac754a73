"""Parameter sets in a run: pending against device values, sent, read back, compared."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from metrology.faults import Fault
from metrology.methods.parameters import BY_NAME, FOLLOWS, HELD, check_pending, differences, read_values, same, with_ends, words
from metrology.methods.setup import InstrumentSetup
from metrology.methods.steps import Step
from metrology.quantities.units import convert
from metrology.run.entries import ENDED_OTHERWISE, ParameterSet
from metrology.run.fields import text_of
from metrology.run.same_device import is_tag_of, require_same_device
from metrology.run.state import RunState

KINDS = ("before", "pending", "sent", "read back", "after")


def held_act(state: RunState) -> Mapping[str, Any] | None:
    """The act by which a loop test still holds the output; None where it follows the process, or was ended at the device."""
    last = next((a for a in reversed(state.acts) if a["act"] in (HELD, FOLLOWS)), None)
    if last is None or last["act"] != HELD:
        return None
    ended = any(n.kind == ENDED_OTHERWISE and n.at >= datetime.fromisoformat(last["at"]) for n in state.notes)
    return None if ended else last


def held_output(state: RunState) -> str:
    """At which current a loop test still holds the output, in words; empty where it follows the process."""
    held = held_act(state)
    return f"{(held.get('values') or {}).get('value', '')} mA".strip() if held else ""


def require_hold(state: RunState, why: str) -> None:
    """Refuse while no hold is open; on the bench nothing acts on it."""
    if not state.open_holds and not state.setup.is_on_bench:
        raise Fault(
            "no_hold",
            f"{why}, and no hold is open on this run. Nothing was sent. Have the operator hold the signal (control in manual), "
            "record the hold, then send.",
            field="hold",
        )


def latest(state: RunState, *kinds: str) -> ParameterSet | None:
    """The last parameter set of one of these kinds."""
    return next((p for p in reversed(state.parameters) if p.kind in kinds), None)


def device_values(state: RunState) -> Mapping[str, Any]:
    """What the device was last seen to hold."""
    seen = latest(state, "before", "read back", "after")
    return seen.values if seen else {}


def pending_values(state: RunState) -> Mapping[str, Any]:
    """Edits that have not been sent yet; empty when there are none."""
    for p in reversed(state.parameters):
        if p.kind == "sent":
            return {}
        if p.kind == "pending":
            return p.values
    return {}


def against_register(instrument: InstrumentSetup, device: Mapping[str, Any]) -> tuple[str, ...]:
    """Where the device's tag, range and transfer are not those of the register, a sentence each; what was not read is passed over."""
    out = []
    tag = str(device.get("tag") or "")
    if tag and not is_tag_of(tag, instrument.tag):
        out.append(f"Tag: the device says {tag}, the register {instrument.tag}.")
    unit = str(device.get("unit") or instrument.unit)
    kind = instrument.transfer.kind
    ends = (instrument.lrv, instrument.urv)
    for name, wanted in zip(("lrv", "urv"), reversed(ends) if kind == "reverse" else ends, strict=True):
        if name not in device:
            continue
        shown = f"{BY_NAME[name].label}: the device says {device[name]:g} {unit}, the register {wanted:g} {instrument.unit}."
        try:
            held = convert(float(device[name]), unit, to_unit=instrument.unit)
        except Fault:
            out.append(f"{shown} These units can't be compared.")
            continue
        if not same(name, held, wanted):
            out.append(shown)
    if kind in ("linear", "sqrt") and device.get("transfer") not in (None, "", kind):
        told = (words("transfer", device["transfer"]), words("transfer", kind))
        out.append(f"Transfer: the device says {told[0]}, the register {told[1]}. It must be applied once only.")
    return tuple(out)


def admit_parameters(state: RunState, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload of a parameter set; sending needs the hold, edits must fit the device."""
    kind = str(payload.get("kind", ""))
    if kind not in KINDS:
        raise Fault("unknown_choice", f"A parameter set is one of: {', '.join(KINDS)}.", field="kind")
    raw = payload.get("values")
    if not isinstance(raw, Mapping):
        raise Fault("missing", "The parameter set is empty.", field="values")
    if kind == "pending":
        if not device_values(state):
            raise Fault("not_read", "Read the device first: an edit is set against what it holds.", field="values")
        typed, held = read_values({k: v for k, v in raw.items() if str(v).strip() != ""}, settable_only=True), device_values(state)
        values = with_ends({k: v for k, v in typed.items() if k not in held or differences({k: held[k]}, {k: v})}, typed, held)
        check_pending(values, held)
    elif kind == "sent":
        require_hold(state, "Sending moves the loop current")
        values = dict(pending_values(state))
        if not values:
            raise Fault("nothing_pending", "There is nothing pending to send.", field="values")
        if device_values(state).get("write_protect"):
            raise Fault(
                "write_protected", "The device is write-protected and kept its values. Take the protection off first.", field="values"
            )
    else:
        values = read_values({k: v for k, v in raw.items() if str(v).strip() != ""})
        if kind != "read back" and not {"lrv", "urv"} <= set(values):
            raise Fault("missing", "LRV and URV are needed of every parameter set.", field="lrv")
        if payload.get("source") and kind != "read back":  # read from a device by the server, not typed
            require_same_device(state, values, nothing="Nothing was kept.")
    return {"step": step.key, "kind": kind, "values": values, "source": str(payload.get("source") or "typed")}


def admit_compared(state: RunState, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The end of a compare step: what was to be shown has been shown, or a reason says why it stands."""
    complaint = _complaint(state, step)
    reason = text_of(payload, "reason", label="The reason", required=False)
    if complaint and not (reason and complaint.context.get("needs_reason")):
        raise complaint
    return {"step": step.key, "values": {"reason": reason} if complaint else {}, "checks": []}


def _complaint(state: RunState, step: Step) -> Fault | None:
    before, after = latest(state, "before"), latest(state, "after")
    if step.variant == "read":
        return (
            None
            if before
            else Fault("not_read", "Read the device, or type what the communicator shows, and keep it as the set before.", field="before")
        )
    if step.variant == "edit":
        return _unproved(state)
    if after is None or _changed_after(state, after):
        return Fault("not_read", "Read the device once more: the set after is the record of how it is left.", field="after")
    if before and before.values.get("write_protect") and not after.values.get("write_protect"):
        told = "Write protection was on before and is off now. Put it back on and read again, or say why it stays off."
        return Fault("protection_off", told, field="reason", needs_reason=True)
    apart = against_register(state.setup.instrument, after.values)
    if apart:
        told = f"{' '.join(apart)} Say which one is right and who brings the other in line."
        return Fault("not_register", told, field="reason", needs_reason=True)
    return None


def _changed_after(state: RunState, after: ParameterSet) -> bool:
    acts = [a for a in state.acts if a["at"] > after.at.isoformat()]
    return bool(acts) or any(p.kind == "sent" and p.at > after.at for p in state.parameters)


def _unproved(state: RunState) -> Fault | None:
    """Edits not sent, sent and not read back, or read back different."""
    if pending_values(state):
        return Fault("not_sent", "There are edits that were not sent. Send them, or take them back.", field="pending")
    sent, back = latest(state, "sent"), latest(state, "read back")
    if sent is None:
        return None
    if back is None or back.at < sent.at:
        return Fault(
            "not_read_back", "What was sent has not been read back. A sent value counts when the device shows it.", field="read_back"
        )
    wrong = differences(sent.values, back.values)
    if wrong:
        told = "; ".join(f"{BY_NAME[n].label}: sent {words(n, a)}, reads {words(n, b)}" for n, a, b in wrong)
        return Fault(
            "differs",
            f"The device does not hold what was sent. {told}. Send again, or say why it stands.",
            field="reason",
            needs_reason=True,
        )
    return None
