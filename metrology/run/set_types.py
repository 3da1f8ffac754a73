"""The shape of a judged set of readings: what the interface, the record and the certificate may rely on."""

from __future__ import annotations

from typing import NotRequired, TypedDict


class Named(TypedDict):
    """A named value, as text."""

    name: str
    value: str


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
    names_lines: NotRequired[bool]  # each channel has a line of its own, named


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
