"""tx-multipoint: an analogue or smart transmitter checked at several points, adjusted and proved.

Sources: IEC 61298-2:2008 (test procedure, terms), JCGM 100:2008 (uncertainty), ILAC-G8:09/2019 (decision).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

from metrology.judgement.decision import decide
from metrology.judgement.errors import DOWN, UP, ErrorInBases, Point, error_in_bases, measure_point, statistics
from metrology.judgement.exposure import Exposure
from metrology.judgement.gas_kit import GasNeed
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.settling import SettleRule
from metrology.judgement.signature import Curve, Signature, find_signatures
from metrology.judgement.tolerance import tolerance_percent
from metrology.judgement.uncertainty import Component, combine
from metrology.methods import tx_steps
from metrology.methods.adjusting import Passes, adjust_progress
from metrology.methods.base import AdjustProgress, AdjustTarget, Judged, Proposal, Quantity, RawReading, SetResult, Slot, Watched
from metrology.methods.budget import COVERAGE, ideal_for, output_budget, per_signal, repeatability_of, signal_at, through
from metrology.methods.proposing import propose, refuse_trim
from metrology.methods.setup import DEFAULT_POINTS, RunSetup
from metrology.methods.steps import Step
from metrology.quantities.temperature import sensor_signal, sensor_temperature
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, number

# An output can reach a little past its ends (NAMUR NE 43: 3.6 and 21 mA and above signal a fault).
BELOW_SPAN, ABOVE_SPAN = 0.025, 0.125
APPLIED_NEAR = 0.05  # of span: an applied value further from its point is doubted
SLIP_NEAR = 0.10  # of span: how near a proposed correction must be to the expected output


class TxMultipoint:
    """The method; it holds no state. Others build on it where an input is set against an output."""

    key = "tx-multipoint"
    title = "Transmitter, multi-point check"
    revision = "3"
    default_points: tuple[float, ...] = DEFAULT_POINTS
    min_passes = 1
    has_statistics = True
    least_for_signature = 3
    patience = 1.0
    applies_output = False
    informative_roles: tuple[str, ...] = ()

    def reference_roles(self, setup: RunSetup) -> tuple[tuple[str, str], ...]:
        """What stands for the truth at the input, and what measures the output; a digital value needs no meter."""
        meter = () if setup.instrument.is_digital else (("indicated", "Output meter"),)
        return (("applied", "Input reference"), *meter)

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps, with repeated and left-out ones as the choices demand."""
        return tx_steps.steps(setup, tuple(sorted(choices.items())))

    def plan(self, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
        """Each cycle rises through the points and falls back through them, the top taken both ways."""
        return _plan(setup)

    def quantities(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """Applied (as the sensor's signal where one is simulated), indicated, and the digital value where there is one."""
        i = setup.instrument
        span, out_span = abs(i.urv - i.lrv), i.output_hi - i.output_lo
        low, high = i.output_lo - BELOW_SPAN * out_span, i.output_hi + ABOVE_SPAN * out_span
        indicated = Quantity(
            "indicated", "Reading", i.output_unit, decimals_for(out_span), slot.ideal, low, high, SLIP_NEAR * out_span, span=out_span
        )
        digital = Quantity(
            "pv",
            "Digital value",
            i.unit,
            decimals_for(span),
            slot.nominal,
            min(i.lrv, i.urv) - ABOVE_SPAN * span,
            max(i.lrv, i.urv) + ABOVE_SPAN * span,
            SLIP_NEAR * span,
            required=False,
            hint="Read beside the output, it tells sensor side and output side apart.",
            span=span,
        )
        return (self.applied_quantity(setup, slot), indicated, *((digital,) if i.details.has_digital else ()))

    def applied_quantity(self, setup: RunSetup, slot: Slot) -> Quantity:
        """What is put at the input: the value itself, or the signal of the sensor that is simulated."""
        i, d = setup.instrument, setup.instrument.details
        near = APPLIED_NEAR * abs(i.urv - i.lrv)
        hint = "Change it if the reference says otherwise."
        if not d.sensor:
            return Quantity(
                "applied",
                "Really applied",
                i.unit,
                decimals_for(i.urv - i.lrv),
                slot.nominal,
                slot.nominal - near,
                slot.nominal + near,
                0,
                hint=hint,
                span=abs(i.urv - i.lrv),
            )
        cold = setup.value("cold_junction_c", 0.0)
        width = abs(signal_at(setup, i.urv) - signal_at(setup, i.lrv))
        at, low, high = (
            sensor_signal(d.sensor, t, r0=d.r0, cold_junction_c=cold) for t in (slot.nominal, slot.nominal - near, slot.nominal + near)
        )
        low, high = sorted((low, high))
        return Quantity(
            "applied",
            f"Simulated {d.sensor_unit}",
            d.sensor_unit,
            3,
            at,
            low,
            high,
            0,
            hint=f"Stands for {slot.nominal:g} {i.unit}" + (f" against {cold:g} C at the terminals." if d.thermocouple else "."),
            span=width,
        )

    def complete(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """A simulated signal becomes the temperature it stands for; the signal itself stays beside it."""
        d = setup.instrument.details
        if not d.sensor:
            return texts
        cold = setup.value("cold_junction_c", 0.0)
        t = sensor_temperature(d.sensor, float(texts["applied"]), r0=d.r0, cold_junction_c=cold)
        kept = {"simulated": f"{texts['applied']} {d.sensor_unit}", **({"cold_junction_c": f"{cold:g}"} if d.thermocouple else {})}
        return {**texts, "applied": number(t, 3), **kept}

    def tolerance_at(self, setup: RunSetup, slot: Slot) -> float:
        """Tolerance at a slot in % of output span."""
        return self.tolerance_for(setup, slot, slot.nominal)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """Tolerance of a reading at a slot in % of output span."""
        return self.tolerance_of(setup, applied)

    def tolerance_of(self, setup: RunSetup, applied: float) -> float:
        """Tolerance at an applied value in % of output span."""
        i = setup.instrument
        return tolerance_percent(i.tolerance, applied, lrv=i.lrv, urv=i.urv, transfer=i.transfer)

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """One reading set against its ideal."""
        i = setup.instrument
        return measure_point(
            parse_typed(reading.applied, name="The applied value", unit=i.unit).value,
            parse_typed(reading.indicated, name="The reading", unit=i.output_unit).value,
            lrv=i.lrv,
            urv=i.urv,
            transfer=i.transfer,
            output_lo=i.output_lo,
            output_hi=i.output_hi,
            direction=slot.direction,
            cycle=slot.cycle,
        )

    def budget(
        self,
        setup: RunSetup,
        slot: Slot,
        point: Point,
        reading: RawReading,
        references: Mapping[str, ReferenceStandard],
        spread: tuple[float, int] | None,
    ) -> tuple[Component, ...]:
        """Uncertainty components of one error, in % of output span."""
        return output_budget(setup, point.applied, reading, references, spread)

    def evaluate(
        self, setup: RunSetup, readings: Sequence[RawReading], references: Mapping[str, ReferenceStandard], set_key: str
    ) -> SetResult:
        """Judge readings against the tolerance with the uncertainty of the references in view."""
        plan = self.plan(setup, set_key)
        ordered = sorted(readings, key=lambda r: r.slot)
        slots = [plan[r.slot] for r in ordered]
        points = [self.measure(setup, s, r) for s, r in zip(slots, ordered, strict=True)]
        spreads = repeatability_of(slots, [p.error_percent for p in points])
        judged = tuple(
            self._judge(setup, s, p, r, references, spreads.get((s.percent, s.direction, s.channel)))
            for s, p, r in zip(slots, points, ordered, strict=True)
        )
        has_span = self.has_statistics and len({round(p.ideal_percent, 1) for p in points}) >= 2
        signatures = self.signatures(setup, judged, ordered) if len(points) >= self.least_for_signature else ()
        return SetResult(judged, statistics(points) if has_span else None, signatures, len(judged) == len(plan))

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What kind of error it is."""
        i = setup.instrument
        digital = tuple(j.sensor_percent for j in judged if j.sensor_percent is not None)
        tolerance = min((j.tolerance for j in judged), default=1.0)
        return find_signatures(
            Curve(
                tuple(j.point for j in judged),
                tolerance,
                i.transfer,
                i.lrv,
                i.urv,
                i.unit,
                pv_errors=digital if len(digital) == len(judged) else None,
            )
        )

    def _judge(
        self,
        setup: RunSetup,
        slot: Slot,
        point: Point,
        reading: RawReading,
        references: Mapping[str, ReferenceStandard],
        spread: tuple[float, int] | None,
    ) -> Judged:
        policy = setup.policy
        tolerance = self.tolerance_for(setup, slot, point.applied)
        components = self.budget(setup, slot, point, reading, references, spread)
        u = combine(components, coverage=COVERAGE) if components else None
        decision = decide(
            point.error_percent,
            tolerance,
            expanded=u.expanded if u else 0.0,
            k=u.k if u else 2.0,
            rule=policy.pass_rule,
            max_risk=policy.max_risk,
        )
        return Judged(slot, point, self.bases(setup, point), tolerance, u, components, decision, *self.split(setup, point, reading))

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

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], result: SetResult) -> tuple[tuple[str, str], ...]:
        """The dead band, where it was tested; the rest is in the statistics."""
        width = dead_band_percent(setup)
        return (("Dead band", f"{width:.2f} % of span, at mid-range as found"),) if width is not None else ()

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The ideal output."""
        return ideal_for(setup, applied)

    def suggestions(self, setup: RunSetup, readings: Sequence[RawReading], step_key: str) -> Mapping[str, str]:
        """Nothing is proposed for a field."""
        return {}

    def propose(self, setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
        """Leave, adjust, repeat, repair or replace, from verdict, signature and policy."""
        return propose(setup, result, is_as_left=is_as_left)

    def refuse_choice(self, setup: RunSetup, result: SetResult, choice: str) -> str:
        """An instrument that can't be adjusted is not; one side is not trimmed to hide the other."""
        if choice in ("adjust", "trim_sensor", "trim_output") and not setup.instrument.is_adjustable:
            return "This instrument cannot be adjusted. Choose another decision."
        return refuse_trim(setup, result, choice)

    def adjust_targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """Zero at the lowest test point, span at the highest; the output trim at the ends of the output."""
        i = setup.instrument
        out_span, span = i.output_hi - i.output_lo, abs(i.urv - i.lrv)
        share = setup.policy.aim_percent / 100.0
        targets = []
        for screw, percent in (("zero", setup.points_percent[0]), ("span", setup.points_percent[-1])):
            nominal = i.lrv + percent / 100.0 * (i.urv - i.lrv)
            aim = self.tolerance_of(setup, nominal) * share / 100.0
            apply = f"{number(nominal, decimals_for(span))} {i.unit}"
            low, high = i.output_lo - BELOW_SPAN * out_span, i.output_hi + ABOVE_SPAN * out_span
            ideal, unit, width = ideal_for(setup, nominal), i.output_unit, out_span
            if variant == "trim_sensor":
                ideal, unit, width = nominal, i.unit, span
                low, high = min(i.lrv, i.urv) - ABOVE_SPAN * span, max(i.lrv, i.urv) + ABOVE_SPAN * span
            elif variant == "trim_output":
                ideal = i.output_lo if screw == "zero" else i.output_hi
                apply = f"output fixed at {ideal:g} {i.output_unit}"
            targets.append(AdjustTarget(screw, nominal, apply, ideal, aim * width, unit, width, low, high))
        return tuple(targets)

    def adjust_progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """Zero and span in turn until both are inside the aim undisturbed, or the passes are used up."""
        return adjust_progress(setup, self.adjust_targets(setup, variant), passes, min_passes=self.min_passes)

    def admit_adjust(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """Nothing beyond before and after."""
        return {}

    def gas_needs(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """No gas."""
        return ()

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """The policy's window and time limit, the limit a share of the tolerance."""
        p = setup.policy
        limit = p.settle_percent / 100 * self.tolerance_at(setup, slot) / 100 * quantity.span
        return SettleRule(p.settle_window_s, limit, p.settle_limit_s * self.patience)

    def watch(self, setup: RunSetup, slot: Slot, watched: Watched) -> Exposure | None:
        """Nothing is exposed."""
        return None

    def source_channel(self, quantity: str, channel: str) -> str:
        """Each display has its own; what is applied is the same for all of them."""
        return "" if quantity == "applied" else channel

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """Conditions are typed."""
        return None

    def required_range(self, setup: RunSetup, role: str) -> tuple[float, float, str]:
        """The span of the test points for the input, the output's range for the meter."""
        i, d = setup.instrument, setup.instrument.details
        if role != "applied":
            return i.output_lo, i.output_hi, i.output_unit
        ends = [i.lrv + p / 100.0 * (i.urv - i.lrv) for p in (setup.points_percent[0], setup.points_percent[-1])]
        if d.sensor:
            ends = [sensor_signal(d.sensor, t, r0=d.r0, cold_junction_c=23.0 if d.thermocouple else 0.0) for t in ends]
        return min(ends), max(ends), d.sensor_unit or i.unit

    def reference_tur(self, setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
        """Smallest tolerance / U of this reference alone over the points, both in % of output span."""
        i = setup.instrument
        ratios = []
        for slot in self.plan(setup, "as_found"):
            if role == "indicated":
                u = 100.0 * reference.expanded(ideal_for(setup, slot.nominal), unit=i.output_unit) / (i.output_hi - i.output_lo)
            else:
                u = through(setup, slot.nominal, self.input_width(setup, slot.nominal, reference))
            ratios.append(self.tolerance_at(setup, slot) / u if u > 0 else math.inf)
        return min(ratios)

    def input_width(self, setup: RunSetup, nominal: float, reference: ReferenceStandard) -> float:
        """Expanded uncertainty of an input reference in the instrument's unit, also where it gives a sensor's signal."""
        i, d = setup.instrument, setup.instrument.details
        if not d.sensor:
            return reference.expanded(nominal, unit=i.unit)
        return reference.expanded(signal_at(setup, nominal), unit=d.sensor_unit) * per_signal(setup, nominal)


def dead_band_percent(setup: RunSetup) -> float | None:
    """The change of input that leaves the output standing, in % of input span; None where it was not tested.

    IEC 61298-2:2008, dead band: the input at which the output begins to follow on the way up, less that on the way down.
    """
    up, down = (dict(setup.entered).get(f"dead_band_{way}") for way in (UP, DOWN))
    if not up or not down:
        return None
    return 100.0 * abs(float(up) - float(down)) / abs(setup.instrument.urv - setup.instrument.lrv)


@lru_cache(maxsize=256)
def _plan(setup: RunSetup) -> tuple[Slot, ...]:
    i = setup.instrument
    slots: list[Slot] = []
    for cycle in range(1, setup.cycles + 1):
        ways = [(p, UP) for p in setup.points_percent] + [(p, DOWN) for p in reversed(setup.points_percent)]
        for n, (percent, direction) in enumerate(ways):
            nominal = i.lrv + percent / 100.0 * (i.urv - i.lrv)
            how = approach(n, len(setup.points_percent), direction)
            slots.append(Slot(len(slots), cycle, direction, percent, nominal, ideal_for(setup, nominal), how))
    return tuple(slots)


def approach(n: int, count: int, direction: str) -> str:
    """How the nth point of a cycle is come up to."""
    if n == 0:
        return "Start below the point and come up to it."
    if n == count:
        return "Go a little above the top, then come back down to it."
    return "Come up to it; do not pass it." if direction == UP else "Come down to it; do not pass it."
