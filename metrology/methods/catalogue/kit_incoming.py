"""kit-incoming: a portable instrument that is new or back from service, before anybody relies on it. Its subject is an item of the kit.

Papers and parts, self-test, the inlet blocked until its flow alarm comes, zero and span, memory, battery: accepted into service, or quarantined.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.judgement.decision import FAIL
from metrology.judgement.errors import UP, Point
from metrology.judgement.gas_kit import GasNeed
from metrology.judgement.incoming import run_time_hours
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.exposing import AIR, PURGE_MIN, SPAN, ZERO
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left, numbered
from metrology.methods.gas_method import GAS_WORK
from metrology.methods.method import Columns, Method, Traits, Use
from metrology.methods.outcome import Criterion, Outcome, OutcomeTable, Proposal
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import KIT, RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import GAS, Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.points import InItsUnit, role_at
from metrology.methods.watching import Still
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, plain

ACCEPT, SET, QUARANTINE = "accept", "set", "quarantine"
YES, NO = "yes", "no"
TRIES = 6  # settings of the flow alarm that are tried before it counts as dead
GAP = 2.5  # intervals between two samples of a log, from which on one is missing
NEAR = 0.25  # of the range: a reading further off is asked about


@dataclass(frozen=True)
class IncomingSettings(Settings):
    """The plant's limits for an incoming check; `measures` is the gas that the item is for, from the kit's register."""

    measures: str = ""
    alarm_within_s: float = asked("Flow alarm within", default=10.0, unit="s", low=1.0, high=120.0, is_policy=True)
    thermal_min: float = asked("Thermal settling before zero", default=5.0, unit="min", low=0.0, high=120.0, is_policy=True)
    least_hours: float = asked("Battery lasts at least", default=8.0, unit="h", low=0.5, high=72.0, is_policy=True)
    zero_within: float = asked("Zero within", default=2.0, unit="% of range", low=0.1, high=20.0, is_policy=True)
    span_within: float = asked("Span within", default=10.0, unit="% of applied", low=0.5, high=50.0, is_policy=True)
    portable_flow: float = asked("Flow it draws", default=0.5, unit="l/min", low=0.05, high=5.0, is_policy=True)


def settings_of(setup: RunSetup) -> IncomingSettings:
    """The limits of a run."""
    d = setup.instrument.details
    return d if isinstance(d, IncomingSettings) else IncomingSettings()


@dataclass(frozen=True)
class Look:
    """One thing that is answered with yes or no: what it is called, and what a no means."""

    name: str
    label: str
    bad: str


PAPERS = (
    Look(
        "certificate",
        "Its certificate is there, in date and of this serial",
        "Its certificate is missing, out of date or of another serial.",
    ),
    Look("accessories", "Accessories complete, nothing damaged", "Accessories are missing or something is damaged."),
)
SELF_TEST = Look("self_test", "Self-test clean", "Its self-test is not clean.")
MEMORY = (
    Look("no_readings", "No readings of this check were stored", "Readings of the check are in its memory."),
    Look("memory_clear", "Memory clear of the last user's readings", "Its memory still holds somebody else's readings."),
)
LOOKS = (*PAPERS, SELF_TEST, *MEMORY)
ANSWERS = ((YES, "Yes"), (NO, "No"))


@dataclass(frozen=True)
class Inlet:
    """One try with the inlet blocked. threshold: its flow-fail point, as its menu has it; seconds: None where no alarm came."""

    threshold: float
    seconds: float | None


def inlet_tries(setup: RunSetup) -> list[Inlet]:
    """The tries so far, in their order."""
    known, out = dict(setup.entered), []
    for n in range(1, TRIES + 1):
        if not known.get(numbered("threshold", n)):
            break
        seconds = known.get(numbered("alarm_s", n), "")
        out.append(Inlet(float(known[numbered("threshold", n)]), float(seconds) if seconds else None))
    return out


def came_in_time(setup: RunSetup, tried: Inlet) -> bool:
    """Whether the alarm came within the limit."""
    return tried.seconds is not None and tried.seconds <= settings_of(setup).alarm_within_s + 1e-9


def battery(setup: RunSetup) -> tuple[float, bool] | None:
    """Hours by its log, and whether samples are missing in it; None while nothing is told."""
    known = dict(setup.entered)
    if not known.get("samples"):
        return None
    interval = float(known["interval_s"])
    return run_time_hours(float(known["samples"]), interval), float(known["longest_gap_s"]) > GAP * interval


@dataclass(frozen=True)
class TakenIn(InItsUnit):
    """The trial: zero and span as readings, everything else as criteria of the set."""

    has_statistics = False
    least_for_signature = 99

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Zero, then span."""
        i, known = setup.instrument, dict(setup.entered)
        kind = AIR if is_oxygen(setup) else SPAN
        flow = f"{settings_of(setup).portable_flow:g} l/min"
        slots = []
        for n, (role, how) in enumerate(
            ((ZERO, "Let it draw zero gas"), (kind, "Let it draw span gas" if kind == SPAN else "Let it draw air"))
        ):
            value = 0.0 if role == ZERO else setup.value(f"{role}.value", setup.policy.air_percent if kind == AIR else 0.5 * i.urv)
            bottle = known.get(f"{role}.bottle", "")
            extra = {"gas": role, "exposure": role, **({"bottle": bottle} if bottle else {})}
            told = f"{how} ({bottle or 'as chosen'}, {flow}) by a line that is open to the air, until it stands: {plain(round(value, 3))} {i.unit}."
            percent = 100 * (value - i.lrv) / (i.urv - i.lrv)
            slots.append(Slot(n, 1, UP, percent, value, value, told, channel="Zero" if role == ZERO else "Span", extra=extra))
        return Plan(tuple(slots))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What the bottle stands for, and what the display shows."""
        i = setup.instrument
        span, decimals = i.urv - i.lrv, decimals_for(i.urv - i.lrv)
        near = NEAR * span
        applied = Quantity("applied", "Applied", i.unit, decimals, slot.nominal, slot.nominal, slot.nominal, 0, span=span)
        shown = Quantity("indicated", "It shows", i.unit, decimals, slot.ideal, slot.ideal - near, slot.ideal + near, 0.1 * span, span=span)
        return applied, shown

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """Of zero in % of range, of span in % of what is applied; % of range."""
        s, i = settings_of(setup), setup.instrument
        return s.zero_within if slot.extra["exposure"] == ZERO else s.span_within * applied / (i.urv - i.lrv)

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The bottle, water where it is the oxygen of ambient air, and the display."""
        i = setup.instrument
        made = Budget(setup, point.applied, reading, per_input=100 / (i.urv - i.lrv))
        bottle = str(slot.extra.get("bottle", ""))
        made.add(f"Gas {bottle}", setup.value(f"{slot.extra['gas']}.u", 0.0) / 100 * slot.percent, divisor=2.0)
        if is_oxygen(setup):
            made.oxygen_of(bottle, i.urv - i.lrv)
        made.resolution(parse_typed(reading.indicated, name="The reading", unit=i.unit).resolution, i.urv - i.lrv)
        return tuple(made.parts)

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """What was looked at, the flow alarm and the battery, as criteria with their limits."""
        s, known = settings_of(setup), dict(setup.entered)
        answers = [(k, known[k.name]) for k in LOOKS if known.get(k.name)]
        bad = [k.bad for k, answer in answers if answer == NO]
        criteria = [Criterion("looks", "Looked at and not right", len(bad), "", None, 0, decimals=0, says=" ".join(bad), is_graded=False)]
        tries = inlet_tries(setup)
        tables = [OutcomeTable("Looked at", ("What", "Answer"), tuple((k.label, dict(ANSWERS)[a]) for k, a in answers))]
        if tries:
            last = tries[-1]
            waited = last.seconds if last.seconds is not None else math.inf
            says = "" if last.seconds is not None else "Its flow alarm never came: it draws in false air or does not watch its flow."
            criteria.append(
                Criterion(
                    "alarm", "Flow alarm with the inlet blocked", min(waited, 9999.0), "s", 0, s.alarm_within_s, decimals=1, says=says
                )
            )
            rows = tuple((f"{t.threshold:g}", "none" if t.seconds is None else f"{t.seconds:g} s") for t in tries)
            tables.append(OutcomeTable("Inlet blocked", ("Flow-fail point", "Alarm came after"), rows))
        ran = battery(setup)
        if ran:
            hours, has_gap = ran
            criteria.append(
                Criterion(
                    "battery", "Battery, by its log", hours, "h", s.least_hours, None, ideal=s.least_hours, decimals=1, is_graded=False
                )
            )
            says = "Samples are missing in the log of its battery: what it did meanwhile is not known. Run it again." if has_gap else ""
            criteria.append(Criterion("log_gap", "Gaps in that log", float(has_gap), "", None, 0, decimals=0, says=says, is_graded=False))
        return replace(outcome, criteria=tuple(criteria), tables=tuple(t for t in tables if t.rows))

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In the item's own unit."""
        i = setup.instrument
        per = (i.urv - i.lrv) / 100
        return Columns(
            place="Test", ideal="", read="It shows", error=f"Error, {i.unit}", unit=i.unit, per_percent=per, decimals=decimals_for(i.urv - i.lrv),
            applied_unit=i.unit, has_direction=False, by_percent=False, x=f"applied, {i.unit}", y=f"error, {i.unit}", csv_error=f"error ({i.unit})",
        )  # fmt: skip


