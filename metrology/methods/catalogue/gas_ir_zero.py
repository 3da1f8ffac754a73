"""gas-ir-zero: an optical point detector; only its zero is set, its span is proved."""

from __future__ import annotations

import math

from metrology.methods.detector import settings_of
from metrology.methods.exposing import ZERO
from metrology.methods.flow.gas import GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Field, Step
from metrology.methods.trials.exposure import GasKind


def opening(setup: RunSetup) -> tuple[Step, ...]:
    """Windows looked at and left as they are, guard off, adapter on, three path volumes through."""
    d = settings_of(setup)
    return (
        Step(
            "optics",
            "confirm",
            "make safe",
            "Optics",
            "Look at the windows and read the obscuration signal. Dirt takes signal away and can look like drift: leave it until as found is read.",
            fields=(
                Field("windows", "Windows", "choice", options=(("clean", "Clean"), ("dirty", "Dirty: left so until as found is read"))),
                Field("obscuration", "Obscuration signal", "number", "%", required=False, low=0, high=100),
            ),
            enters=True,
            confirm_label="Looked at",
        ),
        Step(
            "path_purge",
            "timer",
            "make safe",
            "Purge the path",
            f"Guard off, adapter on. Let dry zero gas through for three path volumes: 3 x {d.path_l:g} l at {d.flow_l_min:g} l/min.",
            minutes=float(math.ceil(round(3 * d.path_l / d.flow_l_min, 6))),
        ),
    )


KIND = GasKind(screws=(ZERO,))
METHOD = gas_method(
    key="gas-ir-zero",
    title="Optical gas detector, zero",
    revision="3",
    kind=KIND,
    flow=GasFlow(
        KIND,
        option_words=(("adjust", "Zero it"), ("repair", "Clean the windows or correct the cause, then prove")),
        waits_for="path_purge",
        exposing="Zero gas through the whole path, then span gas to prove the fixed span.",
        opening=opening,
    ),
    also=("gas-bump",),
)
