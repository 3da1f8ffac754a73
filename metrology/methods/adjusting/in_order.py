"""Adjusting in order: each target until it is inside its aim; forced only with a reason; a refusal keeps the old calibration."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from metrology.faults import Fault
from metrology.methods.adjusting.base import ZERO, AdjustProgress, AdjustTarget, Passes
from metrology.methods.setup import RunSetup

REFUSED = "refused"
Admitted = Callable[[RunSetup, AdjustTarget, float, Mapping[str, Any]], Mapping[str, Any]]


def admit_any(setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
    """Nothing beyond before and after."""
    return {}


@dataclass(frozen=True)
class InOrder:
    """Targets one after the other. admitted: what may be stored of one."""

    targets_of: Callable[[RunSetup, str], tuple[AdjustTarget, ...]]
    admitted: Admitted = admit_any
    hint: str = "Zero comes before span; wait until it stands before you accept."
    proof: str = "Prove it with the same exposures."
    act: str = "accept"
    in_pairs: bool = False

    def targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """What is set, in its order."""
        return self.targets_of(setup, variant)

    def progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """Each in its order until it is inside the aim."""
        return in_order(setup, self.targets(setup, variant), passes, hint=self.hint, proof=self.proof)

    def admit(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """What the record keeps beside before and after."""
        return self.admitted(setup, target, before, payload)


def in_order(setup: RunSetup, targets: tuple[AdjustTarget, ...], passes: Passes, *, hint: str, proof: str) -> AdjustProgress:
    """Each target in turn until its last reading is inside its aim; stuck when its tries are used up."""
    tries = setup.policy.max_passes
    by_screw = {t.screw: t for t in targets}
    errors = tuple(
        (s, 100 * (float(b) - by_screw[s].ideal) / by_screw[s].span, 100 * (float(a) - by_screw[s].ideal) / by_screw[s].span if a else None)
        for s, b, a in passes
    )
    for t in targets:
        name = f"{t.words[:1].upper()}{t.words[1:]}"
        mine = [a or b for s, b, a in passes if s == t.screw]
        if mine and abs(float(mine[-1]) - t.ideal) <= t.aim * (1 + 1e-9):
            continue
        if len(mine) >= tries:
            says = f"{name} is not inside the aim after {tries} tries. The old calibration stands where it refused; say what you found."
            return AdjustProgress("", len(mine), False, True, says, errors)
        again = f", try {len(mine) + 1}" if mine else ""
        says = f"{name}{again}. {hint}"
        return AdjustProgress(t.screw, len(mine) + 1, False, False, says, errors)
    return AdjustProgress("", 1, True, False, f"All are inside the aim. {proof}", errors)


def admit_force(setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
    """What the record keeps of a refusal or a forced acceptance; raises a Fault where a reason or a second person is needed."""
    p = setup.policy
    if payload.get("outcome") == REFUSED:
        return {"outcome": REFUSED}
    is_zero = target.kind == ZERO
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
    who, proof = payload.get("second"), str(payload.get("gas_proof") or "").strip()
    is_far = off > p.force_times * limit * (1 + 1e-9)
    needs_second = p.forced == "second-person" or is_far
    if is_far:
        says += f" It is more than {p.force_times:g} times what may be adjusted: the gas is proved before that is forced."
    if len(reason) < 2 or (needs_second and not who) or (is_far and len(proof) < 5):
        more = (", how the gas was proved" if is_far else "") + (" and a second person's password" if needs_second else "")
        raise Fault(
            "out_of_acceptance",
            f"{says} Forcing it takes a reason{more}. Nothing was stored.",
            field="before",
            needs_force=True,
            needs_second=needs_second,
            needs_proof=is_far,
        )
    told = {"reason": reason, **({"gas_proof": proof} if is_far else {})}
    return {"forced": {**told, **(dict(who) if isinstance(who, Mapping) else {})}}
