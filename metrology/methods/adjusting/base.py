"""What adjusting is to the run engine: targets, progress, and what may be stored."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

from metrology.methods.setup import RunSetup

Passes = Sequence[tuple[str, str, str]]  # screw, before, after
REFUSALS = ("bad zero", "bad span", "no response", "unstable", "another fault")  # what an instrument says when it keeps its old calibration
ZERO, SPAN, FACTOR = "zero", "span", "factor"


@dataclass(frozen=True)
class AdjustTarget:
    """What is set, and where: what to apply (as a number in the instrument's unit, and in words), the value to reach and its aim.

    ideal, aim, low, high are in `unit`; span: what 100 % is in it; low and high: what is believed without asking.
    kind: zero, span or factor. keys: which keys of the instrument belong to it. role: of the standard it is set with.
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
    kind: str = ZERO
    keys: tuple[str, ...] = ()
    role: str = ""
    channel: str = ""
    label: str = ""
    barred: str = ""  # why it may not be set on what is at hand, as a sentence

    @property
    def words(self) -> str:
        """What it is called."""
        return self.label or self.screw


@dataclass(frozen=True)
class AdjustProgress:
    """How adjusting goes. next_screw is empty when there is nothing more to turn."""

    next_screw: str
    pass_number: int
    is_converged: bool
    is_stuck: bool
    says: str
    errors: tuple[tuple[str, float, float | None], ...] = field(default=())  # screw, before %, after %


class Adjusting(Protocol):
    """A way of adjusting."""

    @property
    def act(self) -> str:
        """What a person does: turn it, accept it."""
        ...

    @property
    def in_pairs(self) -> bool:
        """Whether zero and span make one pass together."""
        ...

    def targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """What is set, and where."""
        ...

    def progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """What to set next, given (screw, before, after) so far."""
        ...

    def admit(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """What else the record keeps of one adjustment, such as that it was forced; raises a Fault to refuse it."""
        ...


@dataclass(frozen=True)
class NotAdjusted:
    """Nothing is set."""

    act: str = "turn"
    in_pairs: bool = True

    def targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """None."""
        return ()

    def progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """Done."""
        return AdjustProgress("", 1, True, False, "There is nothing to adjust.")

    def admit(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """Nothing beyond before and after."""
        return {}


NO_ADJUSTING = NotAdjusted()
