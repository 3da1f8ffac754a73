"""The uncertainty budget of one error: references, resolution, repeatability, settling, drift since the certificate, gradient."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence

from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.uncertainty import Component
from metrology.methods.fragments import sensor_of
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading, Slot
from metrology.quantities.temperature import sensor_sensitivity, sensor_signal_beyond
from metrology.quantities.transfer import ideal_output
from metrology.quantities.typed import parse_typed

COVERAGE = 0.9545


def ideal_for(setup: RunSetup, applied: float) -> float:
    """Ideal output for an applied value, in output units."""
    i = setup.instrument
    return ideal_output(applied, i.transfer, lrv=i.lrv, urv=i.urv, output_lo=i.output_lo, output_hi=i.output_hi)


def through(setup: RunSetup, value: float, width: float) -> float:
    """A width at the input in % of output span: half the change of output over value +- width."""
    i = setup.instrument
    return 50.0 * abs(ideal_for(setup, value + width) - ideal_for(setup, value - width)) / (i.output_hi - i.output_lo)


def signal_at(setup: RunSetup, t90_c: float) -> float:
    """The sensor's own signal at a temperature, ohm or mV."""
    d = sensor_of(setup)
    return sensor_signal_beyond(d.sensor, t90_c, r0=d.r0)


def per_signal(setup: RunSetup, t90_c: float) -> float:
    """C that one ohm or one mV of the sensor's signal stands for at a temperature."""
    d = sensor_of(setup)
    return 1.0 / sensor_sensitivity(d.sensor, t90_c, r0=d.r0)


class Budget:
    """Collects the components of one error in % of output span; what is zero is left out."""

    def __init__(self, setup: RunSetup, applied: float, reading: RawReading, *, per_input: float | None = None) -> None:
        """per_input: % of span that one unit of the input is, where it does not go through the transfer function."""
        self.setup, self.applied, self.reading, self.per_input = setup, applied, reading, per_input
        i = setup.instrument
        self.out_span = i.output_hi - i.output_lo
        self.parts: list[Component] = []

    def add(self, name: str, value: float, distribution: str = "normal", *, divisor: float | None = None, dof: float = math.inf) -> None:
        """A component, unless it is nothing."""
        if value > 0:
            self.parts.append(Component(name, value, distribution, divisor=divisor, dof=dof))

    def at_input(self, width: float) -> float:
        """A width in the instrument's unit, carried to % of output span."""
        return width * self.per_input if self.per_input is not None else through(self.setup, self.applied, width)

    def source(self, r: ReferenceStandard, *, at: float, unit: str, per: float = 1.0, what: str = "Input reference") -> None:
        """A reference at the input, read at `at` in `unit`: certificate, resolution, drift since its certificate, gradient.

        per: what one of that unit is in the instrument's unit, where a sensor's signal is simulated or read.
        """
        self.add(f"{what} {r.code}", self.at_input(r.expanded(at, unit=unit) * per), divisor=r.k)
        self.add(f"Own error of {r.code} by its certificate", self.at_input(r.deviation(at, unit=unit) * per), "rectangular")
        self.add(f"Resolution of {r.code}", self.at_input(r.step_in(unit) / 2 * per), "rectangular")
        self.add(f"Drift of {r.code} since its certificate", self.at_input(r.drifted(self.reading.on, unit=unit) * per), "rectangular")
        self.add(f"Gradient of {r.code}", self.at_input(r.gradient_in(unit) * per), "rectangular")

    def meter(self, r: ReferenceStandard, value: float, unit: str, span: float) -> None:
        """A reference at the output, read at `value`; span is what 100 % is in that unit."""
        self.add(f"Output meter {r.code}", 100 * r.expanded(value, unit=unit) / span, divisor=r.k)
        self.add(f"Own error of {r.code} by its certificate", 100 * r.deviation(value, unit=unit) / span, "rectangular")
        self.add(f"Drift of {r.code} since its certificate", 100 * r.drifted(self.reading.on, unit=unit) / span, "rectangular")

    def resolution(self, step: float, span: float) -> None:
        """The step of the reading itself."""
        self.add("Resolution of the reading", 50.0 * step / span, "rectangular")

    def settling(self, spans: Mapping[str, float]) -> None:
        """Spread of each captured trace over its window, as the spread of its mean. spans: what 100 % is of each quantity."""
        for name, told in (self.reading.extra.get("captured") or {}).items():
            if name in spans and told["n"] > 1:
                # Neighbouring samples of a settled trace hang together; a tenth of them are taken as independent.
                independent = max(1.0, told["n"] / 10)
                value = 100 * told["sd"] / math.sqrt(independent) / abs(spans[name])
                self.add(f"Settle spread, {told['label']}", value, dof=max(1.0, independent - 1))
                if told.get("bound"):  # how much might still have come when it was captured
                    self.add(f"Rest of the approach, {told['label']}", 100 * told["bound"] / abs(spans[name]), "rectangular")

    def repeatability(self, spread: tuple[float, int] | None) -> None:
        """Standard deviation from the data over the cycles, with the number of readings behind it."""
        if spread:
            sd, n = spread
            self.add("Repeatability over the cycles", sd, dof=float(n - 1))


def repeatability_of(slots: Sequence[Slot], errors: Sequence[float]) -> dict[tuple[float, str, str], tuple[float, int]]:
    """Standard deviation and count of each point read in the same direction in more than one cycle, % of output span."""
    groups: dict[tuple[float, str, str], list[float]] = defaultdict(list)
    for slot, error in zip(slots, errors, strict=True):
        groups[(slot.percent, slot.direction, slot.channel)].append(error)
    out = {}
    for key, values in groups.items():
        if len(values) > 1:
            mean = math.fsum(values) / len(values)
            out[key] = (math.sqrt(math.fsum((v - mean) ** 2 for v in values) / (len(values) - 1)), len(values))
    return out


def output_budget(setup: RunSetup, applied: float, reading: RawReading, spread: tuple[float, int] | None) -> tuple[Component, ...]:
    """The components for an instrument with an input reference and an output meter; empty without references."""
    i, d, references = setup.instrument, sensor_of(setup), reading.references
    if not references:
        return ()
    b = Budget(setup, applied, reading)
    source, meter = references.get("applied"), references.get("indicated")
    if source and d.sensor:
        b.source(source, at=signal_at(setup, applied), unit=d.sensor_unit, per=per_signal(setup, applied))
    elif source:
        b.source(source, at=applied, unit=i.unit)
    if meter:
        b.meter(meter, ideal_for(setup, applied), i.output_unit, b.out_span)
    b.resolution(parse_typed(reading.indicated, name="The reading", unit=i.output_unit).resolution, b.out_span)
    b.settling({"indicated": b.out_span, "applied": i.urv - i.lrv})
    b.repeatability(spread)
    return tuple(b.parts)
