"""temp-sensor: a resistance thermometer or thermocouple against a reference in a block or bath.

Sources: IEC 60751:2008 and IEC 60584-1:2013 (curves, tolerance classes), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial

from metrology.faults import Fault
from metrology.judgement.decision import FAIL
from metrology.judgement.errors import UP, ErrorInBases, Point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import Signature
from metrology.judgement.temperature_signature import SensorPoint, find_sensor_signatures
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, per_signal, signal_at
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.fragments import CLASSES, SENSORS, SensorSettings
from metrology.methods.hookup import sensor_hookup
from metrology.methods.method import Columns, Method, Traits
from metrology.methods.outcome import Judged, Outcome, Proposal
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.curve import check_sensor, curve_columns, tolerance_of
from metrology.methods.trials.points import PointByPoint, least_ratio
from metrology.methods.watching import Still
from metrology.quantities.temperature import (
    Platinum,
    class_covers,
    fit_platinum,
    sensor_signal,
    sensor_signal_beyond,
    sensor_temperature_beyond,
    sensor_tolerance,
)
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, number

INSTRUCTION = (
    "Bring the block to the point, wait until reference and sensor both stand still, then let it soak. "
    "What counts is the temperature the reference really had, not the set point."
)
_OWN = (
    "Hot blocks and probes burn and set fire: keep the well clear, never cool it with water, let it cool before it is carried.",
    "A sensor drawn from its well may leave an open process connection: make sure there is a thermowell and that it is sound.",
)
NEAR_C = 0.05  # of span: a reference further from its point is doubted
BELIEVED = 0.15  # of span: how far a sensor can be off before it is doubted


@dataclass(frozen=True)
class TemperatureSettings(SensorSettings):
    """A temperature sensor. lead_ohm: known resistance of both leads of a 2-wire connection. dwell_min: wait after settling, min."""

    wires: int = asked("Wires", "choice", default=4, options=(("2", "2"), ("3", "3"), ("4", "4")), read=int)
    lead_ohm: float = asked(
        "Leads of a 2-wire connection", default=0.0, unit="ohm", hint="Both leads together; taken off each reading", low=0.0, high=200.0
    )
    sensor_class: str = asked("Tolerance class", "choice", default="", options=CLASSES)
    dwell_min: float = asked("Dwell after settling", default=1.0, unit="min", low=0.0, high=240.0)
    matches_coefficients: bool = asked("Its transmitter takes coefficients", "flag", default=False)

    def check(self) -> None:
        """The class must be one of its sensor."""
        if self.sensor_class and self.sensor and not self.sensor_class.startswith(self.sensor):
            raise Fault("class_mismatch", f"Class {self.sensor_class} does not belong to this sensor.", field="sensor_class")


def settings_of(setup: RunSetup) -> TemperatureSettings:
    """The sensor's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, TemperatureSettings) else TemperatureSettings()


