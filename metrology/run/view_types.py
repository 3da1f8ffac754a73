"""The shape of a run's view: what the interface may rely on. The API's description is made from these."""

from __future__ import annotations

from typing import TypedDict

from metrology.run.chromatogram_types import ChromatogramData, ChromatogramStep
from metrology.run.hookups import HookupData


class Named(TypedDict):
    """A named value, as text."""

    name: str
    value: str


class InstrumentData(TypedDict):
    """What the run is about, as frozen at its start; ranges and tolerance as texts. subject: instrument, or kit, whose tag is its code."""

    subject: str
    tag: str
    serial: str
    service: str
    area: str
    feeds: str
    protects: str
    range: str
    output: str
    transfer: str
    tolerance: str
    unit: str
    output_unit: str
    details: list[Named]
    plate: list[Named]  # manufacturer, model, revision, as far as the register has them


class RailStep(TypedDict):
    """One step on the rail. status: done, current, later, left out, if needed."""

    key: str
    title: str
    status: str
    kind: str
    why: str


class RailPhase(TypedDict):
    """A phase of the loop with its steps."""

    phase: str
    steps: list[RailStep]


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


class CheckData(TypedDict):
    """A line of a checklist."""

    key: str
    label: str


class BudgetRow(TypedDict):
    """A component of the uncertainty."""

    name: str
    value: str
    distribution: str
    standard: str


class BudgetData(TypedDict):
    """The uncertainty budget of one reading."""

    at: str
    combined: str
    dof: str
    tur: str
    p_wrong: str
    k: str
    expanded: str
    p_conform: str
    rows: list[BudgetRow]


class CapturedData(TypedDict):
    """What the trace of one quantity told when its reading was captured, ready to show."""

    quantity: str
    says: str
    figures: list[Named]  # the same as a row of a table


class RowData(TypedDict):
    """A reading: as typed, judged, and where to plot it (x percent of input span, y error in percent of output span)."""

    id: str
    number: int
    direction: str
    cycle: int
    percent: str
    applied: str
    indicated: str
    at: str | None
    by: str
    read_at: str | None  # as written on paper, when it was typed in afterwards
    struck: str | None
    struck_by: str | None
    was_confirmed_unlikely: bool
    slip: str | None
    ideal: str | None
    error: str | None
    error_unit: str | None
    share: str | None  # of span, beside an error told in a unit
    tolerance: str | None
    u: str | None
    tur: str | None
    verdict: str | None
    is_too_close: bool
    says: str | None
    x: float | None
    y: float | None
    channel: str
    unit: str
    pv: str | None
    split: str | None
    halves: list[Named]  # the error parted into that of the sensor and that of the output, where the digital value was read
    simulated: str | None
    captured: list[CapturedData]
    budget: BudgetData | None
    standards: list[str]  # codes of what stood for the truth when it was taken


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


class NextReading(TypedDict):
    """The reading to take next and what to expect.

    ahead: how many points from this one on, in a row, ask for one number each and wait for nothing: so many may be entered before they are shown.
    """

    slot: int
    ahead: int
    number: int
    direction: str
    direction_word: str  # empty where the readings have no direction
    cycle: int
    percent: str
    nominal: str  # empty, as is ideal, where it is not known beforehand
    ideal: str
    how: str
    ready_at: str  # when it may be read at the earliest, empty where it need not wait
    channel: str
    quantities: list[QuantityData]


class LiveQuantity(TypedDict):
    """A quantity of a set that may have a live source, under its channel."""

    name: str
    unit: str
    channel: str


class ReadingsStep(TypedDict):
    """What a readings step shows."""

    total: int
    taken: int
    rows: list[RowData]
    output_unit: str
    unit: str
    believable: str
    next: NextReading | None
    read_live: list[LiveQuantity]  # of the whole set
    hookup: HookupData | None
    chromatogram: ChromatogramStep | None


class JudgeStep(TypedDict):
    """What a judge step proposes."""

    proposal: str
    reason: str
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


class AdjustmentData(TypedDict):
    """One round of adjusting: the passes, and why it was stopped when it did not converge."""

    step: str
    title: str
    passes: list[PassData]
    reason: str


class WorkData(TypedDict):
    """Work done on the cause of an error."""

    text: str
    by: str
    at: str | None


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
    usual: dict[str, str]
    unheld: list[UnheldData]


class SignatureData(TypedDict):
    """A named error pattern."""

    code: str
    says: str
    first_action: str
    confidence: str
    evidence: list[str]


class CorridorPoint(TypedDict):
    """Tolerance and adjust limit at a point, percent of output span."""

    x: float
    tolerance: float
    adjust_limit: float


class ColumnData(TypedDict):
    """A column of the readings: which text of a row it shows, under which heading."""

    key: str
    label: str


class CriterionData(TypedDict):
    """Something a set as a whole is judged by, ready to show."""

    name: str
    label: str
    value: str
    limits: str
    u: str
    verdict: str
    says: str


class TableData(TypedDict):
    """A table that a kind of trial makes of its set."""

    title: str
    head: list[str]
    rows: list[list[str]]


class Tick(TypedDict):
    """Where along the range, in percent, and what is written there."""

    x: float
    label: str


class PlotWords(TypedDict):
    """The words of the plot's axes, the unit of its errors, and what is written along x, as (percent of range, words)."""

    x: str
    y: str
    unit: str
    ticks: list[Tick]


