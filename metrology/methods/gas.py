"""What all gas detector methods share: exposures judged against the bottle, response classes, adjusting in order.

Sources: IEC 60079-29-2:2015 (selection, use and maintenance of detectors for flammable gases and oxygen), IEC 60079-29-1:2016
(performance), EN 45544-4:2016 (toxic gases). Limits are policies.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from types import MappingProxyType

from metrology.judgement.decision import FAIL
from metrology.judgement.errors import ErrorInBases, Point
from metrology.judgement.exposure import WAITING, Exposure, Stimulus, exposure_rule, judge_exposure
from metrology.judgement.gas_kit import GasNeed
from metrology.judgement.gas_signature import ChannelSeen, find_gas_signatures
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.settling import NO_RESPONSE, OK, OUT_OF_ACCEPTANCE, UNSTABLE, SettleRule
from metrology.judgement.signature import Signature
from metrology.judgement.tolerance import tolerance_percent
from metrology.judgement.uncertainty import Component
from metrology.methods import gas_steps
from metrology.methods.adjusting import Passes
from metrology.methods.base import AdjustProgress, AdjustTarget, Judged, Proposal, Quantity, RawReading, SetResult, Slot, Watched
from metrology.methods.budget import Budget
from metrology.methods.details import Alarm
from metrology.methods.gas_adjusting import admit_force, in_order
from metrology.methods.gas_details import GasChannel, require_unit
from metrology.methods.gas_plan import (
    AIR,
    BUMP,
    NO_GAS,
    SPAN,
    ZERO,
    applied_for,
    channel_named,
    channels_of,
    exposure,
    gas_need,
    pressure_factor,
    role_of,
)
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Step
from metrology.methods.tx_multipoint import TxMultipoint
from metrology.quantities.transfer import Transfer
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, number


class GasMethod(TxMultipoint):
    """An as-found exposure, judged; zero before span; the same exposures as left; gas away before the hold comes off."""

    revision = "1"
    default_points = (0.0, 50.0)
    has_statistics = False
    least_for_signature = 1
    screws: tuple[str, ...] = (ZERO, SPAN)
    found_kinds: tuple[str, ...] = (ZERO, SPAN)
    exposures_each = 4  # as found, adjusting, as left, proof
    proves_alarms = True
    adjust_choice = "adjust"
    found_options: tuple[str, ...] = ("leave", "adjust", "repeat", "exchange", "repair", "replace")
    left_options: tuple[str, ...] = ("leave", "adjust", "exchange", "repair", "replace")
    option_words: Mapping[str, str] = MappingProxyType({})
    exposing = "Zero gas first, then span gas."
    waits_for = "warm_up"  # the timer that must have run before the first reading
    needs_proof = True
    purges = True
    has_output = True

    def incoming(self, setup: RunSetup) -> tuple[Step, ...]:
        """What is looked at before anything else."""
        return ()

    def settings(self, setup: RunSetup) -> tuple[Step, ...]:
        """Settings compared before the hold."""
        return ()

    def opening(self, setup: RunSetup) -> tuple[Step, ...]:
        """What is opened, moved or purged under the hold."""
        return ()

    def back(self, setup: RunSetup) -> tuple[Step, ...]:
        """What is moved back."""
        return ()

    def calibration(self, n: int) -> tuple[Step, ...]:
        """What a function check that failed goes on with."""
        return gas_steps.adjust(n)

    def normal_band(self, setup: RunSetup) -> tuple[float, float]:
        """The readings with which a hold may come off."""
        c = channels_of(setup)[0]
        return -0.25 * c.top, round(setup.policy.purge_percent / 100 * c.top, 6)

    def reference_roles(self, setup: RunSetup) -> tuple[tuple[str, str], ...]:
        """The bottle is the reference; it is chosen by its own rules."""
        return ()

    def gas_needs(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """Zero gas once, span gas a channel."""
        needs: dict[str, GasNeed] = {}
        for kind in self.found_kinds:
            for channel in channels_of(setup):
                need = gas_need(setup, kind, channel, exposures=self.exposures_each, proves_alarms=self.proves_alarms)
                needs.setdefault(need.role, need)
        return tuple(needs.values())

    def first_gases(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """What is asked for before the hold."""
        return self.gas_needs(setup)

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps as the choices shape them."""
        return gas_steps.steps(self, setup, tuple(sorted(choices.items())))

    def plan(self, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
        """Zero, then span, channel by channel; a proof is one bump a channel."""
        for c in channels_of(setup):
            require_unit(c.gas, c.unit, setup.instrument.details.detector.basis, field="unit")
        return _plan(self, setup, "proof" if set_key.startswith("proof") else "left" if set_key.startswith("as_left") else "found")

    def exposures(self, setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
        """Which exposures a set has."""
        if set_key == "proof":
            return [(AIR if self.found_kinds == (AIR,) else BUMP, c) for c in channels_of(setup)]
        return [(kind, c) for c in channels_of(setup) for kind in self.found_kinds]

    def quantities(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """Display, what is applied, and where there are any: current at the control system, raw signal, T90, status."""
        i, d = setup.instrument, setup.instrument.details.detector
        c = channel_named(setup, slot.channel)
        top, places = c.top, decimals_for(c.top)
        near = 0.05 * top
        applied = Quantity(
            "applied", "Applied", c.unit, max(places, 2), slot.nominal, slot.nominal - near, slot.nominal + near, 0,
            hint="By the bottle's certificate.", span=top,
        )  # fmt: skip
        over = f"Above the range of {top:g} {c.unit}: take the gas off, the sensor may suffer, and check the unit."
        shown = Quantity("indicated", "Display", c.unit, places, slot.ideal, -0.25 * top, 1.1 * top, 0.1 * top, span=top, doubt=over)
        more: list[Quantity] = []
        if i.output_unit == "mA" and self.has_output:
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
        i, d, band = setup.instrument, setup.instrument.details.detector, setup.policy.inhibit_band_ma
        span = i.output_hi - i.output_lo
        if d.inhibit_ma:
            dropped = (
                f"The current is not the inhibit current of {d.inhibit_ma:g} mA: the inhibit has dropped and the alarm may have tripped."
            )
            low, high, expected = d.inhibit_ma - band, d.inhibit_ma + band, d.inhibit_ma
        else:
            dropped, low, high = "", i.output_lo - 2.5, i.output_hi + 2.5
            expected = i.output_lo + slot.nominal / top * span
        return Quantity("ma", "Current at the control system", "mA", 2, expected, low, high, 0, False, span=span, doubt=dropped)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The instrument's tolerance over the channel's range; of a bump, the bump tolerance of what is applied."""
        top = channel_named(setup, slot.channel).top
        if slot.extra["exposure"] == BUMP:
            return max(1e-6, setup.policy.bump_percent * applied / top)
        return tolerance_percent(setup.instrument.tolerance, applied, lrv=0.0, urv=top, transfer=Transfer())

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """The display against what the bottle gives, over the channel's range."""
        c = channel_named(setup, slot.channel)
        applied = parse_typed(reading.applied, name="The applied value", unit=c.unit).value
        indicated = parse_typed(reading.indicated, name="The reading", unit=c.unit).value
        ideal = applied * pressure_factor(setup, c)
        return Point(applied, indicated, ideal, ideal / c.top, 100 * ideal / c.top, 100 * (indicated - ideal) / c.top, slot.direction, 1)

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error in the unit of the reading."""
        error = point.indicated - point.ideal
        return ErrorInBases(point.error_percent, 100 * error / abs(point.ideal) if point.ideal else None, error, None)

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What should be read of what is applied."""
        return applied * pressure_factor(setup, channel_named(setup, slot.channel))

    def budget(
        self,
        setup: RunSetup,
        slot: Slot,
        point: Point,
        reading: RawReading,
        references: Mapping[str, ReferenceStandard],
        spread: tuple[float, int] | None,
    ) -> tuple[Component, ...]:
        """The bottle's certificate, the display's resolution, settling."""
        c = channel_named(setup, slot.channel)
        b = Budget(setup, point.applied, reading, per_input=100 / c.top)
        role = slot.extra["gas"]
        bottle = dict(setup.entered).get(f"{role}.bottle", "the bottle")
        b.add(f"Certificate of {bottle}", setup.value(f"{role}.u", 0.0) * abs(point.applied) / c.top, divisor=2.0)
        b.resolution(parse_typed(reading.indicated, name="The reading", unit=c.unit).resolution, c.top)
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
        d, entered = setup.instrument.details.detector, dict(setup.entered)
        zero = next((j for j, _ in mine if j.slot.extra["exposure"] == ZERO), None)
        span, reading = next(((j, r) for j, r in mine if j.slot.extra["exposure"] not in NO_GAS), (None, None))
        seen = ChannelSeen(
            c.name, d.technology, min(j.tolerance for j, _ in mine), zero.point.error_percent if zero else None,
            healthy_t90_s=d.t90_s, tag=setup.instrument.tag,
        )  # fmt: skip
        if span is None or reading is None:
            return seen
        role = span.slot.extra["gas"]
        peers = tuple((t, float(r)) for t, _, r in (p.partition("=") for p in entered.get(f"{role}.peers", "").split()))
        needed = applied_for(setup, SPAN, c) / c.top * d.full_scale_v
        found = setup.value(f"found_v:{c.name}", 0.0)
        return replace(
            seen,
            span=span.point.error_percent,
            ratio=span.point.indicated / span.point.ideal if span.point.ideal else None,
            t90_s=t90_of(reading),
            balance_oxygen=setup.value(f"{role}.oxygen", 20.9) if entered.get(f"{role}.oxygen") else None,
            peers=peers,
            setting_ratio=found / needed if needed and found else None,
            response=response_of(setup, span, reading),
        )

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], result: SetResult) -> tuple[tuple[str, str], ...]:
        """Response class and T90 of each exposure, the sensor's sensitivity, and at which reading each alarm came."""
        d = setup.instrument.details.detector
        rows: list[tuple[str, str]] = []
        for j, r in zip(result.judged, sorted(readings, key=lambda r: r.slot), strict=False):
            kind = j.slot.extra["exposure"]
            name = f"{kind} {j.slot.channel}".strip().capitalize()
            if kind not in NO_GAS:
                t90 = t90_of(r)
                rows.append((name, response_of(setup, j, r) + (f", T90 {t90:.0f} s" if t90 is not None else "")))
            signal = r.extra.get("signal")
            if signal and kind not in NO_GAS and j.point.applied:
                sensitivity = float(signal) / j.point.applied
                told = f"{sensitivity:.4g} {d.signal_unit} a {channel_named(setup, j.slot.channel).unit}"
                new = f", {100 * sensitivity / d.new_sensitivity:.0f} % of new" if d.new_sensitivity else ""
                rows.append((f"Sensitivity {j.slot.channel}".strip(), told + new + ", as of this calibration"))
        return (*rows, *((a.name, alarm_words(setup, a)) for a in setup.instrument.details.alarms if alarm_words(setup, a)))

    def suggestions(self, setup: RunSetup, readings: Sequence[RawReading], step_key: str) -> Mapping[str, str]:
        """At which reading each alarm came, where the exposure was captured with the detector's status beside it."""
        if not step_key.startswith("alarms"):
            return {}
        captured = [(r.extra.get("captured") or {}).get("indicated", {}).get("alarms", {}) for r in readings]
        return {f"alarm:{name}": str(value) for told in captured for name, value in told.items()}

    def propose(self, setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
        """Leave, prove the gas, calibrate, or replace."""
        p, worst = setup.policy, result.worst
        if worst is None:
            return Proposal("repeat", "There are no readings to judge.")
        where = f"The largest error is {worst.point.error_percent:+.1f} % of range, {100 * result.share:.0f} % of the tolerance."
        first = result.signatures[0] if result.signatures else None
        is_proof = (
            all(j.slot.extra["exposure"] in (BUMP, AIR) for j in result.judged) and self.key != "gas-bump" and SPAN in self.found_kinds
        )
        late = self.late_alarms(setup)
        if result.verdict != FAIL and not late:
            if not is_as_left and not is_proof and p.decides == "always" and self.can_adjust(setup):
                return Proposal(self.adjust_choice, f"{where} Inside, but the policy here is to calibrate always.")
            past = p.adjust_when == "past-limit" and 100 * result.share > p.adjust_limit_percent
            if not is_as_left and not is_proof and p.decides == "as-found" and past and self.can_adjust(setup) and self.key != "gas-bump":
                return Proposal(self.adjust_choice, f"{where} Past the adjust limit of {p.adjust_limit_percent:g} %: calibrate.")
            return Proposal("leave", f"{where} It answers as it should.")
        if late:
            return Proposal("repair", f"{where} {late} Correct the set point or the alarm path, then prove it.")
        if is_proof or is_as_left:
            told = "The proof failed" if is_proof else "It is still outside"
            return Proposal("repair" if is_proof else "replace", f"{where} {told}. {first.first_action if first else ''}".strip())
        if first and first.code in ("no-response", "same-bottle", "wrong-balance"):
            return Proposal("repeat", f"{where} {first.says} {first.first_action}")
        if abs(worst.point.error_percent) > p.acceptance_percent:
            more = f"More than {p.acceptance_percent:g} % of span off: prove bottle, regulator and setting before anything is forced."
            return Proposal("repeat", f"{where} {more}")
        if not self.can_adjust(setup):
            return Proposal("replace", f"{where} It can't be adjusted: replace it.")
        return Proposal(self.adjust_choice, f"{where} {first.says if first else ''} Calibrate it.".replace("  ", " "))

    def can_adjust(self, setup: RunSetup) -> bool:
        """Whether there is anything to set."""
        return setup.instrument.is_adjustable and bool(self.screws)

    def proved_alarms(self, setup: RunSetup) -> tuple[Alarm, ...]:
        """The alarms that its exposures make come: those that gas rises to."""
        return tuple(a for a in setup.instrument.details.alarms if a.rising) if self.proves_alarms else ()

    def late_alarms(self, setup: RunSetup) -> str:
        """Alarms that did not come, or came too far from their set point, as a sentence."""
        bad = []
        for a in self.proved_alarms(setup):
            told = dict(setup.entered).get(f"alarm:{a.name}")
            if told is None:
                continue
            off = tolerance_percent(setup.instrument.tolerance, a.set_point, lrv=0.0, urv=setup.instrument.urv, transfer=Transfer())
            if told == "":
                bad.append(f"'{a.name}' did not come.")
            elif abs(float(told) - a.set_point) > off / 100 * setup.instrument.urv + 1e-9:
                bad.append(f"'{a.name}' came at {told} {setup.instrument.unit}, its set point is {a.set_point:g}.")
        return " ".join(bad)

    def refuse_choice(self, setup: RunSetup, result: SetResult, choice: str) -> str:
        """What can't be adjusted isn't."""
        if choice in ("adjust", "calibrate") and not self.can_adjust(setup):
            return "This detector has nothing to adjust. Choose another decision."
        if choice == "leave" and self.late_alarms(setup):
            return f"{self.late_alarms(setup)} A detector whose alarm does not come can't be left as it is."
        return ""

    def adjust_targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """Zero before span, channel by channel."""
        out = []
        for c in channels_of(setup):
            for kind in self.screws:
                slot = exposure(setup, 0, kind, c)
                aim = self.tolerance_for(setup, slot, slot.nominal) * setup.policy.aim_percent / 100.0 * c.top / 100.0
                gas = dict(setup.entered).get(f"{role_of(kind, c)}.bottle", "the gas")
                apply = f"{number(slot.nominal, 2)} {c.unit} ({gas})"
                screw = f"{c.name} {kind}".strip()
                out.append(AdjustTarget(screw, slot.nominal, apply, slot.ideal, aim, c.unit, c.top, -c.top, 2 * c.top))
        return tuple(out)

    def adjust_progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """Each in its order until it is inside the aim."""
        return in_order(setup, self.adjust_targets(setup, variant), passes)

    def admit_adjust(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, object]) -> Mapping[str, object]:
        """Refused by the instrument, or forced with its reason; too far off without one is not taken."""
        return admit_force(setup, target, before, payload)

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """Windows by the sensor's own speed."""
        p, d = setup.policy, setup.instrument.details.detector
        is_zero = slot.extra.get("exposure") in NO_GAS
        limit = p.settle_percent / 100 * self.tolerance_at(setup, slot) / 100 * quantity.span
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
        start = p.air_percent if kind in NO_GAS and c.gas == "oxygen" else slot.ideal if kind == AIR else 0.0
        stimulus = Stimulus(
            start, slot.ideal, c.top, c.unit, setup.instrument.details.detector.t90_s, p.acceptance_percent / 100,
            p.response_percent / 100, p.purge_percent / 100, is_zero=kind in NO_GAS and c.gas != "oxygen",
        )  # fmt: skip
        samples = watched.samples.get("indicated", ())
        seen = judge_exposure(
            samples, watched.rule, stimulus, since=watched.since, status=watched.samples.get("status", ()), until=watched.until
        )
        if not watched.is_marked and seen.kind in (NO_RESPONSE, UNSTABLE):
            return replace(seen, kind=WAITING, remarks=(("gas-on", "Put the gas on, then press 'Gas is on'."),))
        return seen

    def source_channel(self, quantity: str, channel: str) -> str:
        """Each sensor of a head has its own gas in front of it, so its own source for everything."""
        return channel

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """The inhibit current and the purge of each channel can be read live."""
        if step.variant not in ("inhibit", "purge"):
            return None
        c = channel_named(setup, step.key.partition(":")[2])
        slot = exposure(setup, 0, AIR if self.found_kinds == (AIR,) else ZERO, c)
        wanted = "ma" if step.variant == "inhibit" else "indicated"
        return slot, tuple(q for q in self.quantities(setup, slot) if q.name == wanted)

    def required_range(self, setup: RunSetup, role: str) -> tuple[float, float, str]:
        """The detector's range."""
        return 0.0, setup.instrument.urv, setup.instrument.unit


def t90_of(reading: RawReading) -> float | None:
    """T90 of an exposure, captured or typed."""
    told = (reading.extra.get("captured") or {}).get("indicated", {})
    if told.get("t90_s") is not None:
        return float(told["t90_s"])
    text = reading.extra.get("t90_s")
    return float(text) if text else None


def response_of(setup: RunSetup, j: Judged, reading: RawReading) -> str:
    """The class of an exposure: as captured, else by what was typed."""
    told = (reading.extra.get("captured") or {}).get("indicated", {}).get("response")
    if told:
        return str(told)
    p = setup.policy
    moved = abs(j.point.indicated)
    if j.slot.extra["exposure"] != AIR and j.point.ideal and moved < p.response_percent / 100 * abs(j.point.ideal):
        return NO_RESPONSE
    return OUT_OF_ACCEPTANCE if abs(j.point.error_percent) > p.acceptance_percent else OK


def alarm_words(setup: RunSetup, alarm: Alarm) -> str:
    """At which reading an alarm came, beside its set point; empty when nobody looked."""
    told = dict(setup.entered).get(f"alarm:{alarm.name}")
    if told is None:
        return ""
    unit = setup.instrument.unit
    return f"came at {told} {unit}, set point {alarm.set_point:g} {unit}" if told else f"did not come; set point {alarm.set_point:g} {unit}"


@lru_cache(maxsize=512)
def _plan(method: GasMethod, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
    return tuple(exposure(setup, n, kind, c) for n, (kind, c) in enumerate(method.exposures(setup, set_key)))
