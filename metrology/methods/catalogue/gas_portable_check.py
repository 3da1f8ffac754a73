"""gas-portable-check: a function check of a portable on one mixed bottle, all ranges at once, docked or by hand. Nothing is set.

The regulator and hose are those of the mixture; a portable without one mixture for all of its ranges is calibrated range by range instead.
"""

from __future__ import annotations

from dataclasses import replace

from metrology.methods.detector import GasChannel
from metrology.methods.exposing import MIXED, channels_of, gas_need
from metrology.methods.flow.gas import GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import GAS, Need
from metrology.methods.steps import Field, Step
from metrology.methods.trials.exposure import GasKind


def exposures(setup: RunSetup, _set_key: str) -> list[tuple[str, GasChannel]]:
    """Every range, of the same gas."""
    return [(MIXED, c) for c in channels_of(setup)]


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """One bottle that holds the gas of every range."""
    first, *others = (replace(gas_need(setup, MIXED, c, exposures=1), component=c.name, label="Mixed gas") for c in channels_of(setup))
    gas = replace(first, also=tuple(others))
    return (Need(gas.role, gas.label, GAS, unit=gas.unit, detail=gas, amount=gas.litres),)


def incoming(_setup: RunSetup) -> tuple[Step, ...]:
    """How the gas comes to it."""
    return (
        Step(
            "incoming",
            "confirm",
            "prepare",
            "Docked or by hand",
            "Battery, filters and hood looked at; it is switched on, in clean air, and shows no fault.",
            fields=(
                Field(
                    "how", "The gas comes", "choice", options=(("hand", "By hand, through its hood"), ("dock", "In a dock")), usual="hand"
                ),
            ),
            confirm_label="It is ready",
        ),
    )


def signals(_setup: RunSetup) -> tuple[Step, ...]:
    """What warns its carrier: horn, light and vibration."""
    return (
        Step(
            "signals",
            "confirm",
            "restore",
            "Horn, light, vibration",
            "Did all of its signals come while the gas was on?",
            fields=(
                Field(
                    "signals", "Its signals", "choice", options=(("all", "All came"), ("not all", "One did not come")), expected="all",
                    why="It would not warn its carrier: take it out of use, and void this check with that reason.",
                ),
            ),
            confirm_label="Noted",
        ),
    )  # fmt: skip


KIND = GasKind(
    screws=(),
    found_kinds=(MIXED,),
    exposures_each=1,
    proves_alarms=False,
    adjust_choice="repair",
    is_check=True,
    has_output=False,
    own_exposures=exposures,
    own_needs=needs,
)
METHOD = gas_method(
    key="gas-portable-check",
    title="Portable gas instrument, function check",
    revision="2",
    kind=KIND,
    flow=GasFlow(
        KIND,
        found_options=("leave", "repeat", "repair", "replace"),
        left_options=("leave", "repair", "replace"),
        exposing="One mixed gas for all ranges; read each while it flows.",
        incoming=incoming,
        back=signals,
        is_carried=True,
    ),
)
