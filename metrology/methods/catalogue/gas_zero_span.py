"""gas-zero-span: a single-channel detector, zero gas then span gas."""

from __future__ import annotations

from metrology.methods.flow.gas import GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.trials.exposure import GasKind

KIND = GasKind()
METHOD = gas_method(
    key="gas-zero-span",
    title="Gas detector, zero and span",
    revision="3",
    kind=KIND,
    flow=GasFlow(KIND),
    also=("gas-bump",),
    is_usual=True,
)
