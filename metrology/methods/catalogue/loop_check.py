"""loop-check: current injected at the field end, every display on the way read, every alarm seen."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.causes.naming import find_signatures
from metrology.judgement.causes.rows import Curve
from metrology.judgement.decision import FAIL
from metrology.judgement.errors import DOWN, UP, ErrorInBases, Point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.fragments import AlarmSettings, LoopSettings, alarms_of, rows_of
from metrology.methods.hookup import current_source_hookup
from metrology.methods.method import Columns, Method, Traits
from metrology.methods.outcome import Judged, Outcome, Proposal
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.curve import tolerance_of
from metrology.methods.trials.points import PointByPoint, least_ratio
from metrology.methods.watching import Still
from metrology.quantities.transfer import Transfer
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, number, signed

INSTRUCTION = "Inject each current at the field end and read every display on the way, then run the current to each alarm."


@dataclass(frozen=True)
class Display:
    """A place on the way of a signal where it is shown: what it should show at 4 and at 20 mA."""

    name: str
    unit: str
    low: float
    high: float


def _read_displays(text: str) -> tuple[Display, ...]:
    out = []
    for row in rows_of(text, "displays"):
        if len(row) < 4:
            raise Fault("bad_display", f"'{' '.join(row)}': a display is name, unit, what it shows at 4 and at 20 mA.", field="displays")
        low, high = (parse_typed(v, name="A display's range", field="displays").value for v in row[-2:])
        if low == high:
            raise Fault("bad_display", f"'{' '.join(row)}': it shows the same at both ends.", field="displays")
        out.append(Display(" ".join(row[:-3]), row[-3], low, high))
    return tuple(out)


def _load_displays(rows: Iterable[Mapping[str, Any]]) -> tuple[Display, ...]:
    return tuple(Display(**d) for d in rows)


@dataclass(frozen=True)
class LoopCheckSettings(LoopSettings, AlarmSettings):
    """A loop beyond its range."""

    displays: tuple[Display, ...] = asked(
        "Displays on the way", "text", default=(), hint="Like Isolator mA 4 20; Control system kPa 0 400", read=_read_displays,
        show=lambda found: ", ".join(d.name for d in found), load=_load_displays,
    )  # fmt: skip


@dataclass(frozen=True)
class Displays(PointByPoint):
    """The trial: applied is the injected current, each display has its own unit, an alarm's set point is read in current."""

    has_statistics = False

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Point by point every display; then every alarm."""
        return Plan(_plan(setup))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """The injected current, and what the display shows; at an alarm only the value at which it came."""
        i = setup.instrument
        near = 0.05 * (i.output_hi - i.output_lo)
        applied = Quantity(
            "applied",
            "Injected",
            i.output_unit,
            3,
            slot.nominal,
            slot.nominal - near,
            slot.nominal + near,
            0,
            hint="What the source really gives.",
            span=i.output_hi - i.output_lo,
        )
        d = _display(setup, slot)
        if d is None:
            low, high = i.output_lo - 0.4, i.output_hi + 2
            return (
                replace(applied, label="Set point in current", low=slot.nominal, high=slot.nominal),
                Quantity(
                    "indicated", "Came at", i.output_unit, 3, slot.nominal, low, high, near, hint="The injected current at that moment."
                ),
            )
        span = abs(d.high - d.low)
        low, high = min(d.low, d.high) - 0.125 * span, max(d.low, d.high) + 0.125 * span
        return (applied, Quantity("indicated", f"{d.name} shows", d.unit, decimals_for(span), slot.ideal, low, high, 0.1 * span, span=span))

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """The display against what the injected current stands for on it, in percent of the display's range."""
        i = setup.instrument
        span = i.output_hi - i.output_lo
        applied = parse_typed(reading.applied, name="The current", unit=i.output_unit).value
        d = _display(setup, slot)
        indicated = parse_typed(reading.indicated, name="The reading", unit=d.unit if d else i.output_unit).value
        if d is None:
            at = (slot.nominal - i.output_lo) / span
            return Point(slot.nominal, indicated, slot.nominal, at, 100 * at, 100 * (indicated - slot.nominal) / span, slot.direction, 1)
        fraction = (applied - i.output_lo) / span
        ideal = d.low + fraction * (d.high - d.low)
        return Point(applied, indicated, ideal, fraction, 100 * fraction, 100 * (indicated - ideal) / (d.high - d.low), UP, 1)

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error in the display's own unit."""
        error = point.indicated - point.ideal
        return ErrorInBases(point.error_percent, 100 * error / abs(point.ideal) if point.ideal else None, error, None)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The instrument's tolerance at the value that the current stands for."""
        i = setup.instrument
        return tolerance_of(setup, i.lrv + (applied - i.output_lo) / (i.output_hi - i.output_lo) * (i.urv - i.lrv))

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The current source and the display's resolution."""
        source = reading.references.get("applied")
        if source is None:
            return ()
        i = setup.instrument
        span = i.output_hi - i.output_lo
        b = Budget(setup, point.applied, reading, per_input=100 / span)
        b.source(source, at=point.applied, unit=i.output_unit, what="Current source")
        d = _display(setup, slot)
        unit = d.unit if d else i.output_unit
        width = abs(d.high - d.low) if d else span
        b.resolution(parse_typed(reading.indicated, name="The reading", unit=unit).resolution, width)
        b.settling({"applied": span, "indicated": width})
        return tuple(b.parts)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What kind of error each display has."""
        out: list[Signature] = []
        for d in displays_of(setup):
            mine = [j for j in judged if j.slot.channel == d.name]
            if len(mine) < 3:
                continue
            curve = Curve(
                tuple(j.point for j in mine), min(j.tolerance for j in mine), Transfer(), d.low, d.high, d.unit, has_movement=False
            )
            out += [replace(s, says=f"{d.name}: {s.says}") for s in find_signatures(curve)]
        return tuple(out)

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """The largest error of each display and alarm in its own unit, and what is to be done about it."""
        names = dict.fromkeys(j.slot.channel for j in outcome.judged)
        rows = []
        for name in names:
            worst = max((j for j in outcome.judged if j.slot.channel == name), key=lambda j: abs(j.point.error_percent))
            unit, decimals = _unit_of(setup, worst.slot)
            error = signed(worst.point.indicated - worst.point.ideal, decimals)
            at = f"{worst.slot.nominal:g} {setup.instrument.output_unit}"
            says = f"{error} {unit} ({worst.point.error_percent:+.2f} % of its range) at {at}, {worst.decision.verdict}"
            advice = _advice_for(setup, name, outcome) if worst.decision.verdict == FAIL else ""
            rows.append((name, f"{says}. {advice}" if advice else says))
        return tuple(rows)

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What the display should show; the set point of an alarm."""
        i, d = setup.instrument, _display(setup, slot)
        return d.low + (applied - i.output_lo) / (i.output_hi - i.output_lo) * (d.high - d.low) if d else slot.nominal

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """Applied is a current; each display has a line of its own."""
        return Columns(applied_unit=setup.instrument.output_unit, names_lines=True)


