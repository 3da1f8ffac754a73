"""A curve: an input stepped up and down against an output, each point with its error, the set with its statistics and its kind of error."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from metrology.judgement.causes.naming import find_signatures
from metrology.judgement.causes.rows import Curve as Shape
from metrology.judgement.errors import DOWN, UP, ErrorInBases, Point, error_in_bases, measure_point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import Signature
from metrology.judgement.tolerance import tolerance_percent
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Spread, ideal_for, output_budget, per_signal, signal_at, through
from metrology.methods.corrected import Off, corrected_words, corrects, off_by
from metrology.methods.fragments import ABSOLUTE, DIFFERENTIAL, GAUGE, SensorSettings, pressure_kind, sensor_of
from metrology.methods.method import Columns
from metrology.methods.outcome import Judged, Outcome
from metrology.methods.setup import InstrumentSetup, RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import Need
from metrology.methods.trials.points import PointByPoint, least_ratio
from metrology.quantities.temperature import require_sensor_covers, sensor_signal, sensor_signal_beyond, sensor_temperature_beyond
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import convert, quantity_of
from metrology.quantities.words import decimals_for, number

# An output can reach a little past its ends (NAMUR NE 43: 3.6 and 21 mA and above signal a fault).
BELOW_SPAN, ABOVE_SPAN = 0.025, 0.125
FAILURE_MA = 21.0  # NAMUR NE 43:2003: from here on a current is a failure signal, not a measurement
APPLIED_NEAR = 0.05  # of span: an applied value further from its point is doubted
SLIP_NEAR = 0.10  # of span: how near a proposed correction must be to the expected output

Applied = Callable[[RunSetup, Slot], Quantity]
Slots = Callable[[RunSetup, str], tuple[Slot, ...]]
Budgeted = Callable[[RunSetup, Slot, Point, RawReading, Spread | None], tuple[Component, ...]]
Found = Callable[[RunSetup], tuple[tuple[str, str], ...]]


@lru_cache(maxsize=256)
def up_and_down(setup: RunSetup, _set_key: str = "") -> tuple[Slot, ...]:
    """Each cycle rises through the points and falls back through them, the top taken both ways."""
    i = setup.instrument
    slots: list[Slot] = []
    for cycle in range(1, setup.cycles + 1):
        ways = [(p, UP) for p in setup.points_percent] + [(p, DOWN) for p in reversed(setup.points_percent)]
        for n, (percent, direction) in enumerate(ways):
            nominal = i.lrv + percent / 100.0 * (i.urv - i.lrv)
            how = rest_at(setup, nominal) or approach(n, len(setup.points_percent), direction)
            slots.append(Slot(len(slots), cycle, direction, percent, nominal, ideal_for(setup, nominal), how))
    return tuple(slots)


RESTS = {
    GAUGE: "Vent it to the air: that is its zero. Nothing is trapped behind a valve.",
    DIFFERENTIAL: "Vent both sides and open the equaliser between them: that is its zero.",
    ABSOLUTE: "Pull the vacuum down as far as the reference reads; the air is not its zero.",
}


def believed_output(i: InstrumentSetup) -> tuple[float, float]:
    """Between which a reading of the output is believed without asking, in its unit; a failure signal is not."""
    span = i.output_hi - i.output_lo
    low, high = i.output_lo - BELOW_SPAN * span, i.output_hi + ABOVE_SPAN * span
    return low, FAILURE_MA - 0.01 if i.output_unit == "mA" and i.output_hi < FAILURE_MA < high else high


def rest_at(setup: RunSetup, nominal: float) -> str:
    """How a point is come to that can't be come up to: zero pressure, or the setting of a simulator; empty of others."""
    if sensor_of(setup).sensor:
        return "Set the simulator to it; there is no way up or down to it."
    kind = pressure_kind(setup)
    return RESTS[kind] if kind and nominal == 0 else ""


def approach(n: int, count: int, direction: str) -> str:
    """How the nth point of a cycle is come up to."""
    if n == 0:
        return "Start below the point and come up to it."
    if n == count:
        return "Go a little above the top, then come back down to it."
    return "Come up to it; do not pass it." if direction == UP else "Come down to it; do not pass it."


def applied_input(setup: RunSetup, slot: Slot) -> Quantity:
    """What is put at the input: the value itself, or the signal of the sensor that is simulated."""
    i, d = setup.instrument, sensor_of(setup)
    span = abs(i.urv - i.lrv)
    near = APPLIED_NEAR * span
    low, high = slot.nominal - near, slot.nominal + near
    if not d.sensor:
        hint = "Change it if the reference says otherwise."
        return Quantity("applied", "Really applied", i.unit, decimals_for(i.urv - i.lrv), slot.nominal, low, high, 0, hint=hint, span=span)
    cold = setup.value("cold_junction_c", 0.0)
    width = abs(signal_at(setup, i.urv) - signal_at(setup, i.lrv))
    at = sensor_signal(d.sensor, slot.nominal, r0=d.r0, cold_junction_c=cold)
    low, high = (sensor_signal_beyond(d.sensor, t, r0=d.r0, cold_junction_c=cold) for t in (low, high))
    low, high = sorted((low, high))
    hint = f"Stands for {slot.nominal:g} {i.unit}" + (f" against {cold:g} °C at the terminals." if d.thermocouple else ".")
    return Quantity("applied", f"Simulated {d.sensor_unit}", d.sensor_unit, 3, at, low, high, 0, hint=hint, span=width)


