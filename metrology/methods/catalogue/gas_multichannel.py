"""gas-multichannel: several sensors on one head, each set by its reference voltage, with what was moved moved back."""

from __future__ import annotations

from metrology.methods.flow import heads
from metrology.methods.flow.gas import GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Step
from metrology.methods.trials.exposure import GasKind


def opening(setup: RunSetup) -> tuple[Step, ...]:
    """Moved to test, the stored voltages compared with what the bottles need and set, the selector at operate again before anything is read."""
    return (heads.pairs_out(), *heads.reference_settings(setup), heads.selector_back())


def back(_setup: RunSetup) -> tuple[Step, ...]:
    """Moved back before anything is released."""
    return (heads.pairs_back(),)


KIND = GasKind(proves_alarms=False)
METHOD = gas_method(
    key="gas-multichannel",
    title="Gas detector head with several channels",
    revision="5",
    kind=KIND,
    flow=GasFlow(KIND, opening=opening, back=back),
    also=("gas-head-check",),
)
