"""Admitting readings and adjustments: parsed, doubted where they can't be, put in their slot."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from metrology.faults import Fault
from metrology.methods.method import Method
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, Slot
from metrology.methods.steps import Step
from metrology.quantities.typed import Typed, parse_typed, refuse_open, suggest_slip
from metrology.quantities.words import decimals_for, number
from metrology.run.fields import text_of
from metrology.run.paper import paper_time
from metrology.run.progress import current_slot, passes_of
from metrology.run.state import RunState


def admit_reading(state: RunState, method: Method, step: Step, payload: Mapping[str, Any], *, now: datetime) -> dict[str, Any]:
    """The completed payload of a reading for the slot that is next; raises a Fault to refuse or to ask.

    `read_at` names the moment written on paper when a reading is typed in afterwards; both times are kept.
    """
    slot = current_slot(state, method, step.key)
    if slot is None:
        raise Fault("set_complete", f"All points of '{step.title}' are taken. Nothing was stored.", field="slot")
    if payload.get("slot") != slot.index:
        wanted = payload.get("slot")
        told = f"point {wanted + 1}" if isinstance(wanted, int) else "no point"
        raise Fault("wrong_slot", f"Point {slot.index + 1} is next and the reading was for {told}. Nothing was stored.", field="slot")
    is_marked = bool(payload.get("confirmed_unlikely"))
    confirmed = is_marked or bool(payload.get("chromatogram"))  # what a detector drew is no slip of the fingers
    texts: dict[str, str] = {}
    for q in method.trial.asks(state.setup, slot):
        if q.is_live_only and not (payload.get("captured") or {}).get(q.name):
            continue
        typed = _typed(q, payload)
        if typed is None:
            continue
        if not confirmed:
            _doubt(q, typed, name=f"Reading {slot.index + 1}" if q.name == "indicated" else f"The {q.label.lower()}")
        texts[q.name] = typed.text
    i = state.setup.instrument
    captured = payload.get("captured")
    on_paper = paper_time(state, step.key, payload, now)
    return {
        "step": step.key,
        "slot": slot.index,
        "cycle": slot.cycle,
        "direction": slot.direction,
        "nominal": number(slot.nominal, decimals_for(i.urv - i.lrv)),
        "point": {"percent": slot.percent, "nominal": slot.nominal, "ideal": slot.ideal, "extra": dict(slot.extra)},
        "standards": standards_at(state, method, slot),
        **method.trial.record(state.setup, slot, texts),
        **({"channel": slot.channel} if slot.channel else {}),
        **slot.extra,
        "source": "live" if captured else "chromatogram" if payload.get("chromatogram") else "paper" if on_paper else "typed",
        **({"chromatogram": str(payload["chromatogram"])} if payload.get("chromatogram") else {}),
        **({"read_at": on_paper} if on_paper else {}),
        **({"captured": captured} if captured else {}),
        **({"confirmed_unlikely": True} if is_marked else {}),
    }


def standards_at(state: RunState, method: Method, slot: Slot) -> dict[str, str]:
    """What stands for the truth at a slot, as role and the event that assigned it: the one that is on there, and those that stand by."""
    on = method.standards.role_at(state.setup, slot)
    if not on:
        return dict(state.standing)
    standing_by = {n.role for n in method.standards.needs(state.setup) if n.kind == "reference"}
    return {role: event for role, event in state.standing.items() if role == on or role in standing_by}


def _typed(q: Quantity, payload: Mapping[str, Any]) -> Typed | None:
    """The number given for a quantity; applied stands at its point when nothing was typed."""
    text = str(payload.get(q.name, "") or "")
    if not text and not q.required:
        return None
    if not text and q.name == "applied":
        text = number(q.expected, q.decimals)
    name = {"applied": "The applied value", "indicated": "The reading"}.get(q.name, f"The {q.label.lower()}")
    typed = parse_typed(text, name=name, unit=q.unit, field=q.name)
    if typed.is_open(q.low, q.high):
        refuse_open(typed, text, name=name, field=q.name)
    return typed


def _doubt(q: Quantity, typed: Typed, *, name: str) -> None:
    if q.low <= typed.value <= q.high:
        return
    if q.name == "applied":
        raise Fault(
            "unlikely_applied",
            f"You typed {typed.text} {q.unit} as applied; this point is {number(q.expected, q.decimals)} {q.unit}. Is it really applied?",
            field="applied",
            can_confirm=True,
        )
    doubt_output(q, typed, name=name)


def doubt_output(q: Quantity, typed: Typed, *, name: str) -> None:
    """Raise a Fault that asks, when a number is outside what it can be, with the likelier number if there is one."""
    if q.low <= typed.value <= q.high:
        return
    if q.doubt:
        raise Fault("unlikely_reading", f"{name} is {typed.text} {q.unit}. {q.doubt}", field=q.name, can_confirm=True)
    slip = suggest_slip(typed.text, low=q.low, high=q.high, expected=q.expected, close=q.near)
    whose = "this output" if q.name == "indicated" else "it"
    ask = f"Did you mean {slip} {q.unit}?" if slip else "Check the unit or type it again."
    raise Fault(
        "unlikely_reading",
        f"{name} is {typed.text} {q.unit}; {whose} gives {q.low:g} to {q.high:g} {q.unit}. {ask}",
        field=q.name,
        suggestion=slip,
        can_confirm=True,
    )


def slip_in(setup: RunSetup, q: Quantity, *, ideal: float, indicated: str, tolerance: float) -> str | None:
    """A likelier number for a reading that was believed but is far out: within tolerance (% of span) of the ideal."""
    i = setup.instrument
    if q.unit != i.output_unit:
        return None
    span = i.output_hi - i.output_lo
    if abs(float(indicated) - ideal) < 4 * tolerance / 100 * span:
        return None
    return suggest_slip(indicated, low=q.low, high=q.high, expected=ideal, close=1.5 * tolerance / 100 * span)


def admit_adjustment(state: RunState, method: Method, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload of one look at zero or span."""
    progress = method.adjusting.progress(state.setup, passes_of(state, step.key), step.variant)
    if progress.is_converged or progress.is_stuck:
        raise Fault("adjusting_ended", f"{progress.says} Nothing was stored.", field="step")
    targets = method.adjusting.targets(state.setup, step.variant)
    barred = next((t.barred for t in targets if t.screw == payload.get("screw") and t.barred), "")
    if barred:
        raise Fault("barred", f"{barred} Nothing was stored.", field="screw")
    if payload.get("screw") != progress.next_screw:
        raise Fault(
            "wrong_screw",
            f"{progress.next_screw.capitalize()} is next: zero comes before span, in turn. Nothing was stored.",
            field="screw",
        )
    target = next(t for t in targets if t.screw == progress.next_screw)
    confirmed = bool(payload.get("confirmed_unlikely"))
    refused = payload.get("outcome") == "refused"
    texts = {}
    for name, label in (("before", "Before"), ("after", "After")):
        raw = str(payload.get(name, "") or "").strip()
        if name == "after" and not raw:
            texts[name] = ""
            continue
        typed = parse_typed(raw, name=label, unit=target.unit, field=name)
        if not confirmed:
            q = Quantity(name, label, target.unit, 3, target.ideal, target.low, target.high, 0.1 * target.span)
            doubt_output(q, typed, name=label)
        texts[name] = typed.text
    if refused:
        texts["after"] = texts["before"]
    kept = method.adjusting.admit(state.setup, target, float(texts["before"]), payload)
    if not texts["after"] and abs(float(texts["before"]) - target.ideal) > target.aim * (1 + 1e-9):
        raise Fault(
            "not_in_aim",
            f"{texts['before']} {target.unit} is not within {target.aim:.3g} {target.unit} of {target.ideal:.3f}. "
            f"{method.adjusting.act.capitalize()} it and type what it reads after.",
            field="after",
        )
    said = text_of(payload, "said", label="What the instrument said", required=False) if refused else ""
    kept = {**kept, **({"said": said} if said else {})}
    return {"step": step.key, "screw": target.screw, **texts, **kept, **({"confirmed_unlikely": True} if confirmed else {})}
