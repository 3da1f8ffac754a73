"""Several components read on zero gas and on mixtures: each gas is put on once and read of every component, those it does not hold being a zero.

Sources: IEC 60079-29-2:2015 clause 11 (gas, flow), EN 15267-3:2007 (cross-sensitivity), ISO 6141:2015 (certificates of mixtures).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.errors import UP, Point
from metrology.judgement.falling import fall_words, fit_fall
from metrology.judgement.gas_kit import GasNeed
from metrology.judgement.mixture_signature import ComponentSeen, OnGas, find_mixture_signatures
from metrology.judgement.settling import Sample, SettleRule
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component as Part
from metrology.methods.budget import Budget, Spread
from metrology.methods.components import (
    ZERO_ROLE,
    Component,
    applied_of,
    component_named,
    components_of,
    mixture_role,
    mixture_settings,
    mixtures_of,
    tolerance_of,
)
from metrology.methods.exposing import NO_GAS, SPAN, ZERO, gas_need, litres_of
from metrology.methods.method import Columns, ResultContext, Use
from metrology.methods.outcome import Judged, Outcome
from metrology.methods.setup import RunSetup
from metrology.methods.slots import STREAM, Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import GAS, Need
from metrology.methods.steps import Step
from metrology.methods.trials.exposure import Exposed, ExposureWatching
from metrology.methods.trials.points import as_it_was
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import plain

FLOW = "flow"
STEADY = 0.05  # of the flow: how far it may wander while a component is read
AUTO_ZERO = 8  # bit of its status word: it draws zero gas of its own
EACH = 4  # as found, adjusting, as left, one more


def gas_words(setup: RunSetup, role: str) -> str:
    """What is in a role, by its bottle where one is chosen."""
    bottle = dict(setup.entered).get(f"{role}.bottle", "")
    name = "Zero gas" if role == ZERO_ROLE else f"Mixture {role.partition(':')[2]}"
    return f"{name} ({bottle})" if bottle else name


def mixture_needs(setup: RunSetup) -> tuple[Need, ...]:
    """Nitrogen for the zero, and each mixture with all of its components."""
    out = [_need(setup, ZERO, components_of(setup)[0], "Zero gas", gas="nitrogen")]
    for letter in mixtures_of(setup):
        mine = [c for c in components_of(setup) if c.mixture == letter]
        others = [c for c in components_of(setup) if c.mixture != letter]
        label = "Mixture" if len(mixtures_of(setup)) == 1 else f"Mixture {letter}"
        first, *also = (_span_need(setup, c, label) for c in mine)
        detail = replace(first, also=tuple(also), beside=tuple(_span_need(setup, c, label) for c in others))
        out.append(Need(detail.role, label, GAS, unit=detail.unit, detail=detail, amount=detail.litres))
    return tuple(out)


def _need(setup: RunSetup, kind: str, c: Component, label: str, *, gas: str) -> Need:
    detail = replace(gas_need(setup, kind, c, exposures=EACH), role=ZERO_ROLE, label=label, gas=gas)
    return Need(ZERO_ROLE, label, GAS, unit=c.unit, detail=detail, amount=detail.litres)


def _span_need(setup: RunSetup, c: Component, label: str) -> GasNeed:
    return replace(gas_need(setup, SPAN, c, exposures=EACH), role=c.role, label=label, component=c.name)


@lru_cache(maxsize=512)
def mixture_plan(setup: RunSetup) -> tuple[Slot, ...]:
    """Each gas once, each component on it; one that is above its range there is not read."""
    out: list[Slot] = []
    for role in (ZERO_ROLE, *(mixture_role(m) for m in mixtures_of(setup))):
        for c in components_of(setup):
            if applied_of(setup, role, c) <= c.top:
                out.append(component_slot(setup, len(out), role, c))
    return tuple(out)


def component_slot(setup: RunSetup, index: int, role: str, c: Component) -> Slot:
    """One component on one gas."""
    value = applied_of(setup, role, c)
    entered = dict(setup.entered)
    bottle = {"bottle": entered[f"{role}.bottle"]} if entered.get(f"{role}.bottle") else {}
    extra = {"gas": role, "exposure": SPAN if value > 0 else ZERO, STREAM: role, **bottle}
    flow = f"{mixture_settings(setup).flow_l_min:g} l/min"
    words = gas_words(setup, role)
    port = "the zero port" if role == ZERO_ROLE else "the calibration port"
    told = f"it should read {plain(value)} {c.unit}" if value else "there is none of it in this gas: it must read nothing"
    how = f"{words[:1].lower()}{words[1:]} on at {port}, {flow} and some over at the open T. {c.name}: {told}."
    return Slot(index, 1, UP, 100 * value / c.top, value, value, f"{how[:1].upper()}{how[1:]}", channel=c.name, extra=extra)


@dataclass(frozen=True)
class MixtureExposed(Exposed):
    """The trial: every component on every gas, each over its own range."""

    is_detector = False

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Zero gas, then the mixtures."""
        return Plan(mixture_plan(setup))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What it shows of the component; live beside it the sample flow and its status."""
        flow, low, high = flow_limits(setup)
        fell = f"The sample flow has left {low:g} to {high:g} l/min: what was read meanwhile does not count."
        asked = tuple(self._doubting(setup, slot, q) for q in super().asks(setup, slot) if q.name not in ("t90_s", "signal"))
        return (*asked, Quantity(FLOW, "Sample flow", "l/min", 2, flow, low, high, 0, False, span=flow, doubt=fell, is_live_only=True))

    def _doubting(self, setup: RunSetup, slot: Slot, q: Quantity) -> Quantity:
        """A reading that is another component's value on this gas is asked about."""
        if q.name != "indicated":
            return q
        here = component_named(setup, slot.channel)
        others = [c for c in components_of(setup) if c.name != here.name and c.unit == here.unit]
        near = [(c, applied_of(setup, slot.extra[STREAM], c)) for c in others]
        like = next((c for c, v in near if v and abs(v - slot.nominal) > 0.2 * here.top), None)
        if like is None:
            return q
        far = 0.2 * here.top
        doubt = f"This gas should read {plain(slot.nominal)} {here.unit} of {here.name}; {like.name} reads otherwise: is it the right line of the display?"
        return replace(q, low=slot.nominal - far, high=min(q.high, slot.nominal + far), doubt=doubt)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The component's own."""
        return tolerance_of(setup, component_named(setup, slot.channel), applied)

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Part, ...]:
        """The component's line of the certificate, the display's resolution, settling."""
        c = component_named(setup, slot.channel)
        b = Budget(setup, point.applied, reading, per_input=100 / c.top)
        role = slot.extra["gas"]
        if point.applied:
            bottle = dict(setup.entered).get(f"{role}.bottle", "the bottle")
            b.add(f"Certificate of {bottle}, {c.name}", setup.value(f"{role}.u:{c.name}", 0.0) * abs(point.applied) / c.top, divisor=2.0)
        b.resolution(parse_typed(reading.indicated, name="The reading", unit=c.unit).resolution, c.top)
        b.settling({"indicated": c.top})
        return tuple(b.parts)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What zero gas and mixtures say together; once every gas was read."""
        then = as_it_was(setup, readings[-1])
        seen = [_seen(then, c, [j for j in judged if j.slot.channel == c.name]) for c in components_of(then)]
        return find_mixture_signatures(seen, mixture_settings(then).effects)

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """The response of each component, and what interrupted an exposure."""
        out = []
        for c in components_of(setup):
            span = next((j for j in outcome.judged if j.slot.channel == c.name and j.slot.extra["gas"] == c.role), None)
            if span and span.point.applied:
                out.append((f"Response of {c.name}", f"{100 * span.point.indicated / span.point.applied:.1f} %"))
        for r in readings:
            for told in (r.captured.get("indicated") or {}).get("interrupted", ()):
                out.append((f"While {r.slot.channel} was read", str(told)))
        return tuple(dict.fromkeys(out))

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In percent of each component's range, and in its unit; there is no way up and down."""
        units = {c.unit for c in components_of(setup)}
        return Columns(applied_unit=units.pop() if len(units) == 1 else "", has_direction=False, errors_as_read=True)