@dataclass(frozen=True)
class TakenInAdvice:
    """Accepted when nothing speaks against it."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """Accept, set zero and span where only they are off, or quarantine."""
        why = [_sentence(c) for c in outcome.criteria if c.verdict == FAIL]
        off = [j for j in outcome.judged if j.decision.verdict == FAIL]
        i = setup.instrument
        shown = [f"{j.slot.channel} shows {plain(j.point.indicated)} {i.unit} of {plain(j.point.applied)}." for j in off]
        if why:
            return Proposal(QUARANTINE, " ".join([*why, *shown]))
        if off and not is_as_left:
            return Proposal(SET, f"{' '.join(shown)} Everything else is right.")
        if off:
            return Proposal(QUARANTINE, f"{' '.join(shown)} It can't be set.")
        return Proposal(ACCEPT, "Papers, self-test, flow alarm, zero, span, memory and battery are right.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """What failed is not accepted into service, whatever the reason: it is quarantined, mended, and checked in anew."""
        if choice == ACCEPT and outcome.verdict == FAIL:
            said = self.propose(setup, outcome, is_as_left=True).reason
            return f"{said} It can't be accepted into service like that: quarantine it, have it put right, and check it in anew."
        return ""


def _sentence(c: Criterion) -> str:
    limit = f"at most {c.high:g}" if c.high is not None else f"at least {c.low:g}"
    return c.says or f"{c.label}: {c.value:.{c.decimals}f} {c.unit}; {limit} {c.unit} is right."


def is_oxygen(setup: RunSetup) -> bool:
    """Whether it measures oxygen: its zero is nitrogen, its span is outdoor air."""
    return settings_of(setup).measures == "oxygen"


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """Zero gas, and span gas or air."""
    i, s = setup.instrument, settings_of(setup)
    oxygen = is_oxygen(setup)
    gas = s.measures or "methane"
    roles = (
        (ZERO, "Nitrogen, for the zero" if oxygen else "Zero gas, or scrubbed air", "nitrogen" if oxygen else "air", ZERO),
        (AIR, "Outdoor air", "oxygen", AIR) if oxygen else (SPAN, "Span gas", gas, SPAN),
    )
    return tuple(
        Need(
            role, label, GAS, i.unit,
            detail=GasNeed(
                role, label, kind, wanted, top=i.urv, unit=i.unit, basis="iec", technology="oxygen" if oxygen else "portable",
                flow_l_min=s.portable_flow, exposures=1, litres=s.portable_flow * (2.0 + PURGE_MIN), watches=gas,
            ),
        )
        for role, label, wanted, kind in roles
    )  # fmt: skip


def uses(setup: RunSetup, kind: str, captured: Mapping[str, object] | None) -> Use:
    """What one reading takes of its bottle, l."""
    return Use("", GAS, settings_of(setup).portable_flow * (2.0 + PURGE_MIN), "l")


def words(setup: RunSetup) -> tuple[str, str]:
    """Output and tolerance as the record tells them."""
    s = settings_of(setup)
    return "its display", f"zero within {s.zero_within:g} % of range, span within {s.span_within:g} % of what is applied"


def _asked(*looks: Look) -> tuple[Field, ...]:
    return tuple(Field(k.name, k.label, "choice", options=ANSWERS) for k in looks)


def _inlet(setup: RunSetup) -> list[Step]:
    """The inlet blocked; with the alarm set lower, again, until it comes in time."""
    s, tries = settings_of(setup), inlet_tries(setup)
    out = []
    for n in range(1, TRIES + 1):
        before = tries[n - 2].threshold if n > 1 else 0.0
        lower = f" It did not come in time at {before:g}: lower the point by a step first." if n > 1 else ""
        point = Field(
            numbered("threshold", n),
            "Flow-fail point",
            "number",
            hint="As its menu has it",
            low=0,
            high=before * (1 - 1e-9) if n > 1 else 1e6,
            why=f"Lower it: at {before:g} no alarm came in time." if n > 1 else "",
        )
        after = Field(
            numbered("alarm_s", n), "The alarm came after", "number", "s", required=False, hint="Empty: none came", low=0, high=120
        )
        out.append(
            Step(
                numbered("inlet", n), "confirm", "as found", "Block the inlet" if n == 1 else f"Block the inlet, step {n}",
                f"Close the inlet with a finger and count: its flow alarm must come within {s.alarm_within_s:g} s. Open it again at once.{lower}",
                cautions=("A pump that runs against a closed inlet wears: not longer than 30 s.",),
                fields=(point, after), enters=True, confirm_label="Inlet open again",
            )
        )  # fmt: skip
        if len(tries) < n or came_in_time(setup, tries[n - 1]):
            break
    return out


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """Papers to battery, judged, signed."""
    i, s = setup.instrument, settings_of(setup)
    options = ((ACCEPT, "Accept into service"), (SET, "Set zero and span, then prove"), (QUARANTINE, "Quarantine it"))
    told = "Let each stand until it does not move any more, then read the display. Store nothing in the item."
    found = Wording("as_found", "judge", "judge", "judge", "Zero and span", "Judge", told, options, {SET: _set}, needs_timer="settling")
    found = replace(found, phase="as found")
    left = replace(
        found, found="as_left", judge="judge_left", phase="as left", judge_phase="as left", title="Zero and span again",
        judge_title="Judge again", options=(options[0], options[2]), follow={SET: _set},
    )  # fmt: skip
    spare = Step("set", "confirm", "adjust", "Set zero and span", "Only where zero or span is off and everything else is right.")
    made = found_to_left(found, left, choices, spare)
    return (
        Step(
            "identity", "confirm", "prepare", "Right item", "Read code and serial off the item and type them. They are checked against the kit's register.",
            fields=(Field("code", "Code on the item", "identity", expected=i.tag), Field("serial", "Serial on the item", "identity", expected=i.serial)),
            confirm_label="Check the item",
        ),
        Step("papers", "confirm", "prepare", "Papers and parts", common.RULE_OF_SITE, fields=_asked(*PAPERS), enters=True, confirm_label="Looked at"),
        Step(
            "self_test", "confirm", "as found", "Self-test", "Switch it on in clean air and let it run its self-test to the end.",
            fields=(*_asked(SELF_TEST), Field("self_test_says", "What it says", required=False)), enters=True, confirm_label="Self-test is over",
        ),
        *_inlet(setup),
        Step(
            "settling", "timer", "as found", "Thermal settling", f"{s.thermal_min:g} min in the air in which it will be zeroed. You can go on meanwhile.",
            minutes=s.thermal_min, left_out="" if s.thermal_min else "No settling time is set.",
        ),
        Step(
            "gas", "confirm", "as found", "Gas", "Choose what stands for zero and span. Of scrubbed air write which filter it goes through.",
            fields=tuple(Field(n.role, n.label, "gas", n.unit) for n in needs(setup)), confirm_label="Use these",
        ),
        made[0],
        Step(
            "memory", "confirm", "as found", "Memory", "Look into its memory and its log.", fields=_asked(*MEMORY), enters=True, confirm_label="Looked at",
        ),
        Step(
            "battery", "confirm", "as found", "Battery", "From the log of a run from full to shutdown: samples times interval is how long it lasted.",
            fields=(
                Field("samples", "Samples in the log", "number", low=1, high=1e7),
                Field("interval_s", "Interval between samples", "number", "s", low=0.1, high=3600),
                Field("longest_gap_s", "Longest time between two samples", "number", "s", low=0.1, high=1e6, hint="As its interval where none is missing"),
            ),
            enters=True, confirm_label="Keep it",
        ),
        *made[1:],
        Step(
            "sign", "sign", "sign", "Sign", "Your password again makes this your signature. It puts the item into service, or into quarantine.",
            confirm_label="Sign",
        ),
    )  # fmt: skip


def _set(n: int) -> tuple[Step, ...]:
    return (
        Step(
            numbered("set", n), "confirm", "adjust", "Set zero and span",
            "Zero on the zero gas, then span on the span gas, by the item's own menu. Then both are read again.",
            checks=(Check("zero_first", "Zero was set before span"),), confirm_label="Both are set",
        ),
    )  # fmt: skip


TRIAL = TakenIn()
METHOD = Method(
    key="kit-incoming",
    title="Incoming check of a portable",
    revision="2",
    traits=Traits(
        "kit",
        default_points=(),
        has_points=False,
        skills=frozenset({GAS_WORK}),
        policies=("gas",),
        calibrates=False,
        subject=KIT,
        kinds=("portable",),
        document="Record of an incoming check",
    ),
    settings=IncomingSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, role_at=role_at),
    advice=TakenInAdvice(),
    watching=Still(TRIAL),
    words=words,
    uses=uses,
    leaves={ACCEPT: "in service", QUARANTINE: "quarantined"},
    names={ACCEPT: "accepted into service", SET: "zero and span set", QUARANTINE: "quarantined"},
)  # fmt: skip
