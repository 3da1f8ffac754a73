"""What is set on a gas detector: zero before span, channel by channel, each on the gas that is on."""

from __future__ import annotations

from collections.abc import Callable

from metrology.methods.adjusting.base import SPAN, ZERO, AdjustTarget
from metrology.methods.exposing import channels_of, exposure, role_of
from metrology.methods.setup import RunSetup
from metrology.methods.trials.exposure import Exposed
from metrology.quantities.words import number


def targets_of(trial: Exposed) -> Callable[[RunSetup, str], tuple[AdjustTarget, ...]]:
    """The targets of a trial's kind."""

    def targets(setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        out = []
        for c in channels_of(setup):
            for what in trial.kind.screws:
                slot = exposure(setup, 0, what, c)
                aim = trial.tolerance_for(setup, slot, slot.nominal) * setup.policy.aim_percent / 100.0 * c.top / 100.0
                role = role_of(what, c)
                gas = dict(setup.entered).get(f"{role}.bottle", "the gas")
                apply = f"{number(slot.nominal, 2)} {c.unit} ({gas})"
                kind = ZERO if what == ZERO else SPAN
                out.append(
                    AdjustTarget(
                        f"{c.name} {what}".strip(), slot.nominal, apply, slot.ideal, aim, c.unit, c.top, -c.top, 2 * c.top,
                        kind=kind, keys=(kind,), role=role, channel=c.name,
                    )
                )  # fmt: skip
        return tuple(out)

    return targets