def _seen(setup: RunSetup, c: Component, mine: Sequence[Judged]) -> ComponentSeen:
    """What was seen of one component."""
    zero = next((j.point.indicated for j in mine if j.slot.extra[STREAM] == ZERO_ROLE), None)
    on = {j.slot.extra[STREAM]: j for j in mine if j.slot.extra[STREAM] != ZERO_ROLE}

    def on_gas(j: Judged) -> OnGas:
        role = j.slot.extra[STREAM]
        others = {o.name: applied_of(setup, role, o) for o in components_of(setup) if o.name != c.name}
        return OnGas(gas_words(setup, role), j.point.applied, j.point.indicated, others)

    tolerance = tolerance_of(setup, c, applied_of(setup, c.role, c)) / 100 * c.top
    span = on_gas(on[c.role]) if c.role in on else None
    return ComponentSeen(c.name, c.gas, c.unit, tolerance, zero, span, tuple(on_gas(j) for role, j in on.items() if role != c.role))


def allowed_above_zero(setup: RunSetup, c: Component) -> float:
    """How far from zero a component may be left, in its unit: its tolerance there."""
    return round(tolerance_of(setup, c, 0.0) / 100 * c.top, 6)


def flow_limits(setup: RunSetup) -> tuple[float, float, float]:
    """The sample flow, and between which limits it may lie, l/min."""
    d = mixture_settings(setup)
    room = d.flow_percent / 100 * d.flow_l_min
    return d.flow_l_min, round(d.flow_l_min - room, 4), round(d.flow_l_min + room, 4)


