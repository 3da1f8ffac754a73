"""Choosing what stands for the truth: a reference, a bottle, a buffer; each judged by the rules of its kind, refused or kept with its remarks.

A choice counts from then on. What was read before names what stood for the truth then, and stays.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from metrology.faults import Fault, Faults
from metrology.judgement.reference import find_reference_faults, reference_from
from metrology.methods.method import Method
from metrology.methods.standards.base import Need
from metrology.methods.standards.kinds import OFFERED
from metrology.methods.steps import Step
from metrology.quantities.words import ratio, ratio_below
from metrology.run.fields import text_of
from metrology.run.progress import make_progress
from metrology.run.state import RunState


def find_need(state: RunState, method: Method, role: str, kind: str) -> Need:
    """The need of a role; a Fault when the run has none of that kind."""
    found = method.standards.of(state.setup, role)
    if found is None or found.kind != kind:
        raise Fault("unknown_role", f"'{role}' is not a {kind} of this run.", field="role")
    return found


def admit_reference(state: RunState, method: Method, step: Step, payload: Mapping[str, Any], *, today: date) -> dict[str, Any]:
    """The completed payload of a reference chosen: in date, covering, fine enough or with a reason."""
    need = find_need(state, method, str(payload.get("role", "")), "reference")
    reference = reference_from(payload["reference"])
    faults = find_reference_faults(reference, low=need.low, high=need.high, unit=need.unit, today=today)
    override = payload.get("override")
    if override:
        faults = [f for f in faults if f.code != "expired"]
    for role in need.apart_from:
        other = (state.references.get(role) or {}).get("reference") or {}
        if other.get("code") == reference.code:
            named = next((n.words for n in method.standards.needs(state.setup) if n.role == role), role)
            told = f"{reference.code} is the {named} already; nothing can be its own reference. Choose another one as {need.words}."
            faults.append(Fault("own_reference", told, field=need.role))
    if faults:
        raise faults[0] if len(faults) == 1 else Faults(faults)
    tur = method.standards.tur(state.setup, need.role, reference)
    wanted = 0.0 if need.is_informative else state.setup.policy.minimum_tur
    if tur < 1 and wanted:
        told = f"{reference.code} is too coarse: its uncertainty is larger than the tolerance (TUR {ratio_below(tur, 1.0)}). Choose a better one."
        raise Fault("too_coarse", told, field=need.role)
    reason = text_of(payload, "reason", label="The reason", required=False)
    if tur < wanted and not reason:
        raise Fault(
            "low_tur",
            f"{reference.code} reaches a TUR of {ratio_below(tur, wanted)}; {ratio(wanted)} is wanted. Choose a better one, or say why it must do.",
            field=need.role,
            needs_reason=True,
        )
    return {
        "step": step.key,
        "role": need.role,
        "reference": dict(payload["reference"]),
        "tur": tur if tur < 1e9 else None,
        "reason": reason if tur < wanted or override else "",
        **({"override": dict(override)} if override else {}),
    }


def admit_standard(state: RunState, method: Method, payload: Mapping[str, Any], *, today: date) -> dict[str, Any]:
    """The completed payload of an item of another kind, by that kind's own rules; changed in the middle, it takes a reason."""
    role = str(payload.get("role", ""))
    need = method.standards.of(state.setup, role)
    if need is None or need.kind not in OFFERED:
        raise Fault("unknown_role", f"'{role}' is not something this run takes.", field="role")
    fitness = OFFERED[need.kind](state.setup, need, payload["item"], today)
    if not fitness.will_do:
        raise Fault("kit_refused", " ".join(fitness.reasons), field=role, reasons=list(fitness.reasons))
    require_plan(state, method, {f"{role}.{name}": value for name, value in fitness.enters.items()}, field=role)
    taken = any(not r.is_struck and r.standards.get(role) for r in state.readings)
    reason = text_of(payload, "reason", label="Why it is changed in the middle", required=taken)
    return {
        "role": role,
        "label": need.label,
        "kind": need.kind,
        "item": dict(payload["item"]),
        "remarks": [{"rule": r.rule, "standing": r.standing, "says": r.says} for r in fitness.remarks],
        "shows": fitness.shows,
        "reason": reason,
        "enters": dict(fitness.enters),
    }


def require_plan(state: RunState, method: Method, entered: Mapping[str, Any], *, field: str) -> None:
    """With what is entered the sets of the run can be planned: a table must reach to the temperature it is read at. Raises a Fault otherwise."""
    setup = state.setup.with_entered({k: str(v) for k, v in entered.items()})
    try:
        for p in make_progress(state, method).steps:
            if p.step.kind == "readings":
                method.trial.plan(setup, p.step.key)
    except Fault as fault:
        raise Fault(fault.code, f"{fault.message} Nothing was stored.", field=field) from None
