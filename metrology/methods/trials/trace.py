"""A trace of oxygen: one span gas in nitrogen; where it reads high, the same gas once more at twice the flow, which tells air in the line from a gain.

Air that leaks in is thinned by more flow, an error of the gain is not. Source: dilution of a steady leak, IEC 60079-29-2:2015 (lines and flow).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from metrology.judgement.signature import Signature
from metrology.methods.detector import settings_of
from metrology.methods.exposing import SPAN, channels_of, exposure
from metrology.methods.method import Columns
from metrology.methods.outcome import Judged, Outcome
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.trials.exposure import Exposed
from metrology.methods.trials.points import as_it_was

DOUBLE = "double"
MORE_FLOW = 2.0
AIR_BELOW, GAIN_ABOVE = 0.75, 0.9  # what is left of the excess at twice the flow: 0.5 of a steady leak, 1 of a gain
SURE_BELOW = 0.65
FALLING = 0.03  # share of the excess that is lost over the window that was captured
SIDES = {"purge_high": "high-pressure side", "purge_low": "low-pressure side"}


@dataclass(frozen=True)
class TraceExposed(Exposed):
    """The trial: the span gas, and where that reads high once more at twice the flow."""

    is_detector = False

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The exposures of its kind; one at twice the flow after a span that reads above its tolerance."""
        plan = super().plan(setup, set_key, taken)
        first = next((r for r in taken if r.slot.extra.get("exposure") == SPAN and r.slot.extra.get("flow") != DOUBLE), None)
        if first is None:
            return Plan(plan.slots, is_closed=False)
        return Plan((*plan.slots, self._double(setup, len(plan.slots)))) if self._is_high(setup, first) else plan

    def _is_high(self, setup: RunSetup, reading: RawReading) -> bool:
        point = self.measure(setup, reading.slot, reading)
        return point.error_percent > self.tolerance_for(setup, reading.slot, point.applied) * (1 + 1e-9)

    def _double(self, setup: RunSetup, index: int) -> Slot:
        slot = exposure(setup, index, SPAN, channels_of(setup)[0])
        flow = settings_of(setup).flow_l_min
        how = (
            f"It reads high. Before the gain is touched: the same gas at {MORE_FLOW * flow:g} l/min, twice the flow, and wait until it stands. "
            "Air that leaks in is thinned by it, an error of the gain is not."
        )
        return replace(slot, how=how, extra={**slot.extra, "flow": DOUBLE})

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """As an exposure; at twice the flow a high reading is what is looked for."""
        asked = super().asks(setup, slot)
        return tuple(replace(q, high=1e6) if q.name == "indicated" else q for q in asked) if slot.extra.get("flow") == DOUBLE else asked

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """The reading at twice the flow is told, and not judged by."""
        told = "Set aside: it tells a leak, and is not judged by."
        judged = tuple(replace(j, aside=told) if j.slot.extra.get("flow") == DOUBLE else j for j in outcome.judged)
        return replace(outcome, judged=judged)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """Air in the line or the gain, by flow and by time; else what exposures say."""
        pairs = list(zip(judged, readings, strict=True))
        plain = [(j, r) for j, r in pairs if j.slot.extra.get("flow") != DOUBLE]
        others = super().signatures(setup, [j for j, _ in plain], [r for _, r in plain])
        first = next((pair for pair in plain if pair[0].slot.extra["exposure"] == SPAN), None)
        if first is None or first[0].point.error_percent <= first[0].tolerance * (1 + 1e-9):
            return others
        twice = next((j for j, _ in pairs if j.slot.extra.get("flow") == DOUBLE), None)
        return (*_air_or_gain(channels_of(setup)[0].unit, first[0], first[1], twice), *(s for s in others if s.code != "span-error"))

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """What exposures tell, the purge that was counted, and how long a new sensor stood in air before they were read."""
        plain = [r for r in readings if r.slot.extra.get("flow") != DOUBLE]
        known = dict(as_it_was(setup, plain[0]).entered)
        bottle = known.get("span.bottle", "")
        out = [(f"At {MORE_FLOW:g} times the flow", r.indicated) for r in readings if r not in plain]
        purged = [f"{side} {known[f'{key}:{bottle}']} cycles" for key, side in SIDES.items() if known.get(f"{key}:{bottle}")]
        if purged:
            out.append(("Regulator purged", ", ".join(purged)))
        elif known.get("span.purged_on"):
            out.append(("Regulator purged", f"{known['span.regulator']} has stayed on the bottle since {known['span.purged_on']}"))
        air = [value for key, value in sorted(known.items()) if key.startswith("in_air")]
        if air:
            out.append(("New sensor in air", f"{air[-1]} s"))
        told = replace(outcome, judged=tuple(j for j in outcome.judged if j.slot.extra.get("flow") != DOUBLE))
        return (*super().findings(setup, plain, told), *out)

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In percent of the range; there is no way up and down."""
        return Columns(applied_unit=setup.instrument.unit, has_direction=False)


def _air_or_gain(unit: str, first: Judged, reading: RawReading, twice: Judged | None) -> tuple[Signature, ...]:
    excess = first.point.indicated - first.point.ideal
    evidence = [f"At the set flow it reads {first.point.indicated:g} {unit} of {first.point.ideal:.4g} {unit}: {excess:+.3g} {unit}."]
    told = reading.captured.get("indicated") or {}
    fall = -float(told.get("slope") or 0.0) * float(told.get("window_s") or 0.0)
    if fall > FALLING * excess:
        evidence.append(f"It was still falling while it was read, by {fall:.2g} {unit} over the window: air is being flushed out.")
    if twice is None:
        return (_air(0.6 if len(evidence) > 1 else 0.5, (*evidence, "It was not read at twice the flow.")),)
    left = (twice.point.indicated - twice.point.ideal) / excess
    evidence.append(f"At twice the flow it reads {twice.point.indicated:g} {unit}: {100 * max(left, 0.0):.0f} % of the excess is left.")
    if left < AIR_BELOW:
        return (_air(0.9 if left <= SURE_BELOW else 0.75, tuple(evidence)),)
    if left <= GAIN_ABOVE:
        return (_air(0.5, (*evidence, "That is between a leak and a gain: look for the leak first.")),)
    says, action = "The gain is high: more flow does not change what it reads.", "Set the span on this gas."
    return (Signature("gain-high", says, action, 0.85, tuple(evidence)),)


def _air(confidence: float, evidence: tuple[str, ...]) -> Signature:
    return Signature(
        "air-in-line",
        "Air gets into the line: it reads high, and less so with more flow.",
        "Leave the gain alone. Tighten the fittings, look for plastic and dead legs, purge again, and read once more.",
        confidence,
        evidence,
    )
