"""tx-configure: a smart transmitter read, re-ranged, trimmed and compared; nothing counts until it has been read back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from metrology.judgement.causes.naming import find_signatures
from metrology.judgement.causes.rows import Curve as Shape
from metrology.judgement.errors import UP, ErrorInBases, Point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.adjusting.alternate import Alternate, ends_of_range
from metrology.methods.adjusting.base import AdjustTarget
from metrology.methods.advice.transmitter import propose
from metrology.methods.budget import Budget, Spread
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.fragments import LoopSettings, pressure_kind
from metrology.methods.method import Columns, Method, Traits
from metrology.methods.outcome import Judged, Outcome, Proposal
from metrology.methods.parameters import TRIMMED
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.curve import ABOVE_SPAN, BELOW_SPAN, output_need, tolerance_of
from metrology.methods.trials.points import PointByPoint, least_ratio
from metrology.methods.watching import Still
from metrology.quantities.typed import parse_typed

INSTRUCTION = "Put the output to each current by the loop test, let it stand still, read the meter, type it or capture it."
MOVES = "Sending moves the loop current: the hold must be on and control in manual."


@dataclass(frozen=True)
class LoopTest(PointByPoint):
    """The loop test: the current commanded against the meter."""

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The loop test's currents, rising."""
        return Plan(_plan(setup))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """The current commanded, and what the meter reads."""
        i = setup.instrument
        span = i.output_hi - i.output_lo
        low, high = i.output_lo - BELOW_SPAN * span, i.output_hi + ABOVE_SPAN * span
        hint = "What the loop test was told to give."
        return (
            Quantity(
                "applied", "Commanded", i.output_unit, 3, slot.nominal, slot.nominal - 0.01, slot.nominal + 0.01, 0, hint=hint, span=span
            ),
            Quantity("indicated", "Reading", i.output_unit, 3, slot.nominal, low, high, 0.1 * span, span=span),
        )

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """Measured against commanded current."""
        i = setup.instrument
        span = i.output_hi - i.output_lo
        applied = parse_typed(reading.applied, name="The commanded current", unit=i.output_unit).value
        indicated = parse_typed(reading.indicated, name="The reading", unit=i.output_unit).value
        fraction = (applied - i.output_lo) / span
        return Point(applied, indicated, applied, fraction, 100 * fraction, 100 * (indicated - applied) / span, UP, slot.cycle)

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error in the instrument's unit."""
        i = setup.instrument
        return ErrorInBases(point.error_percent, None, point.error_percent / 100 * (i.urv - i.lrv), None)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The instrument's tolerance at the value the current stands for."""
        i = setup.instrument
        return tolerance_of(setup, i.lrv + (applied - i.output_lo) / (i.output_hi - i.output_lo) * (i.urv - i.lrv))

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The commanded current itself."""
        return applied

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """Applied is a current."""
        return Columns(applied_unit=setup.instrument.output_unit)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What kind of error the output has."""
        i = setup.instrument
        tolerance = min((j.tolerance for j in judged), default=1.0)
        return find_signatures(Shape(tuple(j.point for j in judged), tolerance, i.transfer, i.lrv, i.urv, i.unit, has_movement=False))

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The meter, its resolution, settling; a commanded current has no uncertainty of its own."""
        meter = reading.references.get("indicated")
        if meter is None:
            return ()
        i = setup.instrument
        b = Budget(setup, point.applied, reading)
        b.meter(meter, point.applied, i.output_unit, b.out_span)
        b.read_on(meter, i.output_unit, b.out_span, typed=parse_typed(reading.indicated, name="The reading", unit=i.output_unit).resolution)
        b.settling({"indicated": b.out_span})
        b.repeatability(spread)
        return tuple(b.parts)


@dataclass(frozen=True)
class OutputAdvice:
    """The output stage is trimmed or left."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """As of a curve, with the output's own trim."""
        proposal = propose(setup, outcome, is_as_left=is_as_left)
        return Proposal("trim_output", proposal.reason) if proposal.choice in ("adjust", "trim_sensor") else proposal

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """Nothing is refused here but what can't be adjusted."""
        can = setup.instrument.is_adjustable or choice != "trim_output"
        return "" if can else "This instrument cannot be adjusted. Choose another decision."


