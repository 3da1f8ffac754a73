"""temp-sensor: a resistance thermometer or thermocouple against a reference in a block or bath.

Sources: IEC 60751:2022 and IEC 60584-1:2013 (curves, tolerance classes), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache, partial

from metrology.judgement.decision import FAIL
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import UNDECIDED
from metrology.methods.budget import per_signal, signal_at
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.fragments import SENSORS
from metrology.methods.hookup import sensor_hookup
from metrology.methods.method import Method, Traits
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.comparison import TRIAL, TemperatureSettings, settings_of
from metrology.methods.trials.curve import check_sensor
from metrology.methods.trials.points import least_ratio
from metrology.methods.watching import Still
from metrology.quantities.immersion import time_constant_s
from metrology.quantities.temperature import (
    sensor_signal,
)

INSTRUCTION = (
    "Bring the block to the point, wait until reference and sensor both stand still, then let it soak. "
    "What counts is the temperature the reference really had, not the set point."
)
_OWN = (
    "Hot blocks and probes burn and set fire: keep the well clear, never cool it with water, let it cool before it is carried.",
    "A sensor drawn from its well may leave an open process connection: make sure there is a thermowell and that it is sound.",
)

AGAIN = ("outlier", "immersion", "unsteady", UNDECIDED)  # what another comparison tells, before anything is replaced


@dataclass(frozen=True)
class SensorAdvice:
    """A sensor is left, given coefficients, or replaced; never adjusted."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """Leave, take again, load coefficients, or replace."""
        worst = outcome.worst
        if worst is None:
            return Proposal("repeat", "There are no readings to judge.")
        first = outcome.signatures[0] if outcome.signatures else None
        where = f"The largest error is {worst.error.unit:+.3f} °C at {worst.point.applied:.2f} °C, {100 * outcome.share:.0f} % of the tolerance."
        if outcome.verdict != FAIL:
            return Proposal("leave", f"{where} A sensor can't be adjusted; inside the tolerance it stays.")
        if first and first.code in AGAIN and not is_as_left:
            return Proposal("repeat", f"{first.says} {first.first_action}")
        if first and first.code in ("lead-resistance", "cold-junction") and not is_as_left:
            return Proposal("repair", f"{where} {first.says} {first.first_action}")
        d = settings_of(setup)
        if d.matches_coefficients and d.is_platinum and not is_as_left and (first is None or first.code != "hysteresis"):
            return Proposal(
                "coefficients", f"{where} Its transmitter takes coefficients: load those that match this element, then prove it."
            )
        return Proposal("replace", f"{where} A sensor can't be adjusted: replace it.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """Coefficients only where a transmitter takes them."""
        d = settings_of(setup)
        if choice == "coefficients" and not (d.matches_coefficients and d.is_platinum):
            return "Nothing here takes coefficients: a sensor by itself is left or replaced."
        return ""


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """Probe, block, and what reads the sensor."""
    i, d = setup.instrument, settings_of(setup)
    ends = [i.lrv + p / 100.0 * (i.urv - i.lrv) for p in (setup.points_percent[0], setup.points_percent[-1])]
    low, high, unit = min(ends), max(ends), i.unit
    if d.sensor:
        signals = [sensor_signal(d.sensor, t, r0=d.r0, cold_junction_c=23.0 if d.thermocouple else 0.0) for t in ends]
        low, high, unit = min(signals), max(signals), d.sensor_unit
    return (
        Need("applied", "Reference probe", unit=i.unit, low=min(ends), high=max(ends), apart_from=("block",)),
        Need("block", "Block or bath", unit=i.unit, low=min(ends), high=max(ends), is_informative=True, apart_from=("applied",)),
        Need("indicated", "Readout of the sensor", unit=unit, low=low, high=high),
    )


def tur(setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
    """Smallest tolerance / U over the points; of probe and block each as if it alone told the temperature."""
    i, d = setup.instrument, settings_of(setup)
    slots = TRIAL.plan(setup, "as_found").slots
    widths = []
    for slot in slots:
        if role == "indicated" and d.sensor:
            widths.append(reference.expanded(signal_at(setup, slot.nominal), unit=d.sensor_unit) * per_signal(setup, slot.nominal))
        else:
            gradient = reference.width_in(reference.gradient + reference.axial + reference.loading, i.unit) if role == "block" else 0.0
            widths.append(reference.expanded(slot.nominal, unit=i.unit) + gradient)
    return least_ratio([TRIAL.tolerance_at(setup, s) * (i.urv - i.lrv) / 100 for s in slots], widths)


def words(setup: RunSetup) -> tuple[str, str]:
    """The sensor stands for the output, its class for the tolerance."""
    i, d = setup.instrument, settings_of(setup)
    output = dict(SENSORS)[d.sensor] if d.sensor else f"read in {i.unit}"
    return output, f"class {d.sensor_class}" if d.sensor_class else i.tolerance_text


def minutes(setup: RunSetup, slot: Slot) -> float:
    """A point's soak and its reading."""
    return settings_of(setup).soak_min + 1.5


