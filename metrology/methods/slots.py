"""What a set of readings asks: its slots, the numbers of each, and a reading as it was taken."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, TypeVar, cast

from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.settling import Sample, SettleRule

T = TypeVar("T")

STREAM = "stream"  # of a slot's extra: the gas that flows, where several slots are read of the same
AT_ONCE = "at_once"  # of a slot's extra: its gas flows already, for the slot before it, so that it takes none of its own
INJECTION = "injection"  # of a slot's extra: which injection it is read of
CURVE, LEAK = "chromatogram", "leak"  # quantities: what a detector draws, what the leak test before an injection lost


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
    channel: str = ""  # the display, sensor, buffer or test that is read
    extra: Mapping[str, str] = field(default_factory=dict)  # what else the record keeps of the point, such as the weights hung
    is_open: bool = False  # what should be read is not known beforehand
    after_min: float = 0.0  # what must have passed since the reading before it, so that nothing of that is left


@dataclass(frozen=True)
class Plan:
    """The slots of a set so far. is_closed: no more will be added once these are taken; a plan may grow with what was read."""

    slots: tuple[Slot, ...]
    is_closed: bool = True


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
    begins_anew: bool = False  # a counter of the test: it must be seen to start again at each slot before it counts
    tells_apart: bool = False  # read live it must lie nearer to what this slot expects than to the slot before, such as in another buffer
    is_live_only: bool = False  # nobody types it; it counts when a source is chosen for it


@dataclass(frozen=True)
class RawReading:
    """A reading as taken, handed to a trial for judging.

    extra: digital value, cold junction, capture statistics. references: what stood for the truth when it was taken, by role.
    entered: what had been entered in the run's steps by then; None where the set is not yet stored and the setup tells.
    """

    slot: Slot
    applied: str
    indicated: str
    extra: Mapping[str, Any] = field(default_factory=dict)
    on: date | None = None
    references: Mapping[str, ReferenceStandard] = field(default_factory=dict)
    entered: tuple[tuple[str, str], ...] | None = None
    kept: dict[str, tuple[tuple[Any, ...], Any]] = field(default_factory=dict, compare=False, repr=False)

    @property
    def captured(self) -> Mapping[str, Any]:
        """The statistics of each quantity that was read live; empty of a typed reading."""
        told: Mapping[str, Any] | None = self.extra.get("captured")
        return told or {}

    def once(self, what: str, by: tuple[Any, ...], work: Callable[..., T]) -> T:
        """What is worked out of this reading by some things, kept until it is asked for by others: a set is judged anew with each reading."""
        held = self.kept.get(what)
        if held is not None and held[0] == by:
            return cast(T, held[1])
        made = work(*by)
        self.kept[what] = (by, made)
        return made


@dataclass(frozen=True)
class Watched:
    """Live samples of a slot, by quantity, from the moment the stimulus came. is_marked: that moment was told. before: what it showed just then."""

    samples: Mapping[str, Sequence[Sample]]
    rule: SettleRule
    since: float
    is_marked: bool
    until: float | None = None
    before: float | None = None