def targets(setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
    """The ends of the output."""
    return ends_of_range(setup, "trim_output")


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """What measures the output; what tells the pressure when the range is set by it."""
    i = setup.instrument
    ends = [i.lrv + p / 100.0 * (i.urv - i.lrv) for p in (setup.points_percent[0], setup.points_percent[-1])]
    return (output_need(setup), Need("applied", "Input reference", unit=i.unit, low=min(ends), high=max(ends), is_required=False))


def tur(setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
    """Smallest tolerance / U over the loop test, or over the range for the input."""
    i = setup.instrument
    if role == "indicated":
        span = i.output_hi - i.output_lo
        slots = _plan(setup)
        widths = [max(1e-12, 100 * reference.expanded(s.nominal, unit=i.output_unit) / span) for s in slots]
        return least_ratio([TRIAL.tolerance_at(setup, s) for s in slots], widths)
    return min(tolerance_of(setup, v) / max(1e-12, 100 * reference.expanded(v, unit=i.unit) / abs(i.urv - i.lrv)) for v in (i.lrv, i.urv))


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """Read, loop test, set, trim, read again."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _plan(setup: RunSetup) -> tuple[Slot, ...]:
    i = setup.instrument
    slots: list[Slot] = []
    for cycle in range(1, setup.cycles + 1):
        for percent in setup.points_percent:
            ma = i.output_lo + percent / 100 * (i.output_hi - i.output_lo)
            slots.append(Slot(len(slots), cycle, UP, percent, ma, ma, f"Loop test at {ma:g} {i.output_unit}."))
    return tuple(slots)


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    end = (("repair", "Correct the cause, then prove"), ("replace", "Mark for replacement"))
    follow = {
        "trim_output": lambda n: common.adjust(
            n,
            title="Trim the output",
            instruction="Put the output to its low end, then to its high end, in turn. Type what the meter reads before and after.",
            caution=MOVES,
            variant="trim_output",
        ),
        "repair": common.repair,
    }
    found = Wording(
        "as_found",
        "judge",
        "as found",
        "judge",
        "Loop test, as found",
        "Judge the output",
        INSTRUCTION,
        (("leave", "Leave the output as it is"), ("trim_output", "Trim the output"), ("repeat", "Take the points again"), *end),
        follow,
    )
    left = Wording(
        "as_left",
        "judge_left",
        "as left",
        "as left",
        "Loop test, as left",
        "Judge the output as left",
        INSTRUCTION,
        (("leave", "Accept as left"), ("trim_output", "Trim the output again"), *end),
        follow,
    )
    spare = Step("adjust", "adjust", "adjust", "Trim the output", "Low end, then high end, until neither disturbs the other.")
    middle = found_to_left(found, left, dict(chosen), spare)
    if dict(setup.entered).get(TRIMMED):  # as found no longer stands as as left
        middle = [replace(s, if_needed=False, left_out="") if s.phase == "as left" else s for s in middle]
    at = next(n for n, s in enumerate(middle) if s.phase == "adjust")
    return (
        common.identity(setup),
        common.references(
            Field("indicated", "Output meter", "reference", hint="It reads the loop current."),
            Field(
                "applied", "Input reference", "reference", required=False, hint="Only where the range or a trim is set by live pressure."
            ),
        ),
        common.environment(),
        common.loop_budget(setup),
        common.operator(setup),
        common.hold(may_be_out=True),
        common.cautions(
            setup,
            MOVES,
            *common.PRESSURE_CAUTIONS.get(pressure_kind(setup), ()),
            checks=(
                Check("manual", "Control in manual; the operator knows the signal will jump"),
                Check("safe", "The cautions above are met"),
                Check("untouched", "Nothing sent yet: the parameter set before comes first"),
            ),
        ),
        _compare(
            "read_device",
            "as found",
            "Read the device",
            "Read everything it holds, or type what the communicator shows. This set is the evidence of how it was.",
            "read",
        ),
        *middle[:at],
        _compare(
            "configure",
            "adjust",
            "Set range, damping, trims",
            "Edits are pending until they are sent. After sending, read back: a sent value counts when the device shows it. "
            "Re-ranging is not calibrating; a trim is.",
            "edit",
        ),
        *middle[at:],
        _compare(
            "read_after",
            "as left",
            "Read the device again",
            "Read everything once more: this set is the record of how it is left.",
            "after",
        ),
        *common.restore(
            setup,
            checks=(
                Check("loop_test", "Loop test ended: the output follows the process again"),
                Check("write_lock", "Write protection as it was, communicator disconnected"),
                Check("test_gear", "Test gear and leads off; wires back on their terminals"),
                Check("range", "Control system and register carry the same range as the device"),
                Check("covers", "Covers on, seals and locks back"),
            ),
        ),
    )


def _compare(key: str, phase: str, title: str, instruction: str, variant: str) -> Step:
    cautions = (MOVES,) if variant == "edit" else ()
    label = {"read": "Keep it as the set before", "edit": "Set and proved", "after": "Keep it as the set after"}[variant]
    return Step(key, "compare", phase, title, instruction, cautions=cautions, variant=variant, confirm_label=label)


TRIAL = LoopTest()
METHOD = Method(
    key="tx-configure",
    title="Smart transmitter: range, trim, damping",
    revision="4",
    traits=Traits(
        "transmitter",
        also=("tx-multipoint", "loop-check"),
        default_points=(0.0, 50.0, 100.0),
        applies_output=True,
        calibrates=False,
        document="Record of configuration",
    ),
    settings=LoopSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=OutputAdvice(),
    watching=Still(TRIAL),
    adjusting=Alternate(targets),
)
