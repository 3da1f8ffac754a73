"""The device that answers is the device that is meant: its own tag and number against the run, before it is read as such or written to.

A device that was exchanged before its tag was set is accepted in a step of its own, with a reason; from then on its number counts.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.quantities.words import letters_of
from metrology.run.fields import text_of
from metrology.run.state import RunState


def is_tag_of(device_tag: str, tag: str) -> bool:
    """Whether a device's tag, of eight characters at most, is that of an instrument; case, hyphens and blanks don't count."""
    told, wanted = letters_of(device_tag), letters_of(tag)
    return told in (wanted, wanted[:8], letters_of(tag[:8]))


def require_same_device(state: RunState, seen: Mapping[str, Any], *, nothing: str) -> None:
    """Refuse a device that is not the run's own. seen: its tag and serial as it told them, what it did not tell left out; nothing: what was not done.

    The device that the run has read before stays the one that is meant, by its number, whatever tag it is given here.
    """
    tag, serial = str(seen.get("tag") or ""), str(seen.get("serial") or "")
    known = _number(state)
    if known and serial:
        if serial == known:
            return
        says = f"is number {serial}; this run has read number {known}"
    elif "tag" not in seen or is_tag_of(tag, state.setup.instrument.tag):
        return
    else:
        says = f"{f'says it is {tag}' if tag else 'has no tag'}; this run is of {state.setup.instrument.tag}"
    told = (
        f"Another device answers: it {says}. {nothing} Look at the connection. If the device was exchanged, and its tag is not set yet, accept it with "
        "a reason."
    )
    raise Fault("another_device", told, field="device", tag=tag, serial=serial, can_accept=bool(serial))


def _number(state: RunState) -> str:
    """The number of the device that is the run's own: the last one accepted as such, else the first one read; empty while none was."""
    accepted = [str(d["serial"]) for d in state.accepted_devices]
    read = [str(p.values["serial"]) for p in state.parameters if p.kind in ("before", "read back", "after") and p.values.get("serial")]
    return accepted[-1] if accepted else read[0] if read else ""


def admit_device(state: RunState, payload: Mapping[str, Any]) -> dict[str, Any]:
    """A device with another tag, or none, accepted as the run's own. What it is was asked of it by the server."""
    reason = text_of(payload, "reason", label="Why this device is the one that is meant")
    if len(reason) < 5:
        raise Fault("missing", "Say in a few words why this device is the one that is meant.", field="reason")
    serial = str(payload.get("serial") or "")
    if not serial:
        raise Fault("no_number", "The device did not tell its number; it can't be accepted.", field="device")
    return {"serial": serial, "tag": str(payload.get("tag") or ""), "reason": reason}


def accepted_words(device: Mapping[str, Any], tag: str) -> str:
    """An accepted device as the record tells it."""
    named = f"with the tag {device['tag']}" if device["tag"] else "without a tag"
    return f"Device number {device['serial']} {named} was accepted as {tag} by {device['by']}: {device['reason']}"
