"""Admitting typed readings and adjustments: parsed, doubted where they can't be, put in their slot."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.methods.base import Method, Slot
from metrology.methods.setup import InstrumentSetup
from metrology.methods.steps import Step
from metrology.quantities.typed import Typed, parse_typed, suggest_slip
from metrology.quantities.words import decimals_for, number
from metrology.run.progress import current_slot, passes_of
from metrology.run.state import RunState

# An output can reach a little past its ends (NAMUR NE 43: 3.6 and 21 mA and above signal a fault).
BELOW_SPAN, ABOVE_SPAN = 0.025, 0.125
APPLIED_NEAR = 0.05  # of span: an applied value further from its point is doubted
SLIP_NEAR = 0.10  # of span: how near a proposed correction must be to the expected output


def output_limits(i: InstrumentSetup) -> tuple[float, float]:
    """Lowest and highest output that is believed without asking: 3.6 and 22 for 4-20 mA."""
    span = i.output_hi - i.output_lo
    return i.output_lo - BELOW_SPAN * span, i.output_hi + ABOVE_SPAN * span


def admit_reading(state: RunState, method: Method, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload of a reading for the slot that is next; raises a Fault to refuse or to ask."""
    slot = current_slot(state, method, step.key)
    if slot is None:
        raise Fault("set_complete", f"All points of '{step.title}' are taken. Nothing was stored.", field="slot")
    if payload.get("slot") != slot.index:
        wanted = payload.get("slot")
        told = f"point {wanted + 1}" if isinstance(wanted, int) else "no point"
        raise Fault("wrong_slot", f"Point {slot.index + 1} is next and the reading was for {told}. Nothing was stored.", field="slot")
    i = state.setup.instrument
    applied = parse_typed(
        str(payload.get("applied", "")) or number(slot.nominal, decimals_for(i.urv - i.lrv)),
        name="The applied value",
        unit=i.unit,
        field="applied",
    )
    indicated = parse_typed(str(payload.get("indicated", "")), name="The reading", unit=i.output_unit, field="indicated")
    confirmed = bool(payload.get("confirmed_unlikely"))
    if not confirmed:
        _doubt_applied(i, slot, applied)
        doubt_output(i, slot.ideal, indicated, name=f"Reading {slot.index + 1}")
    return {
        "step": step.key,
        "slot": slot.index,
        "cycle": slot.cycle,
        "direction": slot.direction,
        "nominal": number(slot.nominal, decimals_for(i.urv - i.lrv)),
        "applied": applied.text,
        "indicated": indicated.text,
        "source": "typed",
        **({"confirmed_unlikely": True} if confirmed else {}),
    }


def _doubt_applied(i: InstrumentSetup, slot: Slot, applied: Typed) -> None:
    if abs(applied.value - slot.nominal) <= APPLIED_NEAR * abs(i.urv - i.lrv):
        return
    raise Fault(
        "unlikely_applied",
        f"You typed {applied.text} {i.unit} as applied; this point is {slot.nominal:g} {i.unit}. Is it really applied?",
        field="applied",
        can_confirm=True,
    )


def doubt_output(i: InstrumentSetup, ideal: float, indicated: Typed, *, name: str) -> None:
    """Raise a Fault that asks, when an output is outside what it can be, with the likelier number if there is one."""
    low, high = output_limits(i)
    if low <= indicated.value <= high:
        return
    slip = suggest_slip(indicated.text, low=low, high=high, expected=ideal, close=SLIP_NEAR * (i.output_hi - i.output_lo))
    ask = f"Did you mean {slip} {i.output_unit}?" if slip else "Check the unit or type it again."
    raise Fault(
        "unlikely_reading",
        f"{name} is {indicated.text} {i.output_unit}; this output gives {low:g} to {high:g} {i.output_unit}. {ask}",
        field="indicated",
        suggestion=slip,
        can_confirm=True,
    )


def slip_in(i: InstrumentSetup, ideal: float, indicated: str, tolerance: float) -> str | None:
    """A likelier number for a reading that was believed but is far out: within tolerance (% of span) of the ideal."""
    span = i.output_hi - i.output_lo
    value = float(indicated)
    if abs(value - ideal) < 4 * tolerance / 100 * span:
        return None
    low, high = output_limits(i)
    return suggest_slip(indicated, low=low, high=high, expected=ideal, close=1.5 * tolerance / 100 * span)


def admit_adjustment(state: RunState, method: Method, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload of one look at zero or span."""
    progress = method.adjust_progress(state.setup, passes_of(state, step.key))
    if progress.is_converged or progress.is_stuck:
        raise Fault("adjusting_ended", f"{progress.says} Nothing was stored.", field="step")
    if payload.get("screw") != progress.next_screw:
        raise Fault(
            "wrong_screw",
            f"{progress.next_screw.capitalize()} is next: zero comes before span, in turn. Nothing was stored.",
            field="screw",
        )
    i = state.setup.instrument
    target = next(t for t in method.adjust_targets(state.setup) if t.screw == progress.next_screw)
    confirmed = bool(payload.get("confirmed_unlikely"))
    texts = {}
    for name, label in (("before", "Before"), ("after", "After")):
        raw = str(payload.get(name, "") or "").strip()
        if name == "after" and not raw:
            texts[name] = ""
            continue
        typed = parse_typed(raw, name=label, unit=i.output_unit, field=name)
        if not confirmed:
            try:
                doubt_output(i, target.ideal, typed, name=label)
            except Fault as fault:
                fault.field = name
                raise
        texts[name] = typed.text
    if not texts["after"] and abs(float(texts["before"]) - target.ideal) > target.aim * (1 + 1e-9):
        raise Fault(
            "not_in_aim",
            f"{texts['before']} {i.output_unit} is not within {target.aim:.3g} {i.output_unit} of {target.ideal:.3f}. "
            "Turn it and type what it reads after.",
            field="after",
        )
    return {"step": step.key, "screw": target.screw, **texts, **({"confirmed_unlikely": True} if confirmed else {})}
