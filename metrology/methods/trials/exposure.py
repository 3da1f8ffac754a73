"""Exposures: gas put on and watched, each judged against the bottle, classed by how the sensor answered.

Sources: IEC 60079-29-2:2015 (selection, use and maintenance of detectors for flammable gases and oxygen), IEC 60079-29-1:2016
(performance), EN IEC 62990-2:2021 (toxic gases). Limits are policies.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from metrology.judgement.errors import ErrorInBases, Point
from metrology.judgement.exposure import WAITING, Exposure, Stimulus, exposure_rule, judge_exposure
from metrology.judgement.gas_signature import ChannelSeen, find_gas_signatures
from metrology.judgement.settling import NO_RESPONSE, OK, OUT_OF_ACCEPTANCE, UNSTABLE, Sample, SettleRule
from metrology.judgement.signature import Signature
from metrology.judgement.suspicion import REPEATS, peers_from
from metrology.judgement.tolerance import tolerance_percent
from metrology.judgement.uncertainty import Component
from metrology.methods.alarms import alarms_seen_in, watch_words
from metrology.methods.budget import Budget, Spread
from metrology.methods.condition import found_words, poison_of
from metrology.methods.detector import GasChannel, require_unit, settings_of
from metrology.methods.exposing import (
    AIR,
    BUMP,
    CHECKS,
    FACTOR,
    NO_GAS,
    SET_KPA,
    SPAN,
    ZERO,
    applied_for,
    channel_named,
    channels_of,
    exposure,
    gas_need,
    litres_of,
    pressure_factor,
    u_applied,
)
from metrology.methods.fragments import Alarm, alarms_of
from metrology.methods.method import Columns, ResultContext, Use
from metrology.methods.outcome import Judged, Outcome, SeriesPoint
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot, Watched
from metrology.methods.standards.base import GAS, Need
from metrology.methods.steps import Step
from metrology.methods.trials.points import PointByPoint
from metrology.quantities.transfer import Transfer
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for

Exposures = Callable[[RunSetup, str], list[tuple[str, GasChannel]]]


@dataclass(frozen=True)
class GasKind:
    """What a gas method exposes and sets.

    screws: what is set, in order, a channel. found_kinds: the exposures of as found. exposures_each: how often each is made in all.
    adjust_choice: what its calibration is called. is_check: a function check, which is not adjusted by itself.
    exposures: which exposures a set has, where they are not simply those; needs: its gases likewise; normal: oxygen in air.
    """

    screws: tuple[str, ...] = (ZERO, SPAN)
    found_kinds: tuple[str, ...] = (ZERO, SPAN)
    exposures_each: int = 4  # as found, adjusting, as left, proof
    proves_alarms: bool = True
    proves_falling: bool = False
    adjust_choice: str = "adjust"
    is_check: bool = False
    has_output: bool = True
    own_exposures: Exposures | None = None
    own_needs: Callable[[RunSetup], tuple[Need, ...]] | None = None

    def exposures(self, setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
        """Which exposures a set has; a proof is one bump a channel."""
        if self.own_exposures:
            return self.own_exposures(setup, set_key)
        if set_key == "proof":
            return [(AIR if self.found_kinds == (AIR,) else BUMP, c) for c in channels_of(setup)]
        return [(kind, c) for c in channels_of(setup) for kind in self.found_kinds]

    def needs(self, setup: RunSetup) -> tuple[Need, ...]:
        """Zero gas once, span gas a channel."""
        if self.own_needs:
            return self.own_needs(setup)
        found: dict[str, Need] = {}
        for kind in self.found_kinds:
            for channel in channels_of(setup):
                need = need_of(setup, kind, channel, exposures=self.exposures_each, proves_alarms=self.proves_alarms)
                found.setdefault(need.role, need)
        return tuple(found.values())

    def can_adjust(self, setup: RunSetup) -> bool:
        """Whether there is anything to set."""
        return setup.instrument.is_adjustable and bool(self.screws)

    def proved_alarms(self, setup: RunSetup) -> tuple[Alarm, ...]:
        """The alarms that its exposures make come: those that gas rises to, or those that oxygen falls to on nitrogen."""
        if self.proves_falling:
            return tuple(a for a in alarms_of(setup) if not a.rising) if settings_of(setup).proves_zero else ()
        return tuple(a for a in alarms_of(setup) if a.rising) if self.proves_alarms else ()


def need_of(setup: RunSetup, kind: str, channel: GasChannel, *, exposures: int, proves_alarms: bool = False, **more: Any) -> Need:
    """A gas as a need of the run. litres_if_set: what a function check takes when it becomes a calibration."""
    gas = gas_need(setup, kind, channel, exposures=exposures, proves_alarms=proves_alarms)
    if "litres_if_set" in more:
        gas = replace(gas, litres_if_set=more.pop("litres_if_set"))
    return Need(gas.role, gas.label, GAS, unit=gas.unit, detail=gas, amount=gas.litres, **more)


@dataclass(frozen=True)
class Exposed(PointByPoint):
    """The trial: an exposure a slot, the display against what the bottle gives, over the channel's range."""

    kind: GasKind = GasKind()
    has_statistics = False
    least_for_signature = 1
    is_detector = True  # its exposures are timed, its display has a step, and zero gas of unknown purity gives no ratio

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Zero, then span, channel by channel; a proof is one bump a channel."""
        for c in channels_of(setup):
            require_unit(c.gas, c.unit, settings_of(setup).basis, field="unit")
        which = "proof" if set_key.startswith("proof") else "left" if set_key.startswith("as_left") else "found"
        return Plan(_plan(self.kind, setup, which))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """Display, what is applied, and where there are any: current at the control system, raw signal, T90, status."""
        i, d = setup.instrument, settings_of(setup)
        c = channel_named(setup, slot.channel)
        top, places = c.top, decimals_for(c.top)
        near = 0.05 * top
        applied = Quantity(
            "applied", "Applied", c.unit, max(places, 2), slot.nominal, slot.nominal - near, slot.nominal + near, 0,
            hint="By the bottle's certificate.", span=top,
        )  # fmt: skip
        over = f"Above the range of {top:g} {c.unit}: take the gas off, the sensor may suffer, and check the unit."
        shown = Quantity("indicated", "Display", c.unit, places, slot.ideal, -0.25 * top, top, 0.1 * top, span=top, doubt=over)
        more: list[Quantity] = []
        if i.output_unit == "mA" and self.kind.has_output:
            more.append(self._current(setup, slot, top))
        if d.signal_unit:
            expected = d.new_sensitivity * slot.nominal
            hint = "Kept for the life of the sensor."
            more.append(
                Quantity("signal", "Raw signal", d.signal_unit, 2, expected, -1e9, 1e9, 0, False, hint, span=d.new_sensitivity * top or top)
            )
        if slot.extra["exposure"] not in NO_GAS:
            more.append(
                Quantity("t90_s", "T90", "s", 0, d.t90_s, 0, 3600, 0, False, "From gas on to nine tenths of the plateau.", span=1e6)
            )
        more.append(Quantity("status", "Detector's status", "", 0, 0, 0, 65535, 0, False, span=1e6, is_live_only=True))
        return (applied, shown, *more)

    def _current(self, setup: RunSetup, slot: Slot, top: float) -> Quantity:
        i, d, band = setup.instrument, settings_of(setup), setup.policy.inhibit_band_ma
        span = i.output_hi - i.output_lo
        if d.inhibit_ma:
            held = inhibit_of(setup)
            dropped = f"The current is not the inhibit current of {held:g} mA: the inhibit has dropped and the alarm may have tripped."
            low, high, expected = held - band, held + band, held
        else:
            dropped, low, high = "", i.output_lo - 2.5, i.output_hi + 2.5
            expected = i.output_lo + slot.nominal / top * span
        return Quantity("ma", "Current at the control system", "mA", 2, expected, low, high, 0, False, span=span, doubt=dropped)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The instrument's tolerance over the channel's range; of a bump, the bump tolerance of what is applied."""
        top = channel_named(setup, slot.channel).top
        if slot.extra["exposure"] in CHECKS:
            return max(1e-6, setup.policy.bump_percent * applied / top)
        return tolerance_percent(setup.instrument.tolerance, applied, lrv=0.0, urv=top, transfer=Transfer())

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """The display against what the bottle gives, over the channel's range."""
        c = channel_named(setup, slot.channel)
        applied = parse_typed(reading.applied, name="The applied value", unit=c.unit).value
        indicated = parse_typed(reading.indicated, name="The reading", unit=c.unit).value
        ideal = applied * pressure_factor(setup, slot, c)
        return Point(applied, indicated, ideal, ideal / c.top, 100 * ideal / c.top, 100 * (indicated - ideal) / c.top, slot.direction, 1)

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error in the unit of the reading."""
        error = point.indicated - point.ideal
        return ErrorInBases(point.error_percent, 100 * error / abs(point.ideal) if point.ideal else None, error, None)

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What should be read of what is applied."""
        return applied * pressure_factor(setup, slot, channel_named(setup, slot.channel))

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The bottle's certificate, water in ambient air, the display's resolution, settling."""
        c = channel_named(setup, slot.channel)
        b = Budget(setup, point.applied, reading, per_input=100 / c.top)
        role = slot.extra["gas"]
        bottle = dict(setup.entered).get(f"{role}.bottle", "the bottle")
        b.add(f"Certificate of {bottle}", u_applied(setup, role, c) * abs(point.applied) / c.top, divisor=2.0)
        if c.gas == "oxygen":
            b.oxygen_of(bottle, c.top)
        typed = parse_typed(reading.indicated, name="The reading", unit=c.unit).resolution
        b.resolution(step_of(setup, c) if self.is_detector else typed, c.top)
        b.settling({"indicated": c.top})
        return tuple(b.parts)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What the exposures say of detector, gas and setting, channel by channel."""
        seen = []
        for c in channels_of(setup):
            mine = [(j, r) for j, r in zip(judged, readings, strict=True) if j.slot.channel == c.name]
            if mine:
                seen.append(self._seen(setup, c, mine))
        return find_gas_signatures(seen)

    def _seen(self, setup: RunSetup, c: GasChannel, mine: Sequence[tuple[Judged, RawReading]]) -> ChannelSeen:
        d, entered = settings_of(setup), dict(setup.entered)
        zero = next((j for j, _ in mine if j.slot.extra["exposure"] == ZERO), None)
        span, reading = next(((j, r) for j, r in mine if j.slot.extra["exposure"] not in NO_GAS), (None, None))
        seen = ChannelSeen(
            c.name, d.technology, min(j.tolerance for j, _ in mine), zero.point.error_percent if zero else None,
            healthy_t90_s=d.t90_s, tag=setup.instrument.tag,
        )  # fmt: skip
        if span is None or reading is None:
            return seen
        role = span.slot.extra["gas"]
        peers = peers_from(entered.get(f"{role}.peers", ""))
        needed = applied_for(setup, SPAN, c) / c.top * d.full_scale_v
        found = setup.value(f"found_v:{c.name}", 0.0)
        return replace(
            seen,
            span=span.point.error_percent,
            ratio=span.point.indicated / span.point.ideal if span.point.ideal else None,
            t90_s=t90_of(reading),
            balance_oxygen=setup.value(f"{role}.oxygen", 20.9) if entered.get(f"{role}.oxygen") else None,
            peers=peers,
            u=u_of_ratio(reading, span.point.ideal, step_of(setup, c)),
            u_bottle=u_applied(setup, role, c) / 100,
            setting_ratio=found / needed if needed and found else None,
            response=response_of(setup, span, reading),
        )

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """Response class and T90 of each exposure, the sensor's sensitivity, and at which reading each alarm came."""
        d = settings_of(setup)
        rows: list[tuple[str, str]] = []
        for j, r in zip(outcome.judged, readings, strict=False):
            kind = j.slot.extra["exposure"]
            name = f"{kind} {j.slot.channel}".strip().capitalize()
            if kind not in NO_GAS:
                t90 = t90_of(r)
                timed = (
                    f", T90 {t90:.0f} s"
                    if t90 is not None
                    else ""
                    if "captured" in r.extra or not self.is_detector
                    else ", exposure time not measured"
                )
                told = response_of(setup, j, r)
                rows.append((name, (ANSWERED.get(told, told) if self.is_detector else told) + timed))
            signal = r.extra.get("signal")
            if signal and kind not in NO_GAS and j.point.applied:
                sensitivity = float(signal) / j.point.applied
                told = f"{sensitivity:.4g} {d.signal_unit} a {channel_named(setup, j.slot.channel).unit}"
                new = f", {100 * sensitivity / d.new_sensitivity:.0f} % of new" if d.new_sensitivity else ""
                rows.append((f"Sensitivity {j.slot.channel}".strip(), told + new + ", as of this calibration"))
        return (*rows, *outcome.findings, *((a.name, alarm_words(setup, a)) for a in alarms_of(setup) if alarm_words(setup, a)))

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """The alarms that were seen to come with this set, and those that should have."""
        mine = [r for r in readings if channel_named(setup, r.slot.channel).unit == setup.instrument.unit]
        seen = alarms_seen_in(setup, self.kind.proved_alarms(setup), set_key, mine)
        criteria = tuple(c for s in seen if (c := s.criterion))
        judged = tuple(replace(j, has_ratio=j.slot.extra.get("exposure") not in NO_GAS) if self.is_detector else j for j in outcome.judged)
        outcome = replace(outcome, judged=judged)
        told = tuple((f"Alarm '{s.alarm.name}'", s.says) for s in seen)
        told = (*found_words(setup), *told) if set_key.startswith("as_found") else told
        return replace(outcome, criteria=(*outcome.criteria, *criteria), findings=told, series=self._set_at(setup, outcome, set_key))

    def _set_at(self, setup: RunSetup, outcome: Outcome, set_key: str) -> tuple[SeriesPoint, ...]:
        """The air pressure at which a cell that follows it was set: the next as found counts from there."""
        kpa = dict(setup.entered).get("pressure_kpa")
        if not kpa or not set_key.startswith("as_left") or not any(FACTOR in j.slot.extra for j in outcome.judged):
            return ()
        return (SeriesPoint(SET_KPA, "Air pressure when it was set", float(kpa), "kPa", is_shown=False),)

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """At which reading each alarm came, where the exposure was captured with the detector's status beside it."""
        captured = [r.captured.get("indicated", {}).get("alarms", {}) for r in readings]
        seen = {name: str(value) for told in captured for name, value in told.items()}
        return {f.name: seen[name] for f in step.fields if (name := f.name.rpartition(":")[2]) in seen}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In percent of the channel's range."""
        return Columns(applied_unit=setup.instrument.unit)


