"""The uncertainty budget of one error: references, resolution, repeatability, settling, drift since the certificate, gradient."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from metrology.judgement.gas_kit import AMBIENT
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.uncertainty import IN_FULL, Component
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


@dataclass(frozen=True)
class Spread:
    """Standard deviation of one reading in % of output span, the degrees of freedom behind it, and where it is from."""

    sd: float
    dof: float
    says: str = "Repeatability over the cycles"


class Budget:
    """Collects the components of one error in % of output span; what is zero is left out."""

    def __init__(
        self, setup: RunSetup, applied: float, reading: RawReading, *, per_input: float | None = None, is_corrected: bool = False
    ) -> None:
        """per_input: % of span that one unit of the input is, where it does not go through the transfer function.

        is_corrected: the references' own errors are taken off the readings, so that nothing of them is left to be added.
        """
        self.setup, self.applied, self.reading, self.per_input = setup, applied, reading, per_input
        self.is_corrected = is_corrected
        i = setup.instrument
        self.out_span = i.output_hi - i.output_lo
        self.parts: list[Component] = []

    def add(
        self,
        name: str,
        value: float,
        distribution: str = "normal",
        *,
        divisor: float | None = None,
        dof: float = math.inf,
        is_random: bool = False,
    ) -> None:
        """A component, unless it is nothing."""
        if value > 0:
            self.parts.append(Component(name, value, distribution, divisor=divisor, dof=dof, is_random=is_random))

    def at_input(self, width: float) -> float:
        """A width in the instrument's unit, carried to % of output span."""
        return width * self.per_input if self.per_input is not None else through(self.setup, self.applied, width)

    def source(self, r: ReferenceStandard, *, at: float, unit: str, per: float = 1.0, what: str = "Input reference") -> None:
        """A reference at the input, read at `at` in `unit`: certificate, resolution, drift since its certificate, gradient.

        per: what one of that unit is in the instrument's unit, where a sensor's signal is simulated or read.
        """
        self.add(f"{what} {r.code}", self.at_input(r.expanded(at, unit=unit) * per), divisor=r.k)
        if not self.is_corrected:
            self.add(f"Own error of {r.code} by its certificate", self.at_input(r.deviation(at, unit=unit) * per), IN_FULL)
        self.add(f"Resolution of {r.code}", self.at_input(r.step_in(unit) / 2 * per), "rectangular")
        self.add(f"Drift of {r.code} since its certificate", self.at_input(r.drifted(self.reading.on, unit=unit) * per), "rectangular")
        self.add(f"Gradient of {r.code}", self.at_input(r.width_in(r.gradient, unit) * per), "rectangular")

    def meter(self, r: ReferenceStandard, value: float, unit: str, span: float) -> None:
        """A reference at the output, read at `value`; span is what 100 % is in that unit."""
        self.add(f"Output meter {r.code}", 100 * r.expanded(value, unit=unit) / span, divisor=r.k)
        if not self.is_corrected:
            self.add(f"Own error of {r.code} by its certificate", 100 * r.deviation(value, unit=unit) / span, IN_FULL)
        self.add(f"Drift of {r.code} since its certificate", 100 * r.drifted(self.reading.on, unit=unit) / span, "rectangular")

    def read_on(self, meter: ReferenceStandard | None, unit: str, span: float, *, typed: float) -> None:
        """The step of what was read: of the meter's display by the register, whatever zeros were typed; as typed where the register has none."""
        self.resolution(meter.step_in(unit) or typed if meter else typed, span)

    def resolution(self, step: float, span: float) -> None:
        """The step of the reading itself."""
        self.add("Resolution of the reading", 50.0 * step / span, "rectangular", is_random=True)

    def oxygen_of(self, bottle: str, span: float) -> None:
        """What water takes of the oxygen of ambient air, where that is what was read: up to so much, by policy; span in % vol."""
        if bottle == AMBIENT:
            self.add("Water in ambient air", 100 * self.setup.policy.air_water_percent / span, "rectangular")

    def settling(self, spans: Mapping[str, float]) -> None:
        """Spread of each captured trace over its window, as the spread of its mean. spans: what 100 % is of each quantity."""
        for name, told in self.reading.captured.items():
            if name in spans and told["n"] > 1:
                # Neighbouring samples of a settled trace hang together; a tenth of them are taken as independent.
                independent = max(1.0, told["n"] / 10)
                value = 100 * told["sd"] / math.sqrt(independent) / abs(spans[name])
                self.add(f"Settle spread, {told['label']}", value, dof=max(1.0, independent - 1), is_random=True)
                if told.get("bound"):  # how much might still have come when it was captured
                    self.add(f"Rest of the approach, {told['label']}", 100 * told["bound"] / abs(spans[name]), "rectangular")

    def repeatability(self, spread: Spread | None) -> None:
        """Standard deviation of one reading, pooled from the data or stated beforehand."""
        if spread:
            self.add(spread.says, spread.sd, dof=spread.dof, is_random=True)

    def as_one(self, code: str) -> None:
        """One device in two places errs the same way in both: its certificate and its drift are added as they are (GUM 5.2.2, correlation 1)."""
        drift = f"Drift of {code} since its certificate"
        for names, name in (((f"Input reference {code}", f"Output meter {code}"), f"{code} as source and as meter"), ((drift,), drift)):
            mine = [c for c in self.parts if c.name in names]
            self.parts = [c for c in self.parts if c.name not in names]
            self.add(name, sum(c.standard for c in mine), divisor=1.0)

    def cold_junction(self, t90_c: float) -> None:
        """How well the temperature at the terminals of a thermocouple is known, at a temperature of its tip."""
        d, width = sensor_of(self.setup), self.setup.policy.cold_junction_c
        if d.thermocouple and width:
            at = self.setup.value("cold_junction_c", 23.0)
            slope = sensor_sensitivity(d.sensor, at, r0=d.r0) * per_signal(self.setup, t90_c)
            self.add("Cold junction at the terminals", self.at_input(width * slope), "rectangular")


