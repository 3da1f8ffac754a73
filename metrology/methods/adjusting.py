"""How adjusting goes: zero and span in turn until neither disturbs the other, or a reason to stop."""

from __future__ import annotations

from collections.abc import Sequence

from metrology.methods.base import AdjustProgress, AdjustTarget
from metrology.methods.setup import RunSetup
from metrology.quantities.typed import parse_typed

Passes = Sequence[tuple[str, str, str]]


def adjust_progress(setup: RunSetup, targets: tuple[AdjustTarget, ...], passes: Passes, *, min_passes: int = 1) -> AdjustProgress:
    """Follow (screw, before, after) and say what comes next.

    min_passes: full passes, zero and span each, that must be made even when the ends are inside the aim at once.
    """
    policy = setup.policy
    by_screw = {t.screw: t for t in targets}

    def miss(screw: str, text: str) -> float:
        t = by_screw[screw]
        return parse_typed(text, name="The reading", unit=t.unit).value - t.ideal

    errors = tuple((s, 100 * miss(s, b) / by_screw[s].span, 100 * miss(s, a) / by_screw[s].span if a else None) for s, b, a in passes)
    done = len(passes)
    pass_number = done // 2 + 1
    next_screw = targets[done % 2].screw
    if done >= max(2, 2 * min_passes):
        (s1, b1, a1), (s2, b2, a2) = passes[-2], passes[-1]
        settled = abs(miss(s1, a1 or b1)) <= by_screw[s1].aim * (1 + 1e-9)
        if settled and not a2 and abs(miss(s2, b2)) <= by_screw[s2].aim * (1 + 1e-9):
            says = "Both ends are inside the aim and neither disturbed the other. Prove it with the as-left points."
            return AdjustProgress("", (done + 1) // 2, True, False, says, errors)
    stuck = _stuck(errors)
    if stuck or done >= 2 * policy.max_passes:
        why = (
            f"The {stuck} error does not shrink from pass to pass"
            if stuck
            else f"{policy.max_passes} passes are used and the ends are not both inside the aim"
        )
        says = f"{why}. Suspect a mechanical fault; don't go on turning. Say what you found."
        return AdjustProgress("", min(pass_number, policy.max_passes), False, True, says, errors)
    says = f"Pass {pass_number}: {next_screw}. Turning one end moves the other, so each end is looked at again until both stay."
    if done < 2 * min_passes and min_passes > 1:
        says += f" At least {min_passes} full passes are made."
    return AdjustProgress(next_screw, pass_number, False, False, says, errors)


def _stuck(errors: Sequence[tuple[str, float, float | None]]) -> str:
    """The screw whose error, as found at each pass, has not shrunk by a tenth over two passes; empty when none."""
    for screw in ("zero", "span"):
        found = [abs(before) for s, before, after in errors if s == screw and after is not None]
        if len(found) >= 3 and found[-1] > 0.9 * found[-2] > 0.81 * found[-3]:
            return screw
    return ""
