"""What every method offers to the run engine, and the plain results it gives."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Protocol

from metrology.judgement.decision import FAIL, MARGINAL, PASS, Decision
from metrology.judgement.errors import ErrorInBases, Point, Statistics
from metrology.judgement.exposure import Exposure
from metrology.judgement.gas_kit import GasNeed
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.settling import Sample, SettleRule
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component, Uncertainty
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Step


@dataclass(frozen=True)
class Slot:
    """One reading to be taken: where, in which direction, and what to expect (numbers in engineering and output units)."""

    index: int
    cycle: int
    direction: str
    percent: float
    nominal: float
    ideal: float
    how: str
    channel: str = ""  # loop check: the display that is read
    extra: Mapping[str, str] = field(default_factory=dict)  # what else the record keeps of the point, such as the weights hung


@dataclass(frozen=True)
class Quantity:
    """One number of a reading: what is asked, what is expected, and what is believed without asking (low to high)."""

    name: str
    label: str
    unit: str
    decimals: int
    expected: float
    low: float
    high: float
    near: float  # how close a proposed correction of a slip must come to what is expected
    required: bool = True
    hint: str = ""
    span: float = 0.0  # what 100 % is in this unit; limits of settling are shares of it
    doubt: str = ""  # what a number outside low to high means, where there is more to say than that it is unlikely
    is_live_only: bool = False  # nobody types it; it counts when a source is chosen for it


@dataclass(frozen=True)
class RawReading:
    """A reading as taken, handed to a method for judging. extra: digital value, cold junction, capture statistics."""

    slot: int
    applied: str
    indicated: str
    extra: Mapping[str, Any] = field(default_factory=dict)
    on: date | None = None


@dataclass(frozen=True)
class Judged:
    """One reading judged: its point, error on four bases, tolerance and U in % of output span, and the decision."""

    slot: Slot
    point: Point
    error: ErrorInBases
    tolerance: float
    uncertainty: Uncertainty | None
    components: tuple[Component, ...]
    decision: Decision
    sensor_percent: float | None = None  # applied to digital value, % of output span
    output_percent: float | None = None  # digital value to output, % of output span


@dataclass(frozen=True)
class SetResult:
    """A set of readings judged. share: largest |error| as a fraction of its tolerance."""

    judged: tuple[Judged, ...]
    statistics: Statistics | None
    signatures: tuple[Signature, ...]
    is_complete: bool

    @property
    def verdict(self) -> str:
        """The worst verdict of the set; pass for an empty one must not be asked for."""
        verdicts = {j.decision.verdict for j in self.judged}
        return FAIL if FAIL in verdicts else MARGINAL if MARGINAL in verdicts else PASS

    @property
    def worst(self) -> Judged | None:
        """The reading that uses most of its tolerance."""
        return max(self.judged, key=lambda j: abs(j.point.error_percent) / j.tolerance, default=None)

    @property
    def share(self) -> float:
        """Largest |error| / tolerance of the set, 0 for an empty one."""
        return abs(self.worst.point.error_percent) / self.worst.tolerance if self.worst else 0.0


@dataclass(frozen=True)
class Proposal:
    """What the method would do, and why."""

    choice: str
    reason: str


@dataclass(frozen=True)
class AdjustTarget:
    """Where a screw is set: what to apply (as a number in the instrument's unit, and in words), the value to reach and its aim.

    ideal, aim, low, high are in `unit`; span: what 100 % is in it; low and high: what is believed without asking.
    """

    screw: str
    nominal: float
    apply: str
    ideal: float
    aim: float
    unit: str
    span: float
    low: float
    high: float


@dataclass(frozen=True)
class AdjustProgress:
    """How adjusting goes. next_screw is empty when there is nothing more to turn."""

    next_screw: str
    pass_number: int
    is_converged: bool
    is_stuck: bool
    says: str
    errors: tuple[tuple[str, float, float | None], ...] = field(default=())  # screw, before %, after %


@dataclass(frozen=True)
class Watched:
    """Live samples of a slot, by quantity, from the moment the stimulus came. is_marked: that moment was told."""

    samples: Mapping[str, Sequence[Sample]]
    rule: SettleRule
    since: float
    is_marked: bool
    until: float | None = None


class Method(Protocol):
    """The seam between the run engine and a kind of instrument."""

    key: str
    title: str
    revision: str
    default_points: tuple[float, ...]
    applies_output: bool  # what is applied is in the unit of the output: an injected or commanded current
    informative_roles: tuple[str, ...]  # references whose TUR is shown and not demanded
    patience: float  # how many times longer than the policy's limit a signal may take to settle

    def reference_roles(self, setup: RunSetup) -> tuple[tuple[str, str], ...]:
        """The references the run needs, (role, label)."""
        ...

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps of the run as the choices made so far shape it."""
        ...

    def plan(self, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
        """The readings of one set, in order."""
        ...

    def quantities(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """The numbers asked for at a slot: applied and indicated, and what the method wants beside them."""
        ...

    def complete(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """What a reading's texts become on the record: a simulated signal turned into what it stands for."""
        ...

    def tolerance_at(self, setup: RunSetup, slot: Slot) -> float:
        """Tolerance at a slot in % of output span."""
        ...

    def evaluate(
        self, setup: RunSetup, readings: Sequence[RawReading], references: Mapping[str, ReferenceStandard], set_key: str
    ) -> SetResult:
        """Judge a set of readings."""
        ...

    def refuse_choice(self, setup: RunSetup, result: SetResult, choice: str) -> str:
        """Why a choice can't be taken after this set, as a sentence; empty when it can."""
        ...

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], result: SetResult) -> tuple[tuple[str, str], ...]:
        """What else the set tells, as (name, value) texts for screen and record."""
        ...

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What should have been read at an applied value, in the unit of what is read."""
        ...

    def suggestions(self, setup: RunSetup, readings: Sequence[RawReading], step_key: str) -> Mapping[str, str]:
        """Values proposed for the fields of a step, from the as-found readings."""
        ...

    def propose(self, setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
        """The proposed decision after a set."""
        ...

    def adjust_targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """The screws and where they are set."""
        ...

    def adjust_progress(self, setup: RunSetup, passes: Sequence[tuple[str, str, str]], variant: str) -> AdjustProgress:
        """What to turn next, given (screw, before, after) so far."""
        ...

    def admit_adjust(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """What else the record keeps of one adjustment, such as that it was forced; raises a Fault to refuse it."""
        ...

    def gas_needs(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """The gases the run needs, one a role."""
        ...

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """When a live quantity counts as settled at a slot."""
        ...

    def watch(self, setup: RunSetup, slot: Slot, watched: Watched) -> Exposure | None:
        """What an exposure came to so far; None where nothing is exposed."""
        ...

    def source_channel(self, quantity: str, channel: str) -> str:
        """Under which channel the live source of a quantity is kept: empty where all channels share one."""
        ...

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """What can be read live at a condition step; None where it is typed."""
        ...

    def required_range(self, setup: RunSetup, role: str) -> tuple[float, float, str]:
        """Low, high and unit a reference in `role` must cover."""
        ...

    def reference_tur(self, setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
        """Smallest tolerance-to-uncertainty ratio of a reference over the points."""
        ...
