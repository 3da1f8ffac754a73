"""What a method is: a value made of parts. The run engine knows these parts and no method by name."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, Protocol

from metrology.judgement.exposure import Exposure
from metrology.judgement.settling import Sample, SettleRule
from metrology.methods.adjusting.base import NO_ADJUSTING, Adjusting
from metrology.methods.hookup import Hookup, no_hookup
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.proof_test import with_proof_test
from metrology.methods.settings import Settings
from metrology.methods.setup import INSTRUMENT, RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot, Watched
from metrology.methods.standards.base import Standards
from metrology.methods.steps import Step


@dataclass(frozen=True)
class Columns:
    """How a trial's readings are told: the same words on screen, in the CSV and on the certificate.

    place: what the place of a reading is called; applied, ideal, read: what was put on (empty: nothing is), what should and what did come of it
    (ideal empty: it is what was put on); error: what an error is, with what it is of
    (empty: what is read is the error). unit, per_percent, decimals: errors are judged in % of
    span and told in `unit`, so many of it a percent. by_criteria: readings are told and only what they come to is judged. has_plot: whether
    errors of one set can be drawn on one scale. x, y: the words of the plot's axes. has_direction: whether readings are taken upwards and downwards.
    errors_as_read: errors are told in the unit of what is read, row by row.
    names_lines: whether each channel has a line of its own in the plot, with its name.
    has_share: whether the share of span stands beside an error told in a unit.
    by_percent: whether a place is told as a share of the range, otherwise by its channel; ticks_by_value: whether the plot tells values of the range.
    """

    place: str = "Point"
    applied: str = "Applied"
    applied_unit: str = ""
    ideal: str = "Ideal"
    read: str = "Read"
    error: str = "Error, % span"
    unit: str = "%"
    per_percent: float = 1.0
    decimals: int | None = None
    has_direction: bool = True
    by_percent: bool = True
    ticks_by_value: bool = False
    errors_as_read: bool = False
    names_lines: bool = False
    has_share: bool = False
    by_criteria: bool = False
    has_plot: bool = True
    x: str = "input, % of span"
    y: str = "error, % of span"
    csv_error: str = "error (% of span)"


class Trial(Protocol):
    """A kind of set of readings: what is asked at each slot, what is kept, and what the set comes to."""

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The slots of one set, in order, given what has been taken of it; it may grow."""
        ...

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """The numbers asked for at a slot: applied and indicated, and what the method wants beside them."""
        ...

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """What a reading's texts become on the record: a simulated signal turned into what it stands for."""
        ...

    def tolerance_at(self, setup: RunSetup, slot: Slot) -> float:
        """Tolerance at a slot in % of output span."""
        ...

    def judge(self, setup: RunSetup, readings: Sequence[RawReading], set_key: str) -> Outcome:
        """What a set of readings comes to."""
        ...

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What should have been read at an applied value, in the unit of what is read."""
        ...

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """Values proposed for the fields of a step, from the as-found readings."""
        ...

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """How the readings of a set are told."""
        ...


class Advice(Protocol):
    """What is proposed after a set, and what may not be chosen."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision after a set."""
        ...

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """Why a choice can't be taken after this set, as a sentence; empty when it can."""
        ...


class Watching(Protocol):
    """How what is read live is watched: when it counts as settled, which source serves which channel."""

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

    def is_step(self, slot: Slot) -> bool:
        """Whether the output is to rise to a new level at a slot, so that its T90 means something."""
        ...

    def dwell_s(self, setup: RunSetup) -> float:
        """How long a point soaks after it has settled, s."""
        ...

    def course(self, setup: RunSetup, step: Step, slot: Slot, samples: Sequence[Sample]) -> str:
        """What the course of a reading, or of a watched condition, says of its end, in words; empty where that is not told."""
        ...

    def interrupted(self, setup: RunSetup, slot: Slot, samples: Mapping[str, Sequence[Sample]]) -> tuple[tuple[float, str], ...]:
        """Moments at which what is watched at a slot had to begin anew, with why, oldest first: an automatic zero, a flow that fell."""
        ...


PLAIN_RISK = "The plant runs without this signal."


@dataclass(frozen=True)
class Traits:
    """What engine, register, planning and screens need to know of a method without knowing it by name.

    guards: people rely on it to be warned, so that leaving it outside its limits takes something that stands in.
    family: of the register; also: methods offered beside it on one instrument. has_points: test points may be chosen.
    measures: quantities that the unit of its range may be of, "" among them where there are units of no known quantity; any where empty.
    skills: qualifications its work takes. excludes_group: two of one voting group or zone are not put on hold together.
    unguarded: what is so while the instrument is on hold. policies: groups of policies that count, beside the general ones.
    wears: protection to be worn. standards: kinds of kit it takes. in_batches: several may be captured together over shared stimuli.
    calibrates: a finished run is the instrument's calibration, which moves its due date. is_check: it is a function check between calibrations,
    with an interval of its own. subject: what it is about, an instrument of the plant or an item of the kit (`setup.KIT`), of which
    `kinds`.
    """

    family: str
    also: tuple[str, ...] = ()
    is_usual: bool = False  # the method an instrument of its family has where nothing else is said
    default_points: tuple[float, ...] = (0.0, 25.0, 50.0, 75.0, 100.0)
    has_points: bool = True
    measures: tuple[str, ...] = ()
    applies_output: bool = False  # what is applied is in the unit of the output: an injected or commanded current
    skills: frozenset[str] = frozenset()
    excludes_group: bool = False
    guards: bool = False
    unguarded: str = PLAIN_RISK
    policies: tuple[str, ...] = ("curve",)
    wears: tuple[str, ...] = ()
    in_batches: bool = False
    follows_life: bool = False  # a sensor whose signal is followed to its end
    paired_adjusting: bool = True
    calibrates: bool = True
    is_check: bool = False
    subject: str = INSTRUMENT
    kinds: tuple[str, ...] = ()
    document: str = "Calibration certificate"  # how its printed record is headed


