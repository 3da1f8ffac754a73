"""Adjusting a gas detector: zero before span in their order; forced only with a reason; a refusal keeps the old calibration."""

from __future__ import annotations

from collections.abc import Mapping

from metrology.faults import Fault
from metrology.methods.adjusting import Passes
from metrology.methods.base import AdjustProgress, AdjustTarget
from metrology.methods.setup import RunSetup

REFUSED = "refused"


def in_order(setup: RunSetup, targets: tuple[AdjustTarget, ...], passes: Passes) -> AdjustProgress:
    """Each target in turn until its last reading is inside its aim; stuck when its tries are used up."""
    tries = setup.policy.max_passes
    by_screw = {t.screw: t for t in targets}
    errors = tuple(
        (s, 100 * (float(b) - by_screw[s].ideal) / by_screw[s].span, 100 * (float(a) - by_screw[s].ideal) / by_screw[s].span if a else None)
        for s, b, a in passes
    )
    for t in targets:
        mine = [a or b for s, b, a in passes if s == t.screw]
        if mine and abs(float(mine[-1]) - t.ideal) <= t.aim * (1 + 1e-9):
            continue
        if len(mine) >= tries:
            says = f"{t.screw.capitalize()} is not inside the aim after {tries} tries. The old calibration stands where it refused; say what you found."
            return AdjustProgress("", len(mine), False, True, says, errors)
        again = f", try {len(mine) + 1}" if mine else ""
        says = f"{t.screw.capitalize()}{again}. Zero comes before span; wait until it stands before you accept."
        return AdjustProgress(t.screw, len(mine) + 1, False, False, says, errors)
    return AdjustProgress("", 1, True, False, "All are inside the aim. Prove it with the same exposures.", errors)


def admit_force(setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, object]) -> Mapping[str, object]:
    """What the record keeps of a refusal or a forced acceptance; raises a Fault where a reason or a second person is needed."""
    p = setup.policy
    if payload.get("outcome") == REFUSED:
        return {"outcome": REFUSED}
    is_zero = target.screw.endswith("zero")
    off = abs(before - target.ideal) / target.span * 100
    limit = p.purge_percent if is_zero else p.acceptance_percent
    if off <= limit:
        return {}
    says = (
        f"{before:g} {target.unit} at zero: gas may still be there, or the zero gas is not clean. Prove it before you zero on it."
        if is_zero and before > target.ideal
        else f"{before:g} {target.unit} against {target.ideal:g} {target.unit}: more than {limit:g} % of range off. Prove gas and setting first."
    )
    reason = str(payload.get("force_reason") or "").strip()
    if p.forced == "forbidden":
        raise Fault("out_of_acceptance", f"{says} Forcing it is not allowed here. Nothing was stored.", field="before")
    who = payload.get("second")
    needs_second = p.forced == "second-person"
    if len(reason) < 2 or (needs_second and not who):
        more = " and a second person's password" if needs_second else ""
        raise Fault(
            "out_of_acceptance",
            f"{says} Forcing it takes a reason{more}. Nothing was stored.",
            field="before",
            needs_force=True,
            needs_second=needs_second,
        )
    return {"forced": {"reason": reason, **(dict(who) if isinstance(who, Mapping) else {})}}
