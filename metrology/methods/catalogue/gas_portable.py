"""gas-portable: an aspirated instrument with several ranges; between gases it sees air again."""

from __future__ import annotations

from metrology.methods.detector import GasChannel
from metrology.methods.exposing import AIR, BACKGROUND, BUMP, SPAN, ZERO, channels_of
from metrology.methods.flow.gas import GasFlow
from metrology.methods.gas_method import gas_method
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.exposure import GasKind, need_of

EACH = GasKind().exposures_each


def exposures(setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
    """Zero of all ranges in clean air (oxygen by nitrogen), then each range's gas with air after it."""
    found = channels_of(setup)
    if set_key == "proof":
        return [(AIR if c.gas == "oxygen" else BUMP, c) for c in found]
    out: list[tuple[str, GasChannel]] = []
    for c in found:
        out += [(ZERO, c), (AIR if c.gas == "oxygen" else SPAN, c)]
        if c.gas != "oxygen":
            out.append((BACKGROUND, c))
    return out


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """Clean air for zero, nitrogen for oxygen, span gas a range."""
    found: dict[str, Need] = {}
    for kind, c in exposures(setup, "found"):
        if kind != BACKGROUND:
            need = need_of(setup, kind, c, exposures=EACH)
            found.setdefault(need.role, need)
    return tuple(found.values())


def incoming(_setup: RunSetup) -> tuple[Step, ...]:
    """What must be sound before any gas: battery, probe, filters, hoses, and no leak."""
    return (
        Step(
            "incoming",
            "confirm",
            "prepare",
            "Incoming checks",
            "Block the inlet with a finger: the flow alarm must come, or it draws false air through a leak.",
            fields=(
                Field(
                    "flow_alarm", "Inlet blocked: seconds until the flow alarm", "number", "s", low=0, high=30,
                    why="It leaks or its pump is weak: repair it before it is calibrated.",
                ),
                Field("battery", "Battery", "choice", options=(("full", "Full"), ("charged", "Charged now"))),
            ),
            checks=(
                Check("probe", "Probe and hoses whole, couplings tight"),
                Check("filters", "Filters clean and dry, water stop in"),
            ),
            confirm_label="It is sound",
        ),
    )  # fmt: skip


KIND = GasKind(has_output=False, proves_alarms=False, own_exposures=exposures, own_needs=needs)
METHOD = gas_method(
    key="gas-portable",
    title="Portable gas instrument",
    revision="5",
    kind=KIND,
    flow=GasFlow(
        KIND,
        exposing="Each range its own gas, in this order; after each gas back to air until the background is normal.",
        incoming=incoming,
        is_carried=True,
    ),
    also=("gas-portable-check",),
)
