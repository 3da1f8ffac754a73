"""What every method offers to the run engine, and the plain results it gives."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from metrology.judgement.decision import FAIL, MARGINAL, PASS, Decision
from metrology.judgement.errors import ErrorInBases, Point, Statistics
from metrology.judgement.reference import ReferenceStandard
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


@dataclass(frozen=True)
class RawReading:
    """A reading as typed, handed to a method for judging."""

    slot: int
    applied: str
    indicated: str


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
    """Where a screw is set: the input to apply and the output to reach, with the aim in output units."""

    screw: str
    nominal: float
    ideal: float
    aim: float


@dataclass(frozen=True)
class AdjustProgress:
    """How adjusting goes. next_screw is empty when there is nothing more to turn."""

    next_screw: str
    pass_number: int
    is_converged: bool
    is_stuck: bool
    says: str
    errors: tuple[tuple[str, float, float | None], ...] = field(default=())  # screw, before %, after %


class Method(Protocol):
    """The seam between the run engine and a kind of instrument."""

    key: str
    title: str
    revision: str
    reference_roles: tuple[tuple[str, str], ...]

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps of the run as the choices made so far shape it."""
        ...

    def plan(self, setup: RunSetup) -> tuple[Slot, ...]:
        """The readings of one set, in order."""
        ...

    def evaluate(self, setup: RunSetup, readings: Sequence[RawReading], references: Mapping[str, ReferenceStandard]) -> SetResult:
        """Judge a set of readings."""
        ...

    def propose(self, setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
        """The proposed decision after a set."""
        ...

    def adjust_targets(self, setup: RunSetup) -> tuple[AdjustTarget, ...]:
        """The screws and where they are set."""
        ...

    def adjust_progress(self, setup: RunSetup, passes: Sequence[tuple[str, str, str]]) -> AdjustProgress:
        """What to turn next, given (screw, before, after) so far."""
        ...

    def required_range(self, setup: RunSetup, role: str) -> tuple[float, float, str]:
        """Low, high and unit a reference in `role` must cover."""
        ...

    def reference_tur(self, setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
        """Smallest tolerance-to-uncertainty ratio of a reference over the points."""
        ...