@dataclass(frozen=True)
class LoopAdvice:
    """What is wrong is put right in the loop, nothing is turned here."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """Leave, or correct the part of the loop that is off."""
        worst = outcome.worst
        if worst is None:
            return Proposal("repeat", "There are no readings to judge.")
        where = f"The largest error is {worst.point.error_percent:+.2f} % at {worst.slot.channel}, {100 * outcome.share:.0f} % of the tolerance."
        if outcome.verdict != FAIL:
            return Proposal("leave", f"{where} Every display and alarm agrees with what was injected.")
        bad = dict.fromkeys(j.slot.channel for j in outcome.judged if j.decision.verdict == FAIL)
        told = " ".join(f"{name}: {_advice_for(setup, name, outcome)}" for name in bad)
        return Proposal("repair", f"{where} {told} Then prove it.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """Nothing is refused."""
        return ""


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """What injects the current."""
    i = setup.instrument
    return (Need("applied", "Current source", unit=i.output_unit, low=i.output_lo, high=i.output_hi),)


def tur(setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
    """Smallest tolerance / U of the source over the points."""
    i = setup.instrument
    span = i.output_hi - i.output_lo
    slots = _plan(setup)
    widths = [max(1e-12, 100 * reference.expanded(s.nominal, unit=i.output_unit) / span) for s in slots]
    return least_ratio([TRIAL.tolerance_at(setup, s) for s in slots], widths)


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps; what is wrong is put right in the loop, nothing is turned here."""
    return _steps(setup, tuple(sorted(choices.items())))


def displays_of(setup: RunSetup) -> tuple[Display, ...]:
    """The displays on the way; the control system in the instrument's own range when none is named."""
    i = setup.instrument
    own = i.details.displays if isinstance(i.details, LoopCheckSettings) else ()
    return own or (Display("Control system", i.unit, i.lrv, i.urv),)


def _unit_of(setup: RunSetup, slot: Slot) -> tuple[str, int]:
    """The unit that a display shows, or an alarm comes at, with the decimals it is told with."""
    d = _display(setup, slot)
    i = setup.instrument
    return (d.unit, decimals_for(abs(d.high - d.low))) if d else (i.output_unit, 3)