@dataclass(frozen=True)
class Comparison(PointByPoint):
    """The trial: what the sensor tells against what the reference had; errors are in C, carried as percent of the range."""

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The points from low to high, once a cycle."""
        return Plan(_plan(setup, set_key.startswith("as_left") and "loaded_r0" in dict(setup.entered)))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """The reference's temperature, and the sensor's own signal."""
        i, d = setup.instrument, settings_of(setup)
        span = i.urv - i.lrv
        near = NEAR_C * span
        applied = Quantity(
            "applied",
            "Reference reads",
            i.unit,
            3,
            slot.nominal,
            slot.nominal - near,
            slot.nominal + near,
            0,
            hint="What the reference probe reads at the moment the sensor is read.",
            span=span,
        )
        if not d.sensor:
            low, high = i.lrv - BELIEVED * span, i.urv + BELIEVED * span
            return (applied, Quantity("indicated", "Sensor reads", i.unit, 2, slot.nominal, low, high, 0.1 * span, span=span))
        at = self._signal(setup, slot.nominal)
        low, high = sorted((self._believed(setup, i.lrv - BELIEVED * span), self._believed(setup, i.urv + BELIEVED * span)))
        return (
            applied,
            Quantity(
                "indicated",
                "Sensor reads",
                d.sensor_unit,
                3,
                at,
                low,
                high,
                0.1 * abs(high - low),
                span=span / per_signal(setup, slot.nominal),
            ),
        )

    def _signal(self, setup: RunSetup, t90_c: float) -> float:
        d = settings_of(setup)
        return sensor_signal(d.sensor, t90_c, r0=d.r0, cold_junction_c=setup.value("cold_junction_c", 0.0)) + _lead(setup)

    def _believed(self, setup: RunSetup, t90_c: float) -> float:
        """The signal at a temperature, past an end of the sensor's curve as if it went straight on."""
        d = settings_of(setup)
        cold = setup.value("cold_junction_c", 0.0)
        return sensor_signal_beyond(d.sensor, t90_c, r0=d.r0, cold_junction_c=cold) + _lead(setup)

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """The cold junction of a thermocouple stands beside its reading."""
        d = settings_of(setup)
        if d.sensor:
            self.told(setup, slot, float(texts["indicated"]))  # refuses a signal that no temperature gives
        return {**texts, **({"cold_junction_c": f"{setup.value('cold_junction_c', 0.0):g}"} if d.thermocouple else {})}

    def told(self, setup: RunSetup, slot: Slot, signal: float) -> float:
        """The temperature a signal stands for, in C, by the curve that holds for the slot."""
        d = settings_of(setup)
        if not d.sensor:
            return signal
        signal -= _lead(setup)
        try:
            if slot.extra.get("coefficients"):
                return loaded(setup).temperature(signal)
            cold = setup.value("cold_junction_c", 0.0)
            return sensor_temperature_beyond(d.sensor, signal, near=slot.nominal, r0=d.r0, cold_junction_c=cold)
        except Fault as fault:
            told = (
                f"The sensor reads {signal:g} {d.sensor_unit}, which no temperature of it gives: an open circuit, a short or a wrong lead. "
                "Check the connection; nothing was stored."
            )
            raise Fault("no_temperature", told, field="indicated") from fault

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """What the sensor tells against what the reference had, over the range in C."""
        i = setup.instrument
        applied = parse_typed(reading.applied, name="The reference", unit=i.unit).value
        told = self.told(setup, slot, float(reading.indicated))
        span = i.urv - i.lrv
        fraction = (applied - i.lrv) / span
        return Point(applied, told, applied, fraction, 100 * fraction, 100 * (told - applied) / span, UP, slot.cycle)

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error in C is the error."""
        error = point.indicated - point.applied
        return ErrorInBases(point.error_percent, 100 * error / abs(point.applied) if point.applied else None, error, None)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The class of the sensor where it has one that is defined there, else the instrument's tolerance; % of the range."""
        i, d = setup.instrument, settings_of(setup)
        if d.sensor_class and class_covers(d.sensor_class, applied):
            return 100 * sensor_tolerance(d.sensor_class, applied) / (i.urv - i.lrv)
        return tolerance_of(setup, applied)

    def budget(
        self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: tuple[float, int] | None
    ) -> tuple[Component, ...]:
        """Probe, block gradient, readout, resolution, settling, repeatability."""
        references = reading.references
        if not references:
            return ()
        i, d = setup.instrument, settings_of(setup)
        span = i.urv - i.lrv
        b = Budget(setup, point.applied, reading, per_input=100 / span)
        probe, block, meter = (references.get(r) for r in ("applied", "block", "indicated"))
        if probe:
            b.source(probe, at=point.applied, unit=i.unit, what="Reference probe")
        if block:
            b.add(f"Gradient of {block.code}", 100 * block.gradient_in(i.unit) / span, "rectangular")
            if not probe:
                b.source(block, at=point.applied, unit=i.unit, what="Display of block")
        per = per_signal(setup, point.applied) if d.sensor else 1.0
        unit = d.sensor_unit or i.unit
        if meter:
            b.meter(meter, float(reading.indicated), unit, span / per)
        b.resolution(parse_typed(reading.indicated, name="The reading", unit=unit).resolution, span / per)
        b.settling({"applied": span, "indicated": span / per})
        b.repeatability(spread)
        return tuple(b.parts)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """Temperature's own rows: leads, cold junction, gradient, drift of R0."""
        d = settings_of(setup)
        points = tuple(
            SensorPoint(j.point.applied, j.error.unit, (1 / per_signal(setup, j.point.applied)) if d.sensor else 1.0) for j in judged
        )
        span = setup.instrument.urv - setup.instrument.lrv
        return find_sensor_signatures(
            points, tolerance=min(j.tolerance for j in judged) * span / 100, sensor=d.sensor, r0=d.r0, wires=d.wires
        )

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """Resistance at 0 °C and the coefficients that fit these points."""
        fitted = self.fit(setup, readings)
        if fitted is None:
            return ()
        after = max((abs(fitted.temperature(float(r.indicated) - _lead(setup)) - float(r.applied)) for r in readings), default=0.0)
        return (
            ("Matching R0", f"{fitted.r0:.4f} ohm"),
            ("Matching A", f"{fitted.a:.6e}"),
            ("Matching B", f"{fitted.b:.5e}"),
            ("Largest error with them", f"{after:.3f} °C"),
            *_as_many_as(setup, readings),
        )

    def fit(self, setup: RunSetup, readings: Sequence[RawReading]) -> Platinum | None:
        """Coefficients that match this element, from its readings; None where there is nothing to fit."""
        if not settings_of(setup).is_platinum:
            return None
        try:
            return fit_platinum([(float(r.applied), float(r.indicated) - _lead(setup)) for r in readings])
        except Fault:
            return None

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The signal of a sensor without error."""
        return self._signal(setup, applied) if settings_of(setup).sensor else applied

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The coefficients to load, proposed from the as-found points."""
        fitted = self.fit(setup, readings) if step.key.startswith("coefficients") else None
        return {"loaded_r0": f"{fitted.r0:.4f}", "loaded_a": f"{fitted.a:.6e}", "loaded_b": f"{fitted.b:.5e}"} if fitted else {}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In degrees, with the share of the range beside."""
        return curve_columns(setup)


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
        if first and first.code == "outlier" and not is_as_left:
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
            gradient = reference.gradient_in(i.unit) if role == "block" else 0.0
            widths.append(reference.expanded(slot.nominal, unit=i.unit) + gradient)
    return least_ratio([TRIAL.tolerance_at(setup, s) * (i.urv - i.lrv) / 100 for s in slots], widths)


def words(setup: RunSetup) -> tuple[str, str]:
    """The sensor stands for the output, its class for the tolerance."""
    i, d = setup.instrument, settings_of(setup)
    output = dict(SENSORS)[d.sensor] if d.sensor else f"read in {i.unit}"
    return output, f"class {d.sensor_class}" if d.sensor_class else i.tolerance_text


def minutes(setup: RunSetup, slot: Slot) -> float:
    """A point's soak and its reading."""
    return settings_of(setup).dwell_min + 1.5


