"""gas-oxygen: one point in clean air, no zero to set; zero proved with nitrogen where the register asks for it."""

from __future__ import annotations

from metrology.methods.detector import GasChannel, settings_of
from metrology.methods.exposing import AIR, ZERO, channels_of
from metrology.methods.flow.gas import AdjustWords, GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.trials.exposure import GasKind, need_of

EACH = 3


def exposures(setup: RunSetup, _set_key: str) -> list[tuple[str, GasChannel]]:
    """Air; and nitrogen where zero is proved."""
    c = channels_of(setup)[0]
    return [(AIR, c), (ZERO, c)] if settings_of(setup).proves_zero else [(AIR, c)]


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """Air, and nitrogen where zero is proved."""
    return tuple(need_of(setup, kind, c, exposures=EACH) for kind, c in exposures(setup, "found"))


KIND = GasKind(
    screws=(AIR,),
    found_kinds=(AIR,),
    exposures_each=EACH,
    proves_alarms=False,
    proves_falling=True,
    own_exposures=exposures,
    own_needs=needs,
)
FLOW = GasFlow(
    KIND,
    needs_proof=False,
    purges=False,
    option_words=(("adjust", "Set it in air"), ("exchange", "Replace the cell, then set it in air")),
    adjust_words=AdjustWords(
        "Set it in air",
        "Clean air until it stands, then set it to what the air holds. One point is all it has: there is no zero to set. Type what it read before "
        "and after.",
        "Breath, exhaust and nitrogen leaks nearby are in the air too: set it outdoors or on bottled air, never to a value near an alarm.",
    ),
    exposing="Clean air at the sensor until it stands.",
)
METHOD = gas_method(
    key="gas-oxygen",
    title="Oxygen depletion detector",
    revision="5",
    kind=KIND,
    flow=FLOW,
    also=("gas-oxygen-check",),
)
