"""gas-bump: a function check; failing, it goes on as a calibration with its as found on record."""

from __future__ import annotations

from metrology.methods.detector import GasChannel
from metrology.methods.exposing import BUMP, SPAN, ZERO, channels_of, gas_need
from metrology.methods.flow import common
from metrology.methods.flow.gas import GasFlow, adjust, plate_again
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.steps import Field, Step
from metrology.methods.trials.exposure import GasKind, need_of

EACH = GasKind().exposures_each  # of a calibration


def exposures(setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
    """One bump; after a calibration zero and span like any other."""
    kinds = (ZERO, SPAN) if set_key == "left" else (BUMP,)
    return [(kind, c) for c in channels_of(setup) for kind in kinds]


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """Span gas, with the litres it takes when it becomes a calibration; and the zero gas that is asked for then."""
    first = channels_of(setup)[0]
    set_too = gas_need(setup, BUMP, first, exposures=EACH).litres
    spans: dict[str, Need] = {}
    for c in channels_of(setup):
        need = need_of(setup, BUMP, c, exposures=1, proves_alarms=True, litres_if_set=set_too)
        spans.setdefault(need.role, need)
    return (*spans.values(), need_of(setup, ZERO, first, exposures=2, at_start=False))


def calibration(setup: RunSetup, n: int) -> tuple[Step, ...]:
    """Zero gas is brought and the detector set; the bump stays as its as found."""
    return (
        plate_again(setup, n),
        Step(
            common.numbered("zero_gas", n),
            "confirm",
            "adjust",
            "Bring zero gas",
            "A calibration needs zero gas too. It is judged like any other bottle before it is used.",
            fields=(Field(ZERO, "Zero gas", "gas"),),
            confirm_label="It is here",
        ),
        *adjust(n),
    )


KIND = GasKind(found_kinds=(BUMP,), exposures_each=1, adjust_choice="calibrate", is_check=True, own_exposures=exposures, own_needs=needs)
METHOD = gas_method(
    key="gas-bump",
    title="Gas detector, function check",
    revision="3",
    kind=KIND,
    flow=GasFlow(
        KIND,
        found_options=("leave", "calibrate", "repeat", "exchange", "repair", "replace"),
        option_words=(("calibrate", "Calibrate it now: zero, then span"),),
        exposing="Put span gas on and watch it answer.",
        calibration=calibration,
    ),
)