class SetData(TypedDict):
    """A set of readings with all that is made of it."""

    key: str
    title: str
    phase: str
    is_final: bool
    is_complete: bool
    rows: list[RowData]
    verdict: str | None
    share: str | None
    statistics: list[Named]
    signatures: list[SignatureData]
    corridor: list[CorridorPoint]
    budget: BudgetData | None
    findings: list[Named]
    applied_unit: str
    read_unit: str
    columns: list[ColumnData]
    plot: PlotWords
    csv_error: str
    criteria: list[CriterionData]
    tables: list[TableData]


class ItemRemark(TypedDict):
    """What one rule said of an item that was chosen."""

    rule: str
    standing: str
    says: str


class ItemData(TypedDict):
    """A kit item that stands for the truth, other than a reference or a bottle."""

    role: str
    label: str
    kind: str
    code: str
    shows: str
    certificate: str
    good_until: str
    reason: str
    remarks: list[ItemRemark]


class EarlierData(TypedDict):
    """What stood for the truth before it was changed, with what was read against it."""

    role: str
    code: str
    name: str
    certificate: str
    used_for: str


class ReopenedData(TypedDict):
    """A step that was taken back."""

    title: str
    values: str
    reason: str
    by: str
    at: str | None


class OverrideData(TypedDict):
    """Who let an expired reference be used, and why."""

    by: str
    name: str
    reason: str


class ReferenceData(TypedDict):
    """A role and the reference chosen for it."""

    role: str
    label: str
    unit: str
    code: str | None
    name: str | None
    due_on: str | None
    reason: str
    tur: str | None
    certificate: str | None
    serial: str | None
    laboratory: str | None
    traceability: str | None
    override: OverrideData | None


class HoldData(TypedDict):
    """A hold of this run."""

    id: str
    kind: str
    reason: str
    placed_at: str | None
    placed_by: str
    until: str | None
    released_at: str | None
    released_by: str
    is_overdue: bool
    release_values: dict[str, str]
    holder: str
    holder_name: str
    agreement: str
    extended: list[str]


class TimerData(TypedDict):
    """A timer of this run."""

    step: str
    due_at: str | None
    is_over: bool
    reason: str


class DecisionData(TypedDict):
    """A decision taken, with what was proposed."""

    step: str
    choice: str
    choice_label: str
    proposed: str
    reason: str
    by: str
    at: str | None


class NoteData(TypedDict):
    """A remark."""

    kind: str
    text: str
    by: str
    at: str | None


class MethodData(TypedDict):
    """The method of the run. document: how its printed record is headed."""

    key: str
    title: str
    revision: str
    document: str


class StartedData(TypedDict):
    """Who started the run, and when."""

    at: str | None
    by: str
    name: str


class SourceData(TypedDict):
    """Where a quantity of the run is read from when it is read live."""

    quantity: str
    channel: str
    signal: str
    label: str
    unit: str
    stimulus: str


class GasRemark(TypedDict):
    """What one rule said of a bottle with its fittings."""

    rule: str
    standing: str
    says: str


class GasRow(TypedDict):
    """A gas in use."""

    role: str
    label: str
    bottle: str
    name: str
    certificate: str
    expires_on: str
    regulator: str
    line: str
    applied: str
    litres: str
    reason: str
    remarks: list[GasRemark]


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


class MovedPair(TypedDict):
    """Something that was moved: out into the test, or back."""

    label: str
    to: str
    by: str
    at: str
    terminal: str


class NotedData(TypedDict):
    """What was entered in a step that stands on the record."""

    title: str
    rows: list[Named]
    by: str
    at: str | None


class ComputedData(TypedDict):
    """A kept result of a compute step."""

    title: str
    says: str
    reason: str
    head: list[str]
    rows: list[list[str]]


class ParameterSetData(TypedDict):
    """A parameter set on the record."""

    kind: str
    source: str
    by: str
    at: str | None
    values: list[Named]


class ActData(TypedDict):
    """Something done to the instrument through its communication."""

    words: str
    by: str
    at: str | None


class SealData(TypedDict):
    """Whether what is shown was sealed when the run ended, and by which core it was judged; otherwise it is judged again."""

    is_sealed: bool
    core: str
    says: str
    plant: dict[str, str]


class ResultData(TypedDict):
    """What a phase came to: the worst of all sets that are judged together."""

    phase: str
    verdict: str | None
    share: str | None


class RunView(TypedDict):
    """Everything a screen needs of a run."""

    seq: int
    status: str
    closed: float
    method: MethodData
    instrument: InstrumentData
    points: str
    started: StartedData
    rail: list[RailPhase]
    step: StepData | None
    beside: list[BesideData]  # steps after the current one that are asked for on its screen
    evidence: list[SetData]
    results: list[ResultData]
    unheld: list[NoteData]
    adjustments: list[AdjustmentData]
    works: list[WorkData]
    noted: list[NotedData]
    references: list[ReferenceData]
    surroundings: list[Named]
    holds: list[HoldData]
    timers: list[TimerData]
    sources: list[SourceData]
    computed: list[ComputedData]
    parameters: list[ParameterSetData]
    acts: list[ActData]
    decisions: list[DecisionData]
    notes: list[NoteData]
    signed: NoteData | None
    reviewed: NoteData | None
    voided: NoteData | None
    policies: list[str]
    flags: list[str]
    pairs: list[MovedPair]
    gases: list[GasRow]
    chromatograms: list[ChromatogramData]
    items: list[ItemData]
    earlier: list[EarlierData]
    reopened: list[ReopenedData]
    can_reopen: list[str]  # keys of the steps that can be opened again with a reason
    blocks: list[str]
    seal: SealData
