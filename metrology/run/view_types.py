"""The shape of a run's view: what the interface may rely on. The API's description is made from these."""

from __future__ import annotations

from typing import TypedDict

from metrology.run.chromatogram_types import ChromatogramData
from metrology.run.set_types import Named, SetData
from metrology.run.step_types import BesideData, PassData, StepData


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


class ProofData(TypedDict):
    """The proof test of a safety function in a run, in words; left is empty until it was told."""

    code: str
    name: str
    level: str
    path: str
    required: str
    found: str
    found_verdict: str
    found_says: str
    left: str
    left_verdict: str
    left_says: str
    bypass: str


class RemarksData(TypedDict):
    """What people wrote beside a run and under it. unheld: why no hold was placed."""

    notes: list[NoteData]
    unheld: list[NoteData]
    signed: NoteData | None
    countersigned: list[NoteData]  # their kind: as what, in words
    can_countersign: list[Named]  # as what it can be, while it can
    reviewed: NoteData | None
    voided: NoteData | None


class RunView(RemarksData):
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
    proofs: list[ProofData]
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
