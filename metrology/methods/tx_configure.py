"""tx-configure: a smart transmitter read, re-ranged, trimmed and compared; nothing counts until it has been read back."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from metrology.judgement.errors import UP, ErrorInBases, Point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.uncertainty import Component
from metrology.methods import common_steps as common
from metrology.methods.base import AdjustTarget, Proposal, Quantity, RawReading, SetResult, Slot
from metrology.methods.budget import Budget
from metrology.methods.common_steps import Wording, found_to_left
from metrology.methods.proposing import propose
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Check, Field, Step
from metrology.methods.tx_multipoint import ABOVE_SPAN, BELOW_SPAN, TxMultipoint
from metrology.quantities.typed import parse_typed

INSTRUCTION = "Put the output to each current by the loop test, let it stand still, read the meter, type it or capture it."
MOVES = "Sending moves the loop current: the hold must be on and control in manual."


class TxConfigure(TxMultipoint):
    """The method; its readings are the loop test, commanded current against the meter."""

    key = "tx-configure"
    title = "Smart transmitter: range, trim, damping"
    revision = "2"
    applies_output = True
    default_points = (0.0, 50.0, 100.0)

    def reference_roles(self, setup: RunSetup) -> tuple[tuple[str, str], ...]:
        """What measures the output; what tells the pressure when the range is set by it."""
        return (("indicated", "Output meter"), ("applied", "Input reference"))

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """Read, loop test, set, trim, read again."""
        return _steps(setup, tuple(sorted(choices.items())))

    def plan(self, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
        """The loop test's currents, rising."""
        return _plan(setup)

    def quantities(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
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

    def complete(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """Nothing is converted."""
        return texts

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
        return self.tolerance_of(setup, i.lrv + (applied - i.output_lo) / (i.output_hi - i.output_lo) * (i.urv - i.lrv))

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The commanded current itself."""
        return applied

    def propose(self, setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
        """The output stage is trimmed or left."""
        proposal = propose(setup, result, is_as_left=is_as_left)
        return Proposal("trim_output", proposal.reason) if proposal.choice in ("adjust", "trim_sensor") else proposal

    def refuse_choice(self, setup: RunSetup, result: SetResult, choice: str) -> str:
        """Nothing is refused here but what can't be adjusted."""
        return (
            ""
            if setup.instrument.is_adjustable or choice != "trim_output"
            else "This instrument cannot be adjusted. Choose another decision."
        )

    def adjust_targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """The ends of the output."""
        return super().adjust_targets(setup, "trim_output")

    def budget(
        self,
        setup: RunSetup,
        slot: Slot,
        point: Point,
        reading: RawReading,
        references: Mapping[str, ReferenceStandard],
        spread: tuple[float, int] | None,
    ) -> tuple[Component, ...]:
        """The meter, its resolution, settling; a commanded current has no uncertainty of its own."""
        meter = references.get("indicated")
        if meter is None:
            return ()
        i = setup.instrument
        b = Budget(setup, point.applied, reading)
        b.meter(meter, point.applied, i.output_unit, b.out_span)
        b.resolution(parse_typed(reading.indicated, name="The reading", unit=i.output_unit).resolution, b.out_span)
        b.settling({"indicated": b.out_span})
        b.repeatability(spread)
        return tuple(b.parts)

    def reference_tur(self, setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
        """Smallest tolerance / U over the loop test, or over the range for the input."""
        i = setup.instrument
        if role == "indicated":
            span = i.output_hi - i.output_lo
            return min(
                self.tolerance_at(setup, s) / max(1e-12, 100 * reference.expanded(s.nominal, unit=i.output_unit) / span)
                for s in self.plan(setup, "as_found")
            )
        return min(
            self.tolerance_of(setup, v) / max(1e-12, 100 * reference.expanded(v, unit=i.unit) / abs(i.urv - i.lrv)) for v in (i.lrv, i.urv)
        )


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
        common.hold(),
        common.cautions(
            setup,
            MOVES,
            *common.PRESSURE_CAUTIONS,
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