def dwell_s(setup: RunSetup) -> float:
    """The soak of the sensor in its block, s."""
    return 60.0 * settings_of(setup).dwell_min


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps; a sensor is replaced or given coefficients, never adjusted."""
    return _steps(setup, tuple(sorted(choices.items())))


def _lead(setup: RunSetup) -> float:
    """Known lead resistance that a 2-wire reading carries, ohm."""
    d = settings_of(setup)
    return d.lead_ohm if d.is_platinum and d.wires == 2 else 0.0


def loaded(setup: RunSetup) -> Platinum:
    """The coefficients that were loaded in this run."""
    return Platinum(setup.value("loaded_r0", 100.0), setup.value("loaded_a", 3.9083e-3), setup.value("loaded_b", -5.775e-7))


def _as_many_as(setup: RunSetup, readings: Sequence[RawReading]) -> tuple[tuple[str, str], ...]:
    """Said where the fit can't but agree."""
    points = {round(float(r.applied), 1) for r in readings}
    if setup.revision == "1" or len(points) > FITTED:
        return ()
    told = f"fitted to {len(points)} points, no more than it has coefficients: it meets them whatever the sensor does between. Take an independent point."
    return (("What that proves", told),)


FITTED = 3  # coefficients: R0, A and B


def independent_percent(setup: RunSetup) -> float | None:
    """A point beside those that coefficients are fitted to, in the middle of the widest gap; None where there are more points than coefficients.

    As many points as coefficients are met exactly, whatever the sensor does between them (since revision 2).
    """
    points = sorted(set(setup.points_percent))
    if setup.revision == "1" or len(points) > FITTED:
        return None
    low, high = max(itertools.pairwise(points), key=lambda pair: pair[1] - pair[0])
    return (low + high) / 2


@lru_cache(maxsize=256)
def _plan(setup: RunSetup, with_coefficients: bool) -> tuple[Slot, ...]:
    i = setup.instrument
    extra = {"coefficients": "loaded"} if with_coefficients else {}
    slots: list[Slot] = []
    apart = independent_percent(setup) if with_coefficients else None
    for cycle in range(1, setup.cycles + 1):
        for percent in sorted({*setup.points_percent, *(() if apart is None else (apart,))}):
            t = i.lrv + percent / 100.0 * (i.urv - i.lrv)
            how = "No coefficient was fitted to this point: it tells whether they hold. " if percent == apart else ""
            how += f"Set the block to {number(t, decimals_for(i.urv - i.lrv))} {i.unit}; soak {settings_of(setup).dwell_min:g} min when all is still."
            slots.append(Slot(len(slots), cycle, UP, percent, t, t, how, extra=extra))
    return tuple(slots)


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    d = settings_of(setup)
    own = (("coefficients", "Load matching coefficients"),) if d.matches_coefficients else ()
    end = (("repair", "Correct the connection, then prove"), ("replace", "Mark for replacement"))
    follow: dict[str, Callable[[int], tuple[Step, ...]]] = {"repair": common.repair, "coefficients": partial(_coefficients, d.r0)}
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


TRIAL = Comparison()
METHOD = Method(
    key="temp-sensor",
    title="Temperature sensor in a block or bath",
    revision="2",
    traits=Traits("temperature sensor", default_points=(0.0, 50.0, 100.0), in_batches=True),
    settings=TemperatureSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=SensorAdvice(),
    watching=Still(TRIAL, patience=10.0, dwell=dwell_s),
    hookup=sensor_hookup,
    check=check_sensor,
    words=words,
    minutes=minutes,
)
