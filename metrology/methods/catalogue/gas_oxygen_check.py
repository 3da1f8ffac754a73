"""gas-oxygen-check: a function check of an oxygen detector, in clean air and, where its zero is proved, in nitrogen; failing, it is set in air."""

from __future__ import annotations

from dataclasses import replace

from metrology.methods.catalogue import gas_oxygen
from metrology.methods.detector import settings_of
from metrology.methods.exposing import AIR, ZERO, channels_of
from metrology.methods.flow.gas import adjust, plate_again
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.steps import Step
from metrology.methods.trials.exposure import need_of


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """Air, with the litres it takes when it is set too, and nitrogen where zero is proved."""
    c = channels_of(setup)[0]
    set_too = need_of(setup, AIR, c, exposures=gas_oxygen.EACH).amount
    air = need_of(setup, AIR, c, exposures=1, litres_if_set=set_too)
    return (air, need_of(setup, ZERO, c, exposures=1)) if settings_of(setup).proves_zero else (air,)


def calibration(setup: RunSetup, n: int) -> tuple[Step, ...]:
    """The plate read, then the cell set; the check stays as its as found."""
    return (plate_again(setup, n), *adjust(n, gas_oxygen.FLOW.adjust_words))


KIND = replace(gas_oxygen.KIND, exposures_each=1, adjust_choice="calibrate", is_check=True, own_needs=needs)
METHOD = gas_method(
    key="gas-oxygen-check",
    title="Oxygen depletion detector, function check",
    revision="2",
    kind=KIND,
    flow=replace(
        gas_oxygen.FLOW,
        kind=KIND,
        found_options=("leave", "calibrate", "repeat", "exchange", "repair", "replace"),
        calibration=calibration,
        option_words=(*gas_oxygen.FLOW.option_words, ("calibrate", "Set it in air now")),
    ),
)
