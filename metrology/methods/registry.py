"""The methods there are, by key and revision."""

from __future__ import annotations

from metrology.faults import Fault
from metrology.methods.base import Method
from metrology.methods.gas_methods import GAS_METHODS
from metrology.methods.level_displacer import LevelDisplacer
from metrology.methods.loop_check import LoopCheck
from metrology.methods.temp_sensor import TempSensor
from metrology.methods.tx_configure import TxConfigure
from metrology.methods.tx_multipoint import TxMultipoint

METHODS: dict[str, Method] = {m.key: m for m in (TxMultipoint(), TxConfigure(), LevelDisplacer(), TempSensor(), LoopCheck(), *GAS_METHODS)}

# The whole catalogue by name; those without an entry in METHODS are in the register but cannot be run yet.
CATALOGUE = {
    "tx-multipoint": "Transmitter, multi-point check",
    "tx-configure": "Smart transmitter: range, trim, damping",
    "level-displacer": "Displacer level transmitter",
    "temp-sensor": "Temperature sensor in a block or bath",
    "loop-check": "Loop check",
    "gas-bump": "Gas detector, function check",
    "gas-zero-span": "Gas detector, zero and span",
    "gas-multichannel": "Gas detector head with several channels",
    "gas-ir-zero": "Optical gas detector, zero",
    "gas-oxygen": "Oxygen depletion detector",
    "gas-portable": "Portable gas instrument",
    "an-multigas": "Extractive multi-component analyzer",
    "an-trace-o2": "Trace oxygen analyzer",
    "an-ph": "pH, two buffers",
    "an-duplicate-blank": "Injected-sample analyzer",
    "flow-coriolis-zero": "Coriolis flow meter, zero",
    "flow-mag-verify": "Magnetic flow meter, verification",
    "weigh-vessel": "Vessel on load cells",
    "weigh-indicator": "Weighing indicator",
    "weigh-belt": "Belt weigher",
}


def get_method(key: str) -> Method:
    """The method of that key; a Fault when it is not known or cannot be run yet."""
    if key in METHODS:
        return METHODS[key]
    if key in CATALOGUE:
        raise Fault(
            "method_not_ready", f"The method '{CATALOGUE[key]}' can't be run here yet. Use the site's paper procedure.", field="method"
        )
    raise Fault("unknown_method", f"There is no method '{key}'.", field="method")