def repeatability_of(slots: Sequence[Slot], errors: Sequence[float]) -> dict[str, Spread]:
    """Scatter of one reading of each channel, pooled over the points that were read in the same direction in more than one cycle (ISO 5725-2, 7.4.5)."""
    groups: dict[tuple[float, str, str], list[float]] = defaultdict(list)
    for slot, error in zip(slots, errors, strict=True):
        groups[(slot.percent, slot.direction, slot.channel)].append(error)
    sums: dict[str, tuple[float, int]] = {}
    for (_, _, channel), values in groups.items():
        mean = math.fsum(values) / len(values)
        square, dof = sums.get(channel, (0.0, 0))
        sums[channel] = square + math.fsum((v - mean) ** 2 for v in values), dof + len(values) - 1
    return {channel: Spread(math.sqrt(square / dof), float(dof)) for channel, (square, dof) in sums.items() if dof}


def output_budget(
    setup: RunSetup, applied: float, reading: RawReading, spread: Spread | None, *, is_corrected: bool = False
) -> tuple[Component, ...]:
    """The components for an instrument with an input reference and an output meter, `is_corrected` as of the Budget; empty without references."""
    i, d, references = setup.instrument, sensor_of(setup), reading.references
    if not references:
        return ()
    b = Budget(setup, applied, reading, is_corrected=is_corrected)
    source, meter = references.get("applied"), references.get("indicated")
    if source and d.sensor:
        b.source(source, at=signal_at(setup, applied), unit=d.sensor_unit, per=per_signal(setup, applied))
    elif source:
        b.source(source, at=applied, unit=i.unit)
    b.cold_junction(applied)
    if meter:
        b.meter(meter, ideal_for(setup, applied), i.output_unit, b.out_span)
    if source and meter and source.code == meter.code:
        b.as_one(source.code)
    b.read_on(meter, i.output_unit, b.out_span, typed=parse_typed(reading.indicated, name="The reading", unit=i.output_unit).resolution)
    b.settling({"indicated": b.out_span, "applied": i.urv - i.lrv})
    b.repeatability(spread)
    return tuple(b.parts)
