"""How adjusting goes: zero and span in turn until neither disturbs the other, or a reason to stop."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from metrology.methods.adjusting.base import SPAN, ZERO, AdjustProgress, AdjustTarget, Passes
from metrology.methods.budget import ideal_for
from metrology.methods.setup import RunSetup
from metrology.methods.trials.curve import ABOVE_SPAN, believed_output, tolerance_of
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, number

Targets = Callable[[RunSetup, str], tuple[AdjustTarget, ...]]


def ends_of_range(setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
    """Zero at the lowest test point, span at the highest; the output trim at the ends of the output."""
    i = setup.instrument
    out_span, span = i.output_hi - i.output_lo, abs(i.urv - i.lrv)
    share = setup.policy.aim_percent / 100.0
    targets = []
    for kind, percent in ((ZERO, setup.points_percent[0]), (SPAN, setup.points_percent[-1])):
        nominal = i.lrv + percent / 100.0 * (i.urv - i.lrv)
        aim = tolerance_of(setup, nominal) * share / 100.0
        apply = f"{number(nominal, decimals_for(span))} {i.unit}"
        low, high = believed_output(i)
        ideal, unit, width = ideal_for(setup, nominal), i.output_unit, out_span
        if variant == "trim_sensor":
            ideal, unit, width = nominal, i.unit, span
            low, high = min(i.lrv, i.urv) - ABOVE_SPAN * span, max(i.lrv, i.urv) + ABOVE_SPAN * span
        elif variant == "trim_output":
            ideal = i.output_lo if kind == ZERO else i.output_hi
            apply = f"output fixed at {ideal:g} {i.output_unit}"
        targets.append(AdjustTarget(kind, nominal, apply, ideal, aim * width, unit, width, low, high, kind=kind))
    return tuple(targets)


@dataclass(frozen=True)
class Alternate:
    """Zero and span in turn until both are inside the aim undisturbed, or the passes are used up."""

    targets_of: Targets = ends_of_range
    min_passes: int = 1
    act: str = "turn"
    in_pairs: bool = True

    def targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """The screws and where they are set."""
        return self.targets_of(setup, variant)

    def progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """What to turn next."""
        return adjust_progress(setup, self.targets(setup, variant), passes, min_passes=self.min_passes)

    def admit(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """Nothing beyond before and after."""
        return {}


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