# What is off in a display, by the kind of its error.
_SCALING = {
    "zero-shift": "It is off by the same everywhere: correct its lower scaling value.",
    "span-error": "Its error grows with the signal: correct its upper scaling value.",
    "range-mismatch": "It is scaled to another range: compare both its scaling values with the register.",
    "transfer-mismatch": "A square root is taken twice or not at all on the way to it.",
    "reversed": "It runs the other way: its scaling values are exchanged.",
    "saturation": "It is clipped: look at its limits.",
}


def _advice_for(setup: RunSetup, name: str, outcome: Outcome) -> str:
    """What is to be done about a display or an alarm that is outside."""
    mine = [j for j in outcome.judged if j.slot.channel == name]
    if mine and _display(setup, mine[0].slot) is None:
        unit, decimals = _unit_of(setup, mine[0].slot)
        came, wanted = (number(v, decimals) for v in (mine[0].point.indicated, mine[0].point.ideal))
        return f"It came at {came} {unit} instead of {wanted} {unit}: correct its set point."
    kind = next((s.code for s in outcome.signatures if s.says.startswith(f"{name}: ")), "")
    return _SCALING.get(kind, "Correct its scaling.")


def _display(setup: RunSetup, slot: Slot) -> Display | None:
    return next((d for d in displays_of(setup) if d.name == slot.channel), None)


@lru_cache(maxsize=256)
def _plan(setup: RunSetup) -> tuple[Slot, ...]:
    i = setup.instrument
    slots: list[Slot] = []
    for percent in setup.points_percent:
        ma = i.output_lo + percent / 100 * (i.output_hi - i.output_lo)
        for d in displays_of(setup):
            ideal = d.low + percent / 100 * (d.high - d.low)
            how = f"Inject {ma:g} {i.output_unit} and read '{d.name}'."
            slots.append(Slot(len(slots), 1, UP, percent, ma, ideal, how, channel=d.name))
    for a in alarms_of(setup):
        fraction = (a.set_point - i.lrv) / (i.urv - i.lrv)
        ma = i.output_lo + fraction * (i.output_hi - i.output_lo)
        way = "up" if a.rising else "down"
        how = f"Run the current slowly {way} through {number(ma, 3)} {i.output_unit} ({a.set_point:g} {i.unit}) until '{a.name}' comes."
        slots.append(Slot(len(slots), 1, UP if a.rising else DOWN, 100 * fraction, ma, ma, how, channel=f"Alarm {a.name}"))
    return tuple(slots)


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    end = (("repair", "Correct the cause, then prove"), ("replace", "Mark for replacement"))
    follow = {"repair": common.repair}
    found = Wording(
        "as_found",
        "judge",
        "as found",
        "judge",
        "As found",
        "Judge as found",
        INSTRUCTION,
        (("leave", "Leave as it is"), ("repeat", "Take the points again"), *end),
        follow,
    )
    left = Wording(
        "as_left", "judge_left", "as left", "as left", "As left", "Judge as left", INSTRUCTION, (("leave", "Accept as left"), *end), follow
    )
    spare = Step("adjust", "confirm", "adjust", "Correct the cause", "Scaling, wiring or set points put right.")
    return (
        common.identity(setup),
        common.references(Field("applied", "Current source", "reference", hint="It injects at the field end.")),
        common.environment(),
        common.loop_budget(setup),
        common.operator(setup),
        common.hold(),
        common.cautions(
            setup,
            "Alarms and trips on this loop will come: the operator must know each one before it comes.",
            checks=(
                Check("isolated", "Transmitter taken out of the loop, source wired in its place"),
                Check("told", "The operator expects the alarms that will come"),
                Check("safe", "The cautions above are met"),
            ),
        ),
        *found_to_left(found, left, dict(chosen), spare),
        *common.restore(
            setup,
            checks=(
                Check("source", "Source off, transmitter back in the loop, polarity right"),
                Check("alarms", "Latched alarms reset"),
                Check("covers", "Covers on, seals and locks back"),
            ),
            caution="Look at the reading before the hold comes off: the loop must carry the process again.",
        ),
    )


TRIAL = Displays()
METHOD = Method(
    key="loop-check",
    title="Loop check",
    revision="4",
    traits=Traits("transmitter", also=("tx-multipoint", "tx-configure"), applies_output=True),
    settings=LoopCheckSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=LoopAdvice(),
    watching=Still(TRIAL),
    hookup=current_source_hookup,
)
