"""A temperature sensor compared with a reference beside it: what it is asked, what its signal stands for, which coefficients fit it.

Sources: IEC 60751:2022 and IEC 60584-1:2013 (curves and classes), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from metrology.faults import Fault
from metrology.judgement.errors import UP, ErrorInBases, Point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import Signature
from metrology.judgement.temperature_signature import AIR_C, SensorPoint, find_sensor_signatures
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread, per_signal
from metrology.methods.corrected import Off, corrected_words, corrects, off_by
from metrology.methods.fragments import CLASSES, WIRES, SensorSettings
from metrology.methods.method import Columns
from metrology.methods.outcome import Judged, Outcome
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.steps import Step
from metrology.methods.trials.curve import curve_columns, tolerance_of
from metrology.methods.trials.points import PointByPoint
from metrology.quantities.immersion import conduction_c, soak_min
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

NEAR_C = 0.05  # of span: a reference further from its point is doubted
BELIEVED = 0.15  # of span: how far a sensor can be off before it is doubted


@dataclass(frozen=True)
class TemperatureSettings(SensorSettings):
    """A temperature sensor. lead_ohm: known resistance of both leads of a 2-wire connection.

    dwell_min: wait after settling, min, at least. stem_mm, insert_mm, well_mm: its diameter, how deep it goes in, and the bore of
    the well it goes into; 0: not known.
    """

    wires: int = asked("Wires", "choice", default=4, options=WIRES, read=int)
    lead_ohm: float = asked(
        "Leads of a 2-wire connection", default=0.0, unit="ohm", hint="Both leads together; taken off each reading", low=0.0, high=200.0
    )
    sensor_class: str = asked("Tolerance class", "choice", default="", options=CLASSES)
    dwell_min: float = asked(
        "Dwell after settling", default=1.0, unit="min", hint="At least; longer where stem and well ask for it", low=0.0, high=240.0
    )
    stem_mm: float = asked("Diameter of its stem", default=0.0, unit="mm", hint="0: not known", low=0.0, high=60.0)
    insert_mm: float = asked(
        "It goes into the well", default=0.0, unit="mm", hint="0: not known; then conduction is not in U", low=0.0, high=3000.0
    )
    well_mm: float = asked("Bore of its well", default=0.0, unit="mm", hint="0: half a millimetre wider than its stem", low=0.0, high=100.0)
    matches_coefficients: bool = asked("Its transmitter takes coefficients", "flag", default=False)

    @property
    def soak_min(self) -> float:
        """How long a point soaks after everything stands still, min."""
        return max(self.dwell_min, soak_min(self.stem_mm, well_mm=self.well_mm)) if self.stem_mm else self.dwell_min

    def check(self) -> None:
        """The class must be one of its sensor, and a sensor must fit its well."""
        if self.stem_mm and self.well_mm and self.well_mm <= self.stem_mm:
            told = f"A stem of {self.stem_mm:g} mm does not go into a well of {self.well_mm:g} mm. Measure both, or leave the well empty."
            raise Fault("does_not_fit", told, field="well_mm")
        if self.sensor_class and self.sensor and not self.sensor_class.startswith(self.sensor):
            raise Fault("class_mismatch", f"Class {self.sensor_class} does not belong to this sensor.", field="sensor_class")


def settings_of(setup: RunSetup) -> TemperatureSettings:
    """The sensor's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, TemperatureSettings) else TemperatureSettings()


