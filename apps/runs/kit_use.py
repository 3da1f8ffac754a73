"""What kit can be used for, and why not."""

from __future__ import annotations

from datetime import date
from typing import Any

from apps.kit.models import GasBottle, GasFitting, Reference
from apps.plant.models import IN_USE, Instrument
from apps.plant.policies import policy_for
from apps.runs.gas import bottles
from metrology.faults import Fault
from metrology.judgement.gas_kit import REFUSE, Fitting, judge_kit
from metrology.judgement.reference import find_reference_faults
from metrology.methods.registry import METHODS

SHOWN = 60


def reference_uses(reference: Reference, today: date) -> list[dict[str, Any]]:
    """The instruments due next, each with the roles in which a reference can serve it, or why it can't."""
    standard = reference.standard()
    out = []
    for i in Instrument.objects.filter(state=IN_USE, method__in=list(METHODS)).select_related("area").order_by("next_due", "tag")[:SHOWN]:
        try:
            setup = i.run_setup(policy_for(i), METHODS[i.method].revision)
        except Fault:
            continue
        method = METHODS[i.method]
        good, why = [], []
        for need in method.standards.needs(setup):
            if need.kind != "reference":
                continue
            faults = find_reference_faults(standard, low=need.low, high=need.high, unit=need.unit, today=today)
            if faults:
                why.append((faults[0].code != "wrong_quantity", faults[0].message))
            else:
                tur = method.standards.tur(setup, need.role, standard)
                enough = tur >= setup.policy.minimum_tur
                good.append(
                    f"{need.label}, TUR {tur:.1f}" + ("" if enough else f", below the {setup.policy.minimum_tur:g} wanted: takes a reason")
                    if tur < 1e6
                    else need.label
                )
        if good or any(near for near, _ in why):
            out.append({"tag": i.tag, "service": i.service, "fits": bool(good), "says": "; ".join(good) or max(why)[1]})
    return sorted(out, key=lambda r: not r["fits"])


def bottle_uses(bottle: GasBottle, left: float, today: date) -> list[dict[str, Any]]:
    """The gas detectors that a bottle can serve with the fittings there are, or why it can't."""
    fittings = [f.fitting() for f in GasFitting.objects.filter(state="in service")]
    regulators: list[Fitting | None] = [f for f in fittings if f.kind == "regulator"] or [None]
    lines: list[Fitting | None] = [f for f in fittings if f.kind == "line"] or [None]
    made = bottle.bottle(litres_left=left)
    out = []
    for i in Instrument.objects.filter(state=IN_USE, method__in=list(METHODS)).select_related("area").order_by("next_due", "tag")[:SHOWN]:
        try:
            setup = i.run_setup(policy_for(i), METHODS[i.method].revision)
            needs = [n.detail for n in METHODS[i.method].standards.needs(setup) if n.kind == "gas"]
        except Fault:
            continue
        for need in needs:
            verdicts = [
                judge_kit(need, made, regulator=r, line=line, today=today, policy=setup.policy) for r in regulators for line in lines
            ]
            best = min(verdicts, key=lambda v: (v.standing == REFUSE, v.standing == "warn"))
            fits = best.standing != REFUSE
            says = f"{need.label}, {need.litres:.0f} l" if fits else f"{need.label}: {best.reasons[0]}"
            out.append({"tag": i.tag, "service": i.service, "fits": fits, "says": says})
    return sorted(out, key=lambda r: not r["fits"])


def item_uses(group: str, item: Any, today: date) -> list[dict[str, Any]]:
    """Whom an item of the kit serves, for its page."""
    if group == "reference":
        return reference_uses(item, today)
    if group == "bottle":
        left = next((b.litres_left for b in bottles() if b.code == item.code), item.litres)
        return bottle_uses(item, left, today)
    return []
