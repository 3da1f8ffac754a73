"""gas-head-check: a function check of a head with several channels: each its own gas, nothing moved, nothing set.

Setting a channel takes its reference voltage and wires moved for it; that is the head's own method, so a failed check is not turned into it.
"""

from __future__ import annotations

from metrology.methods.detector import GasChannel
from metrology.methods.exposing import BUMP, channels_of
from metrology.methods.flow.gas import GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.trials.exposure import GasKind


def exposures(setup: RunSetup, _set_key: str) -> list[tuple[str, GasChannel]]:
    """One bump a channel."""
    return [(BUMP, c) for c in channels_of(setup)]


KIND = GasKind(
    screws=(), found_kinds=(BUMP,), exposures_each=1, proves_alarms=False, adjust_choice="repair", is_check=True, own_exposures=exposures
)
METHOD = gas_method(
    key="gas-head-check",
    title="Gas detector head, function check",
    revision="2",
    kind=KIND,
    flow=GasFlow(
        KIND,
        found_options=("leave", "repeat", "repair", "replace"),
        left_options=("leave", "repair", "replace"),
        exposing="Each channel its own gas, the selector at operate.",
    ),
)