def nothing_more(_setup: RunSetup) -> tuple[tuple[str, str], ...]:
    """Nothing is found beyond the statistics."""
    return ()


@dataclass(frozen=True)
class Curve(PointByPoint):
    """The trial. slots: which points; applied: what is put at the input; found: more that it tells.

    budgeted: components of an error, where they are not those of an input reference and an output meter.
    """

    slots: Slots = up_and_down
    applied: Applied = applied_input
    budgeted: Budgeted | None = None
    found: Found = nothing_more
    reads_digital: Callable[[RunSetup], bool] = lambda _setup: False
    is_named_whole = True
    scatters = True

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The points, all known beforehand."""
        return Plan(self.slots(setup, set_key))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """Applied (as the sensor's signal where one is simulated), indicated, and the digital value where there is one."""
        i = setup.instrument
        span, out_span = abs(i.urv - i.lrv), i.output_hi - i.output_lo
        low, high = believed_output(i)
        indicated = Quantity(
            "indicated", "Reading", i.output_unit, decimals_for(out_span), slot.ideal, low, high, SLIP_NEAR * out_span, span=out_span
        )
        digital = Quantity(
            "pv", "Digital value", i.unit, decimals_for(span), slot.nominal, min(i.lrv, i.urv) - ABOVE_SPAN * span,
            max(i.lrv, i.urv) + ABOVE_SPAN * span, SLIP_NEAR * span, required=False,
            hint="Read beside the output, it tells sensor side and output side apart.", span=span,
        )  # fmt: skip
        return (self.applied(setup, slot), indicated, *((digital,) if self.reads_digital(setup) else ()))

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """A simulated signal becomes the temperature it stands for; the signal itself stays beside it."""
        d = sensor_of(setup)
        if not d.sensor:
            return texts
        cold = setup.value("cold_junction_c", 0.0)
        t = sensor_temperature_beyond(d.sensor, float(texts["applied"]), near=slot.nominal, r0=d.r0, cold_junction_c=cold)
        kept = {"simulated": f"{texts['applied']} {d.sensor_unit}", **({"cold_junction_c": f"{cold:g}"} if d.thermocouple else {})}
        return {**texts, "applied": number(t, 3), **kept}

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """Tolerance at an applied value in % of output span."""
        return tolerance_of(setup, applied)

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """One reading set against its ideal."""
        i = setup.instrument
        applied = parse_typed(reading.applied, name="The applied value", unit=i.unit).value
        indicated = parse_typed(reading.indicated, name="The reading", unit=i.output_unit).value
        if self.is_corrected(setup):
            applied, indicated = applied - self._input_off(setup, reading, applied), indicated - self._output_off(setup, reading, indicated)
        return measure_point(
            applied,
            indicated,
            lrv=i.lrv,
            urv=i.urv,
            transfer=i.transfer,
            output_lo=i.output_lo,
            output_hi=i.output_hi,
            direction=slot.direction,
            cycle=slot.cycle,
        )

    def is_corrected(self, setup: RunSetup) -> bool:
        """Whether the references' own errors are taken off the readings; the budget then leaves them out."""
        return corrects(setup) and self.budgeted is None

    def _input_off(self, setup: RunSetup, reading: RawReading, applied: float) -> float:
        """What the input reference shows too much, in the instrument's unit."""
        source, d = reading.references.get("applied"), sensor_of(setup)
        if not d.sensor:
            return off_by(source, applied, setup.instrument.unit)
        return off_by(source, signal_at(setup, applied), d.sensor_unit) * per_signal(setup, applied)

    def _output_off(self, setup: RunSetup, reading: RawReading, indicated: float) -> float:
        """What the output meter shows too much, in the unit of the output."""
        return off_by(reading.references.get("indicated"), indicated, setup.instrument.output_unit)

    def _offs(self, setup: RunSetup, reading: RawReading) -> list[Off]:
        """Both, with whose they are."""
        i = setup.instrument
        rows = (
            ("applied", self._input_off(setup, reading, float(reading.applied)), i.unit),
            ("indicated", self._output_off(setup, reading, float(reading.indicated)), i.output_unit),
        )
        return [(reading.references[role], off, unit) for role, off, unit in rows if reading.references.get(role)]

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """Uncertainty components of one error, in % of output span."""
        if self.budgeted:
            return self.budgeted(setup, slot, point, reading, spread)
        return output_budget(setup, point.applied, reading, spread, is_corrected=self.is_corrected(setup))

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What kind of error it is."""
        i = setup.instrument
        digital = tuple(j.sensor_percent for j in judged if j.sensor_percent is not None)
        tolerance = min((j.tolerance for j in judged), default=1.0)
        errors = digital if len(digital) == len(judged) else None
        return find_signatures(Shape(tuple(j.point for j in judged), tolerance, i.transfer, i.lrv, i.urv, i.unit, pv_errors=errors))

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error on four bases."""
        i = setup.instrument
        return error_in_bases(
            point,
            lrv=i.lrv,
            urv=i.urv,
            transfer=i.transfer,
            output_lo=i.output_lo,
            output_hi=i.output_hi,
            division=i.tolerance.division,
        )

    def split(self, setup: RunSetup, point: Point, reading: RawReading) -> tuple[float | None, float | None]:
        """Applied to digital value, and digital value to output, in % of output span; None where it was not read."""
        text = reading.extra.get("pv")
        if not text:
            return None, None
        i = setup.instrument
        out_span = i.output_hi - i.output_lo
        ideal = ideal_for(setup, float(text))
        return 100.0 * (ideal - point.ideal) / out_span, 100.0 * (point.indicated - ideal) / out_span

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """What the method finds beyond the statistics, and by how much readings were corrected."""
        told = corrected_words(setup, readings, lambda r: self._offs(setup, r)) if self.is_corrected(setup) else ()
        return (*self.found(setup), *told)

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The ideal output."""
        return ideal_for(setup, applied)

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In percent of span, applied in the instrument's unit; a temperature's errors in degrees, with the share beside."""
        return curve_columns(setup)


def curve_columns(setup: RunSetup) -> Columns:
    """How errors over a range are told: in percent of span, or where a linear signal stands for a temperature in its degrees."""
    i = setup.instrument
    if not i.is_in_degrees:
        return Columns(applied_unit=i.unit)
    per_percent = abs(i.urv - i.lrv) / 100
    smallest = min(tolerance_of(setup, t) for t in (i.lrv, i.urv)) * per_percent
    return Columns(
        applied_unit=i.unit, error=f"Error, {i.unit}", unit=i.unit, per_percent=per_percent, decimals=2 if smallest >= 0.1 else 3, has_share=True,
        y=f"error, {i.unit}", csv_error=f"error ({i.unit})",
    )  # fmt: skip


def tolerance_of(setup: RunSetup, applied: float) -> float:
    """The instrument's tolerance at an applied value in % of output span."""
    i = setup.instrument
    return tolerance_percent(i.tolerance, applied, lrv=i.lrv, urv=i.urv, transfer=i.transfer)


def check_sensor(settings: Any, entry: Mapping[str, Any]) -> None:
    """The range of a register entry must lie on the curve of the sensor that is simulated or read."""
    if isinstance(settings, SensorSettings) and settings.sensor and quantity_of(str(entry["unit"])) == "temperature":
        ends = [convert(float(entry[end]), str(entry["unit"]), to_unit="°C") for end in ("lrv", "urv")]
        require_sensor_covers(settings.sensor, *ends)


def input_need(setup: RunSetup, label: str) -> Need:
    """The span of the test points, as the sensor's signal where one is simulated."""
    i, d = setup.instrument, sensor_of(setup)
    ends = [i.lrv + p / 100.0 * (i.urv - i.lrv) for p in (setup.points_percent[0], setup.points_percent[-1])]
    if d.sensor:
        ends = [sensor_signal(d.sensor, t, r0=d.r0, cold_junction_c=23.0 if d.thermocouple else 0.0) for t in ends]
    return Need("applied", label, unit=d.sensor_unit or i.unit, low=min(ends), high=max(ends))


def output_need(setup: RunSetup, label: str = "Output meter") -> Need:
    """The output's range, for what reads it."""
    i = setup.instrument
    return Need("indicated", label, unit=i.output_unit, low=i.output_lo, high=i.output_hi)


def input_width(setup: RunSetup, nominal: float, reference: ReferenceStandard) -> float:
    """Expanded uncertainty of an input reference in the instrument's unit, also where it gives a sensor's signal."""
    i, d = setup.instrument, sensor_of(setup)
    if not d.sensor:
        return reference.expanded(nominal, unit=i.unit)
    return reference.expanded(signal_at(setup, nominal), unit=d.sensor_unit) * per_signal(setup, nominal)


def curve_tur(
    trial: PointByPoint, width: Callable[[RunSetup, float, ReferenceStandard], float] = input_width
) -> Callable[[RunSetup, str, ReferenceStandard], float]:
    """The smallest tolerance / U of a reference alone over the points of a trial, both in % of output span."""

    def tur(setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
        i = setup.instrument
        slots = trial.plan(setup, "as_found").slots
        if role == "indicated":
            out_span = i.output_hi - i.output_lo
            widths = [100.0 * reference.expanded(ideal_for(setup, s.nominal), unit=i.output_unit) / out_span for s in slots]
        else:
            widths = [through(setup, s.nominal, width(setup, s.nominal, reference)) for s in slots]
        return least_ratio([trial.tolerance_at(setup, s) for s in slots], widths)

    return tur