def _plain_words(setup: RunSetup) -> tuple[str, str]:
    i = setup.instrument
    return f"{i.output_lo:g} to {i.output_hi:g} {i.output_unit}", i.tolerance_text


def _nothing_wrong(_settings: Settings, _register: Mapping[str, Any]) -> None:
    return None


def _one_and_a_half(_setup: RunSetup, _slot: Slot) -> float:
    return 1.5


def _no_uses(_setup: RunSetup, _kind: str, _captured: Mapping[str, Any] | None) -> Use | None:
    return None


def _no_results(_setup: RunSetup, _reading: RawReading, _context: ResultContext) -> Mapping[str, Any] | None:
    return None


@dataclass(frozen=True)
class Use:
    """How much of a kit item a run took: litres of a bottle, portions of a buffer."""

    item: str
    kind: str
    amount: float
    unit: str


@dataclass(frozen=True)
class ResultContext:
    """What a reading's result is set in: the phase of its set, and which life of a worn part it belongs to."""

    phase: str
    life: str
    on: date | None


@dataclass(frozen=True)
class Vouched:
    """What a calibration vouches for of one component of a sample: U = u_percent of it and u_absolute (k = 2), added in squares; up to top.

    factor: signal a unit, 0 where none is known.
    """

    name: str
    unit: str
    top: float
    u_percent: float
    u_absolute: float
    factor: float = 0.0


class ChromatogramRead(Protocol):
    """A chromatogram turned into readings: by channel what is entered, the peaks in their order, and the curve with its baseline."""

    @property
    def values(self) -> Mapping[str, Mapping[str, str]]:
        """What is entered at each slot, by channel."""
        ...

    @property
    def peaks(self) -> tuple[Mapping[str, Any], ...]:
        """The peaks."""
        ...

    @property
    def times(self) -> tuple[float, ...]:
        """Times of the curve, s."""
        ...

    @property
    def signal(self) -> tuple[float, ...]:
        """The curve."""
        ...

    @property
    def baseline(self) -> tuple[float, ...]:
        """What it stands on."""
        ...

    @property
    def pair(self) -> tuple[str, str, str]:
        """The two components that come closest, and how far apart they came, in words; empty texts where there are none."""
        ...


Window = tuple[str, float, float]  # a component, and from when to when it should come out, s


@dataclass(frozen=True)
class Chromatography:
    """How a curve becomes the readings of an injection (of a set, from times and signal), and where its components should come out."""

    read: Callable[[RunSetup, str, Sequence[float], Sequence[float]], ChromatogramRead]
    windows: Callable[[RunSetup], Sequence[Window]]


Vouch = Callable[[RunSetup, Sequence[RawReading], Sequence[RawReading]], tuple[Vouched, ...]]


@dataclass(frozen=True)
class Method:
    """A rule-bound way round the loop for one kind of instrument, as a value made of parts.

    words: output and tolerance as the record tells them. check: what of a register entry can't be right for it (raises a Fault).
    minutes: of one reading. uses: what one reading or adjustment takes of the item that is on. exposed: a reading as a result that is
    followed from run to run. chromatography: where readings come of curves; vouch: what samples rest on, by standard and blank.
    """

    key: str
    title: str
    revision: str
    traits: Traits
    settings: type[Settings]
    flow: Callable[[RunSetup, Mapping[str, str]], tuple[Step, ...]]
    trial: Trial
    standards: Standards
    advice: Advice
    watching: Watching
    adjusting: Adjusting = NO_ADJUSTING
    words: Callable[[RunSetup], tuple[str, str]] = _plain_words
    check: Callable[[Any, Mapping[str, Any]], None] = _nothing_wrong
    minutes: Callable[[RunSetup, Slot], float] = _one_and_a_half
    uses: Callable[[RunSetup, str, Mapping[str, Any] | None], Use | None] = _no_uses
    exposed: Callable[[RunSetup, RawReading, ResultContext], Mapping[str, Any] | None] = _no_results
    chromatography: Chromatography | None = None
    vouch: Vouch | None = None
    hookup: Callable[[RunSetup], Hookup | None] = no_hookup  # what is connected to what while it is read
    names: Mapping[str, str] = field(default_factory=dict)  # choices in words, where a record quotes them
    leaves: Mapping[str, str] = field(default_factory=dict)  # choice to the state in which an item of the kit is left by it
    undone: frozenset[str] = frozenset()  # choices with which the work was not done to its end: the due date does not move

    @property
    def takes_or_follows(self) -> bool:
        """Whether its readings take something of the kit, or are results that are followed one by one."""
        return self.uses is not _no_uses or self.exposed is not _no_results

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps of the run as the choices made so far shape it."""
        return with_proof_test(self.flow(setup, choices), setup)

    def plan(self, setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
        """The slots of a set before anything was taken."""
        return self.trial.plan(setup, set_key).slots
