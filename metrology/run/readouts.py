"""What an instrument on the bench tells of the fields of a step, and what it is told: an act, so that the record says what was read, not typed."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from metrology.faults import Fault
from metrology.methods.steps import Field, Readout, Step
from metrology.run.state import RunState


def readout_of(step: Step, key: str) -> Readout:
    """One of the readouts of a step."""
    found = next((r for r in step.readouts if r.key == key), None)
    if found is None:
        raise Fault("not_current", f"'{step.title}' reads nothing like that from the instrument. Nothing was kept.", field="readout")
    return found


def require_still(label: str, unit: str, looks: list[float], still: float) -> float:
    """The middle of several looks at one signal; refused while they lie further apart than `still`."""
    low, high = min(looks), max(looks)
    if still and high - low > still:
        told = f"{label} is still moving: {low:.4f} to {high:.4f} {unit}. Nothing was kept. Wait until it stands, then read again."
        raise Fault("moving", told, field="readout")
    return sorted(looks)[len(looks) // 2]


def told_text(value: float) -> str:
    """A number as a register of single precision tells it: to six digits."""
    return format(Decimal(f"{value:.6g}"), "f")


def note_on(field: Field, value: float) -> str:
    """What there is to say of a number that a field may be given: outside its limits, or not as it was to be expected."""
    low, high = field.likely or (field.low, field.high)
    if (low is None or low <= value) and (high is None or value <= high):
        return ""
    return field.doubt or field.why or "not as expected"


def admit_read(state: RunState, step: Step | None, payload: Mapping[str, Any]) -> dict[str, Any]:
    """What was read for fields of the current step; needs no hold, since nothing moves by it."""
    if step is None or step.key != payload.get("step") or not (step.readouts or step.loads):
        raise Fault("not_current", "The run has gone on meanwhile; nothing was kept.", field="step")
    names = {name for r in step.readouts for name, _ in r.takes} | {name for name, _ in step.loads}
    values = {k: str(v) for k, v in dict(payload.get("values") or {}).items() if k in names}
    return {"step": step.key, "act": payload["act"], "words": str(payload["words"]), "values": values}


FILE_FORMAT = "verify-loop-indicator/1"


def parameters_file(state: RunState, step: Step) -> dict[str, Any]:
    """The parameters that were read back, as an open document with whose they are."""
    i, known = state.setup.instrument, dict(state.setup.entered)
    return {
        "format": FILE_FORMAT,
        "tag": i.tag,
        "serial": i.serial,
        "values": {name: known.get(entered, "") for name, entered in step.saves},
    }


def values_of_file(state: RunState, step: Step, document: Mapping[str, Any]) -> dict[str, str]:
    """What a file of parameters has for the fields of a step; raises a Fault where it is of another instrument, or is none."""
    if not step.loads:
        raise Fault("not_current", "No file of parameters is asked for at this step. Nothing was taken from it.", field="file")
    values = document.get("values")
    if document.get("format") != FILE_FORMAT or not isinstance(values, Mapping):
        raise Fault(
            "bad_file", f"This is no file of parameters that was saved here ({FILE_FORMAT}). Nothing was taken from it.", field="file"
        )
    i = state.setup.instrument
    for label, held, own in (("tag", document.get("tag"), i.tag), ("serial", document.get("serial"), i.serial)):
        if str(held) != own:
            told = f"This file is of {label} {held}; this is {own}. Nothing was taken from it: choose the file of {i.tag}."
            raise Fault("another_device", told, field="file")
    missing = [name for _, name in step.loads if not str(values.get(name, "")).strip()]
    if missing:
        raise Fault("bad_file", f"The file has no {', '.join(missing)}. Nothing was taken from it.", field="file")
    return {field: str(values[name])[:40] for field, name in step.loads}