@dataclass(frozen=True)
class Comparison(PointByPoint):
    """The trial: what the sensor tells against what the reference had; errors are in C, carried as percent of the range."""

    scatters = True

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

    def taken(self, setup: RunSetup, reading: RawReading) -> tuple[float, float]:
        """The reference in C and the sensor's signal, each corrected by its certificate where the policy says so."""
        applied = parse_typed(reading.applied, name="The reference", unit=setup.instrument.unit).value
        signal = float(reading.indicated)
        return (
            (applied - self._input_off(setup, reading), signal - self._signal_off(setup, reading)) if corrects(setup) else (applied, signal)
        )

    def _input_off(self, setup: RunSetup, reading: RawReading) -> float:
        """What the probe shows too much, or the display of the block without one, C."""
        return off_by(_truth_of(reading), float(reading.applied), setup.instrument.unit)

    def _signal_off(self, setup: RunSetup, reading: RawReading) -> float:
        """What the readout shows too much, in the unit of the signal."""
        unit = settings_of(setup).sensor_unit or setup.instrument.unit
        return off_by(reading.references.get("indicated"), float(reading.indicated), unit)

    def _offs(self, setup: RunSetup, reading: RawReading) -> list[Off]:
        truth, meter = _truth_of(reading), reading.references.get("indicated")
        i, unit = setup.instrument, settings_of(setup).sensor_unit
        rows = ((truth, self._input_off(setup, reading), i.unit), (meter, self._signal_off(setup, reading), unit or i.unit))
        return [(reference, off, of) for reference, off, of in rows if reference]

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """What the sensor tells against what the reference had, over the range in C."""
        i = setup.instrument
        applied, signal = self.taken(setup, reading)
        told = self.told(setup, slot, signal)
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

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """Probe, block gradient, readout, resolution, settling, repeatability."""
        references = reading.references
        if not references:
            return ()
        i, d = setup.instrument, settings_of(setup)
        span = i.urv - i.lrv
        b = Budget(setup, point.applied, reading, per_input=100 / span, is_corrected=corrects(setup))
        probe, block, meter = (references.get(r) for r in ("applied", "block", "indicated"))
        if probe:
            b.source(probe, at=point.applied, unit=i.unit, what="Reference probe")
        if block:
            b.add(f"Gradient of {block.code}", 100 * block.width_in(block.gradient, i.unit) / span, "rectangular")
            b.add(f"Along the wells of {block.code}", 100 * block.width_in(block.axial, i.unit) / span, "rectangular")
            b.add(f"Loading of {block.code}", 100 * block.width_in(block.loading, i.unit) / span, "rectangular")
            if not probe:
                b.source(block, at=point.applied, unit=i.unit, what="Display of block")
        per = per_signal(setup, point.applied) if d.sensor else 1.0
        unit = d.sensor_unit or i.unit
        if meter:
            b.meter(meter, float(reading.indicated), unit, span / per)
        b.cold_junction(point.applied)
        if d.stem_mm and d.insert_mm:
            pulled = conduction_c(point.applied - setup.value("temperature", AIR_C), depth_mm=d.insert_mm, stem_mm=d.stem_mm)
            b.add(f"Conduction along {d.stem_mm:g} mm, {d.insert_mm:g} mm deep", 100 * pulled / span, "rectangular")
        b.read_on(meter, unit, span / per, typed=parse_typed(reading.indicated, name="The reading", unit=unit).resolution)
        b.settling({"applied": span, "indicated": span / per})
        b.repeatability(spread)
        return tuple(b.parts)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """Temperature's own causes: leads, cold junction, changed wires, drift of R0, immersion."""
        d = settings_of(setup)
        points = tuple(
            SensorPoint(j.point.applied, j.error.unit, (1 / per_signal(setup, j.point.applied)) if d.sensor else 1.0) for j in judged
        )
        span = setup.instrument.urv - setup.instrument.lrv
        tolerance, air = min(j.tolerance for j in judged) * span / 100, setup.value("temperature", AIR_C)
        return find_sensor_signatures(points, tolerance=tolerance, sensor=d.sensor, r0=d.r0, wires=d.wires, air_c=air)

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """Resistance at 0 °C and the coefficients that fit these points."""
        told = corrected_words(setup, readings, lambda r: self._offs(setup, r))
        fitted = self.fit(setup, readings)
        if fitted is None:
            return told
        taken = [self.taken(setup, r) for r in readings]
        after = max((abs(fitted.temperature(signal - _lead(setup)) - applied) for applied, signal in taken), default=0.0)
        return (
            *told,
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
            taken = [self.taken(setup, r) for r in readings]
            return fit_platinum([(applied, signal - _lead(setup)) for applied, signal in taken])
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


def _truth_of(reading: RawReading) -> ReferenceStandard | None:
    """What the temperature was read from: the probe, or the block's own display without one."""
    return reading.references.get("applied") or reading.references.get("block")


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
            how += f"Set the block to {number(t, decimals_for(i.urv - i.lrv))} {i.unit}; soak {settings_of(setup).soak_min:g} min when all is still."
            slots.append(Slot(len(slots), cycle, UP, percent, t, t, how, extra=extra))
    return tuple(slots)


TRIAL = Comparison()
