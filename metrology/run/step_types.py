"""The shape of the current step and of those asked for beside it, by their kinds."""

from __future__ import annotations

from typing import TypedDict

from metrology.run.chromatogram_types import ChromatogramStep
from metrology.run.hookups import HookupData


class Option(TypedDict):
    """A choice."""

    value: str
    label: str


class FieldData(TypedDict):
    """Something asked for in a step."""

    name: str
    label: str
    kind: str
    unit: str
    required: bool
    hint: str
    options: list[Option]
    suggested: str
    usual: str  # what is found where nothing is wrong, offered filled in
    beside: list[str]  # what is known of it, one text for each heading of its step
    read: str  # what the instrument told of it, filled in


class CheckData(TypedDict):
    """A line of a checklist."""

    key: str
    label: str


class QuantityData(TypedDict):
    """A number of the reading to take: what is asked and what is expected."""

    name: str
    label: str
    unit: str
    source_channel: str  # under which channel its live source is kept
    expected: str
    hint: str
    required: bool
    is_live_only: bool
    counts_up: bool  # a counter of the test, shown as it runs
    believable: str


class PointData(TypedDict):
    """A point as it is asked for: what to apply there, how to come to it, and what should be read."""

    slot: int
    number: int
    direction: str
    direction_word: str  # empty where the readings have no direction
    cycle: int
    percent: str
    nominal: str  # empty, as is ideal, where it is not known beforehand
    ideal: str
    how: str
    channel: str
    quantities: list[QuantityData]


class NextReading(PointData):
    """The reading to take next and what to expect.

    ahead: how many points from this one on, in a row, ask for one number each and wait for nothing: so many may be entered before they are asked for.
    coming: those of them after this one, so that each is shown before it is entered.
    """

    ahead: int
    coming: list[PointData]
    ready_at: str  # when it may be read at the earliest, empty where it need not wait


class LiveQuantity(TypedDict):
    """A quantity of a set that may have a live source, under its channel."""

    name: str
    unit: str
    channel: str


class ReadingsStep(TypedDict):
    """What a readings step shows."""

    total: int
    taken: int
    output_unit: str
    unit: str
    next: NextReading | None
    read_live: list[LiveQuantity]  # of the whole set
    hookup: HookupData | None
    chromatogram: ChromatogramStep | None


class JudgeStep(TypedDict):
    """What a judge step proposes."""

    proposal: str
    reason: str
    reasons: dict[str, str]  # by choice, what the reason for it is called; a choice that needs none is not in it
    verdict: str
    share: str  # how much of what is allowed the worst of it uses


class AdjustTargetData(TypedDict):
    """Where to set the screw that is next."""

    apply: str
    ideal: str
    aim: str


class PassData(TypedDict):
    """One look at a screw: errors before and after in percent of span and what was read; scale is the largest of all, for drawing."""

    pass_number: int
    screw: str
    before: float
    after: float | None
    before_read: str
    after_read: str
    unit: str
    before_text: str
    after_text: str
    scale: float


class TrimOffered(TypedDict):
    """Something a smart transmitter can be told while it is adjusted; value: its number, empty where it is what was measured, or none."""

    act: str
    label: str
    unit: str
    warns: str
    value: str


class AdjustStep(TypedDict):
    """What an adjust step shows."""

    screw: str
    label: str  # what it is called
    act: str  # what is done with it: turn, accept
    keys: list[str]  # keys of the instrument that belong to it
    can_refuse: bool  # the instrument may refuse, and keep its old calibration
    refusals: list[str]  # in what words it says so
    variant: str
    pass_number: int
    is_converged: bool
    is_stuck: bool
    says: str
    output_unit: str
    max_passes: int
    target: AdjustTargetData | None
    acts: list[TrimOffered]
    passes: list[PassData]
    aim_percent: float


class ComputeData(TypedDict):
    """What a compute step shows: its fields' first values, and the result with them as rows and sentences."""

    calculator: str
    values: dict[str, str]
    rows: list[list[str]]
    head: list[str]
    says: str
    failed: str


class ParameterData(TypedDict):
    """One parameter: what the device holds, what is pending, what the set before and after say; texts ready to show."""

    name: str
    label: str
    kind: str
    unit: str
    is_settable: bool
    options: list[Option]
    before: str
    device: str
    pending: str
    after: str
    differs: bool


class ActOffered(TypedDict):
    """Something that can be done to the device at once. unit: of the value it asks, empty where it asks none; warns: what is asked once before it."""

    act: str
    label: str
    unit: str
    warns: str


class CompareData(TypedDict):
    """What a compare step shows. state: not read, read, pending, sent, proved, different."""

    variant: str
    state: str
    says: str
    rows: list[ParameterData]
    differences: list[str]
    register: list[str]  # where the device is not as the register has it
    source: str
    acts: list[ActOffered]


class CountStepData(TypedDict):
    """Something counted off one by one. told: what stood before the first and after each so far; last: what will stand after the last."""

    done: int
    total: int
    told: list[str]
    last: str


class ClockStepData(TypedDict):
    """A clock from one press to the next. target_s: what it should stay under."""

    started_at: str | None
    target_s: float


class UnheldData(TypedDict):
    """A kind of hold that holds nothing, with what is asked for its reason and its button."""

    kind: str
    asks: str
    label: str


class PairData(TypedDict):
    """Something moved for a test, with where it stands now."""

    key: str
    label: str
    normal: str
    test: str
    is_out: bool
    can_go_out: bool
    by: str
    has_terminal: bool
    terminal: str


class StepData(TypedDict):
    """The current step."""

    key: str
    kind: str
    phase: str
    title: str
    instruction: str
    cautions: list[str]
    confirm_label: str
    minutes: float
    fields: list[FieldData]
    checks: list[CheckData]
    options: list[Option]
    readings: ReadingsStep | None
    judge: JudgeStep | None
    adjust: AdjustStep | None
    compute: ComputeData | None
    compare: CompareData | None
    count: CountStepData | None
    clock: ClockStepData | None
    pairs: list[PairData]
    watches: str  # the quantity that can be read live at a condition; empty where it is typed
    watches_channel: str
    watches_unit: str
    panels: list[str]  # what is shown beside it: gas, keys, exposure
    keys: list[str]  # keys of the instrument that belong to it
    variant: str  # what kind of its kind it is, such as a purge among the conditions
    needs_timer: str  # the timer that must have run before it
    usual: dict[str, str]  # hold: kind and reason as they mostly are
    lets_go: list[str]  # release: the holds that come off with it
    unheld: list[UnheldData]  # hold: those of its kinds that hold nothing
    beside: list[str]  # headings of what is known of its fields
    readouts: list[ReadoutData]  # what the instrument can be asked for, where it is on the bench
    saves: bool  # its parameters can be saved as a file
    loads: bool  # a file of parameters can be chosen
    sends: bool  # it is told something before it is read back


class ReadoutData(TypedDict):
    """Fields that the instrument tells itself, in one go."""

    key: str
    label: str
    fields: list[str]  # their names


class BesideData(TypedDict):
    """A step that is asked for on the screen of the current one: what is confirmed of it."""

    key: str
    kind: str
    title: str
    instruction: str
    cautions: list[str]
    confirm_label: str
    fields: list[FieldData]
    checks: list[CheckData]
    options: list[Option]
    lets_go: list[str]
    names_screen: bool  # its button says what the whole screen does
    usual: dict[str, str]
    unheld: list[UnheldData]