def u_of_ratio(reading: RawReading, ideal: float, digit: float) -> float:
    """Expanded uncertainty of read over applied, relative, k = 2, without the bottle's: repeatability, resolution, how quietly it stood."""
    told = reading.captured.get("indicated", {})
    parts = (REPEATS, 2 * digit / math.sqrt(12) / abs(ideal), 2 * float(told.get("sd") or 0.0) / abs(ideal)) if ideal else (REPEATS,)
    return math.hypot(*parts)


def step_of(setup: RunSetup, channel: GasChannel) -> float:
    """What the display of a channel steps by: the register's, else the usual one of its range, so that U does not hang on how many digits were typed."""
    return settings_of(setup).display_step or 10.0 ** math.floor(math.log10(channel.top / 500))


ANSWERED = {OK: "answered", OUT_OF_ACCEPTANCE: "answered, further off than may be adjusted"}  # a class, beside which stands the verdict


def inhibit_of(setup: RunSetup) -> float:
    """The current at which it is held: as it was seen at the control system, else the register's."""
    return setup.value("ma", settings_of(setup).inhibit_ma)


def t90_of(reading: RawReading) -> float | None:
    """T90 of an exposure, captured or typed."""
    told = reading.captured.get("indicated", {})
    if told.get("t90_s") is not None:
        return float(told["t90_s"])
    text = reading.extra.get("t90_s")
    return float(text) if text else None