def dwell_s(setup: RunSetup) -> float:
    """The soak of the sensor in its block, s."""
    return 60.0 * settings_of(setup).soak_min


def slowest_s(setup: RunSetup) -> float:
    """How slow an approach is looked for: the policy's, or that of the sensor in its well where that is slower, s."""
    d, policy = settings_of(setup), setup.policy.settle_horizon_s
    return max(policy, time_constant_s(d.stem_mm, well_mm=d.well_mm)) if d.stem_mm and policy else policy


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps; a sensor is replaced or given coefficients, never adjusted."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    d = settings_of(setup)
    own = (("coefficients", "Load matching coefficients"),) if d.matches_coefficients else ()
    end = (("repair", "Correct the connection, then prove"), common.EXCHANGE, ("replace", "Mark for replacement"))
    new = (Check("own", "Its own coefficients are loaded at its transmitter"),) if d.matches_coefficients else ()
    follow: dict[str, Callable[[int], tuple[Step, ...]]] = {
        "repair": common.repair,
        "coefficients": partial(_coefficients, d.r0),
        "exchange": partial(common.exchange, setup, checks=new),
    }
    found = Wording(
        "as_found",
        "judge",
        "as found",
        "judge",
        "As found",
        "Judge as found",
        INSTRUCTION,
        (("leave", "Leave as it is"), *own, ("repeat", "Take the points again"), *end),
        follow,
    )
    left = Wording(
        "as_left",
        "judge_left",
        "as left",
        "as left",
        "As left",
        "Judge as left",
        INSTRUCTION,
        (("leave", "Accept as left"), *own, *end),
        follow,
    )
    spare = Step(
        "adjust", "confirm", "adjust", "Coefficients or connection", "A sensor can't be adjusted; what is around it can be put right."
    )
    return (
        common.identity(setup),
        common.references(
            Field("applied", "Reference probe", "reference", hint="A probe with its own certificate beats the block's display."),
            Field("block", "Block or bath", "reference", hint="Its gradient counts; its display is compared."),
            Field("indicated", "Readout of the sensor", "reference", hint="It reads ohm or millivolt."),
        ),
        common.environment(),
        *_cold_junction(setup),
        common.warm_up(setup),
        common.operator(setup),
        common.hold(may_be_out=True),
        common.cautions(
            setup,
            *_OWN,
            checks=(
                Check("out", "Sensor out of its well, wires marked and taken off"),
                Check("deep", "Sensor and probe side by side, 15 diameters deep or as deep as the block"),
                Check("safe", "The cautions above are met"),
            ),
        ),
        *found_to_left(found, left, dict(chosen), spare),
        *common.restore(
            setup,
            checks=(
                Check("cool", "Block off or cooling, out of reach"),
                Check("well", "Sensor back in its well, touching the bottom, spring-loaded where it should be"),
                Check("wires", "Wires back on their terminals, polarity right, screen connected"),
                Check("covers", "Head cover on, cable gland tight"),
            ),
            caution="The block stays hot long after it is off.",
        ),
    )


def _cold_junction(setup: RunSetup) -> tuple[Step, ...]:
    if not settings_of(setup).thermocouple:
        return ()
    return (
        Step(
            "cold_junction",
            "condition",
            "prepare",
            "Cold junction",
            "Measure the temperature where the thermocouple's wires end. Type 0 when an ice point or the readout compensates.",
            fields=(Field("cold_junction_c", "Temperature of the cold junction", "number", "°C", low=-10, high=60),),
            enters=True,
        ),
    )


def _coefficients(r0: float, n: int) -> tuple[Step, ...]:
    return (
        Step(
            common.numbered("coefficients", n),
            "confirm",
            "adjust",
            "Load coefficients",
            "Load these into the transmitter of this sensor, then type what it now holds.",
            fields=(
                Field("loaded_r0", "R0", "number", "ohm", low=1, high=10_000, likely=(r0 * 0.98, r0 * 1.02)),
                Field("loaded_a", "A", "number", low=3e-3, high=5e-3, likely=(3.85e-3, 3.99e-3)),
                Field("loaded_b", "B", "number", low=-1e-5, high=1e-5, likely=(-6.5e-7, -5e-7)),
            ),
            cautions=("Coefficients belong to one element: note its serial at the transmitter.",),
            enters=True,
            confirm_label="Loaded",
        ),
    )


METHOD = Method(
    key="temp-sensor",
    title="Temperature sensor in a block or bath",
    revision="4",
    traits=Traits("temperature sensor", measures=("temperature",), default_points=(0.0, 50.0, 100.0), in_batches=True),
    settings=TemperatureSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=SensorAdvice(),
    watching=Still(TRIAL, patience=10.0, dwell=dwell_s, horizon=slowest_s),
    hookup=sensor_hookup,
    check=check_sensor,
    words=words,
    minutes=minutes,
)
