"""Readings of a run as a trial judges them: each with its own slot, with what stood for the truth and what had been entered then."""

from __future__ import annotations

from collections.abc import Mapping

from metrology.judgement.reference import ReferenceStandard, reference_from
from metrology.methods.method import Method
from metrology.methods.slots import RawReading, Slot
from metrology.run.entries import Reading
from metrology.run.state import RunState


def references_of(state: RunState, standards: Mapping[str, str] | None = None) -> Mapping[str, ReferenceStandard]:
    """The references of some assignments, by role; of those in use now when none are named."""
    out = {}
    for role, event in (state.standing if standards is None else standards).items():
        payload = state.assigned.get(event)
        if payload is None or "reference" not in payload:
            continue
        if event not in state.made:
            state.made[event] = reference_from(payload["reference"])
        out[role] = state.made[event]
    return out


def slot_of(state: RunState, method: Method, r: Reading) -> Slot:
    """The slot of a reading: as it was when it was taken; of older readings, the one of that place in the plan."""
    return r.point if r.point is not None else method.trial.plan(state.setup, r.step).slots[r.slot]


def raw(state: RunState, method: Method, r: Reading) -> RawReading:
    """One reading as a trial judges it; the same one as long as the run is carried on, so that what was worked out of it is kept with it."""
    held = state.raws.get(r.id)
    if held is not None:
        return held
    references = references_of(state, r.standards)
    point = r.point
    made = RawReading(point or slot_of(state, method, r), r.applied, r.indicated, r.extra, r.at.date(), references, r.entered)
    if point is not None:  # of older ones the slot may change with what is entered
        state.raws[r.id] = made
    return made


def raw_readings(state: RunState, method: Method, step_key: str) -> list[RawReading]:
    """The readings of one step that count."""
    return [raw(state, method, r) for r in state.active_readings(step_key).values()]