def response_of(setup: RunSetup, j: Judged, reading: RawReading) -> str:
    """The class of an exposure: as captured, else by what was typed."""
    told = reading.captured.get("indicated", {}).get("response")
    if told:
        return str(told)
    p = setup.policy
    moved = abs(j.point.indicated)
    if j.slot.extra["exposure"] != AIR and j.point.ideal and moved < p.response_percent / 100 * abs(j.point.ideal):
        return NO_RESPONSE
    return OUT_OF_ACCEPTANCE if abs(j.point.error_percent) > p.acceptance_percent else OK


def alarm_words(setup: RunSetup, alarm: Alarm) -> str:
    """At which reading an alarm came, of runs whose sets shared their alarms; empty when nobody looked."""
    told = dict(setup.entered).get(f"alarm:{alarm.name}")
    if told is None:
        return ""
    unit = setup.instrument.unit
    return f"came at {told} {unit}, set point {alarm.set_point:g} {unit}" if told else f"did not come; set point {alarm.set_point:g} {unit}"


@lru_cache(maxsize=512)
def _plan(kind: GasKind, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
    return tuple(
        _watching(kind, setup, exposure(setup, n, what, c, as_found=set_key == "found"), set_key)
        for n, (what, c) in enumerate(kind.exposures(setup, set_key))
    )


def _watching(kind: GasKind, setup: RunSetup, slot: Slot, set_key: str) -> Slot:
    """An exposure that makes alarms come says so before the gas is on, since who looks only afterwards has not seen them."""
    alarms = kind.proved_alarms(setup) if set_key != "proof" else ()
    is_it = (slot.extra["exposure"] not in NO_GAS) if alarms and alarms[0].rising else slot.extra["exposure"] == ZERO
    return replace(slot, how=slot.how + watch_words(setup, alarms)) if alarms and is_it else slot


@dataclass(frozen=True)
class ExposureWatching:
    """An exposure is judged from the moment gas came: windows by the sensor's own speed."""

    trial: Exposed

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """Windows by the sensor's own speed."""
        p, d = setup.policy, settings_of(setup)
        is_zero = slot.extra.get("exposure") in NO_GAS
        limit = p.settle_percent / 100 * self.trial.tolerance_at(setup, slot) / 100 * quantity.span
        if quantity.name in ("signal", "ma"):
            limit = max(limit, 0.01 * quantity.span)
        window = p.zero_window_s if is_zero else p.span_window_s
        return exposure_rule(d.t90_s, window_s=window, times_t90=1 if is_zero else 2, give_up_s=p.give_up_s, limit=max(limit, 1e-9))

    def watch(self, setup: RunSetup, slot: Slot, watched: Watched) -> Exposure | None:
        """The exposure so far; without the moment gas came, silence is not yet an answer."""
        kind = slot.extra.get("exposure")
        if kind is None:
            return None
        c, p = channel_named(setup, slot.channel), setup.policy
        is_oxygen = c.gas == "oxygen"
        start = p.air_percent if kind in (*NO_GAS, *CHECKS) and is_oxygen else slot.ideal if kind == AIR else 0.0
        stimulus = Stimulus(
            start, slot.ideal, c.top, c.unit, settings_of(setup).t90_s, p.acceptance_percent / 100,
            p.response_percent / 100, p.purge_percent / 100, is_zero=kind in NO_GAS and not is_oxygen,
            needs_rise=kind in CHECKS and not is_oxygen,
        )  # fmt: skip
        samples = watched.samples.get("indicated", ())
        seen = judge_exposure(
            samples,
            watched.rule,
            stimulus,
            since=watched.since,
            status=watched.samples.get("status", ()),
            until=watched.until,
            before=watched.before,
        )
        if not watched.is_marked and seen.kind in (NO_RESPONSE, UNSTABLE):
            seen = replace(
                seen,
                kind=WAITING,
                remarks=(*(r for r in seen.remarks if r[0] == "exposed-already"), ("gas-on", "Put the gas on, then press 'Gas is on'.")),
            )
        return seen

    def source_channel(self, quantity: str, channel: str) -> str:
        """Each sensor of a head has its own gas in front of it, so its own source for everything."""
        return channel

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """The inhibit current and the purge of each channel can be read live."""
        if step.variant not in ("inhibit", "purge"):
            return None
        c = channel_named(setup, step.key.partition(":")[2])
        slot = exposure(setup, 0, AIR if self.trial.kind.found_kinds == (AIR,) else ZERO, c)
        wanted = "ma" if step.variant == "inhibit" else "indicated"
        return slot, tuple(q for q in self.trial.asks(setup, slot) if q.name == wanted)

    def is_step(self, slot: Slot) -> bool:
        """Gas, not zero gas, takes the output to a new level."""
        return slot.extra.get("exposure") not in NO_GAS

    def course(self, setup: RunSetup, step: Step, slot: Slot, samples: Sequence[Sample]) -> str:
        """Nothing is forecast."""
        return ""

    def interrupted(self, setup: RunSetup, slot: Slot, samples: Mapping[str, Sequence[Sample]]) -> tuple[tuple[float, str], ...]:
        """Nothing interrupts it."""
        return ()

    def dwell_s(self, setup: RunSetup) -> float:
        """The window is the dwell."""
        return 0.0


def role_at(_setup: RunSetup, slot: Slot) -> str:
    """The role of the gas that is on at a slot."""
    return str(slot.extra.get("gas", ""))


def uses(setup: RunSetup, kind: str, captured: Mapping[str, Any] | None) -> Use:
    """What one exposure or one acceptance takes of its bottle."""
    return Use("", GAS, litres_of(setup, kind, captured), "l")


def exposed(setup: RunSetup, reading: RawReading, context: ResultContext) -> Mapping[str, Any] | None:
    """An exposure to span gas or air as a result that is followed: its ratio, T90, signal, sensitivity, dose and hours."""
    kind = str(reading.extra.get("exposure", ""))
    if kind in ("", "zero", "background"):
        return None
    applied = float(reading.applied)
    signal = float(reading.extra["signal"]) if reading.extra.get("signal") else None
    minutes = litres_of(setup, kind, reading.captured) / settings_of(setup).flow_l_min
    ideal = reading.slot.ideal
    return {
        "name": "exposure",
        "value": float(reading.indicated) / ideal if ideal else None,
        "unit": "",
        "item": str(reading.extra.get("bottle", "")),
        "more": {
            "u": u_of_ratio(reading, ideal, step_of(setup, channel_named(setup, reading.slot.channel))),
            "t90_s": t90_of(reading),
            "signal": signal,
            "sensitivity": signal / applied if signal is not None and applied else None,
            "dose": applied * minutes / 60.0,
            "hours": minutes / 60.0,
            **({"poison": poison_of(setup)} if poison_of(setup) else {}),
        },
    }