@dataclass(frozen=True)
class MixtureWatching(ExposureWatching):
    """As an exposure; an automatic zero and a flow outside its limits make it begin anew. Flow and status are the analyzer's, not a component's."""

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """As of an exposure; of flow and temperature it is enough that they stay where they are."""
        rule = super().settle_rule(setup, slot, quantity)
        return replace(rule, limit=STEADY * quantity.span) if quantity.name in (FLOW, "cell_c") else rule

    def source_channel(self, quantity: str, channel: str) -> str:
        """Each component is read by itself; flow, status and temperature are of the whole."""
        return channel if quantity in ("indicated", "applied") else ""

    def interrupted(self, setup: RunSetup, slot: Slot, samples: Mapping[str, Sequence[Sample]]) -> tuple[tuple[float, str], ...]:
        """The end of each automatic zero, and of each time that the flow was outside its limits."""
        _, low, high = flow_limits(setup)
        zeroing = [(t, bool(int(v) & AUTO_ZERO)) for t, v in samples.get("status", ())]
        fell = [(t, not low <= v <= high) for t, v in samples.get(FLOW, ())]
        zero_says = "Automatic zero of the analyzer: the exposure was judged from its end on."
        flow_says = f"The sample flow was outside {low:g} to {high:g} l/min: the exposure was judged from when it was right again."
        return tuple(sorted([*((t, zero_says) for t in _ends(zeroing)), *((t, flow_says) for t in _ends(fell))]))

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """Flow, temperature, and each component that comes down slowly can be read live."""
        first = components_of(setup)[0]
        slot = component_slot(setup, 0, ZERO_ROLE, first)
        if step.variant == FLOW:
            return slot, tuple(q for q in self.trial.asks(setup, slot) if q.name == FLOW)
        if step.variant == "cell":
            d = mixture_settings(setup)
            return slot, (
                Quantity("cell_c", "Temperature of its cells", "°C", 1, d.cell_c, -50, 300, 0, False, span=100 * d.cell_within_c),
            )
        if step.variant == "falling":
            c = component_named(setup, step.key.partition(":")[2])
            slot = component_slot(setup, 0, ZERO_ROLE, c)
            return slot, tuple(q for q in self.trial.asks(setup, slot) if q.name == "indicated")
        return None

    def course(self, setup: RunSetup, step: Step, slot: Slot, samples: Sequence[Sample]) -> str:
        """Where a component that comes down slowly will end, and when it is there."""
        c = component_named(setup, slot.channel)
        if step.variant != "falling" and not (c.is_slow and slot.extra.get("exposure") == ZERO):
            return ""
        try:
            found = fit_fall([t / 60 for t, _ in samples], [v for _, v in samples], margin=0.1 * allowed_above_zero(setup, c))
        except Fault as fault:
            return fault.message
        return fall_words(found, margin=0.1 * allowed_above_zero(setup, c), unit=c.unit, allowed=allowed_above_zero(setup, c))

    def is_step(self, slot: Slot) -> bool:
        """A mixture takes a component that it holds to a new level."""
        return slot.extra.get("exposure") not in NO_GAS


def _ends(marks: Sequence[tuple[float, bool]]) -> list[float]:
    """When each stretch of true ended: the first false after it, or the last sample where it goes on."""
    out: list[float] = []
    was = False
    for t, is_so in marks:
        if was and not is_so:
            out.append(t)
        was = is_so
    if was and marks:
        out.append(marks[-1][0])
    return out


def mixture_uses(setup: RunSetup, kind: str, captured: Mapping[str, Any] | None) -> Use:
    """One gas is put on for all components that are read on it: each takes its share."""
    return Use("", GAS, litres_of(setup, kind, captured) / len(components_of(setup)), "l")


def mixture_result(setup: RunSetup, reading: RawReading, context: ResultContext) -> Mapping[str, Any] | None:
    """The response of a component on its own mixture, followed from run to run."""
    c = component_named(setup, reading.slot.channel)
    if reading.extra.get("gas") != c.role or not float(reading.applied):
        return None
    ratio = 100 * float(reading.indicated) / float(reading.applied)
    return {"name": f"response {c.name}".strip(), "value": ratio, "unit": "%", "item": str(reading.extra.get("bottle", "")), "more": {}}
