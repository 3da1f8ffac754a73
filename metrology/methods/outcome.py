"""What a set of readings comes to: readings judged, criteria judged, tables, statistics, causes, findings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from metrology.judgement.decision import FAIL, MARGINAL, PASS, Decision
from metrology.judgement.errors import ErrorInBases, Point, Statistics
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component, Uncertainty
from metrology.methods.slots import Slot


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
    has_ratio: bool = True  # False: what stands for the truth is not known well enough to say how much better it is than the tolerance
    aside: str = ""  # why it is told and not judged by, such as a test before the two that agree

    @property
    def counts(self) -> bool:
        """Whether the set is judged by it."""
        return not self.aside


@dataclass(frozen=True)
class Criterion:
    """A named value with its limits that a set as a whole is judged by: a slope, an offset, an agreement, a resistance.

    value, low, high, u in `unit`; u is expanded (k = 2), 0 where none is stated. ideal: where the share is counted from.
    low, high: None where it has no limit on that side.
    decimals: how it is shown. watch_low, watch_high: inside them it is good, between them and the limits it is marginal.
    """

    name: str
    label: str
    value: float
    unit: str
    low: float | None
    high: float | None
    ideal: float = 0.0
    u: float = 0.0
    decimals: int = 2
    watch_low: float | None = None
    watch_high: float | None = None
    says: str = ""
    is_graded: bool = True  # False: it is met or not, and how much of its room it uses says nothing

    @property
    def verdict(self) -> str:
        """pass, marginal (past the watch limits or nearer to a limit than U), or fail."""
        if not _inside(self.value, self.low, self.high):
            return FAIL
        low = self.low if self.watch_low is None else self.watch_low
        high = self.high if self.watch_high is None else self.watch_high
        return PASS if _inside(self.value, low, high) else MARGINAL

    @property
    def share(self) -> float:
        """How much of its room it uses, signed: 1 at a limit, 0 at its ideal."""
        if not self.is_graded:
            return 0.0
        limit = self.high if self.value >= self.ideal else self.low
        room = 0.0 if limit is None else limit - self.ideal
        return 0.0 if room == 0 else abs((self.value - self.ideal) / room) * (1.0 if self.value >= self.ideal else -1.0)


def _inside(value: float, low: float | None, high: float | None) -> bool:
    """Nine digits count: a value typed as exactly the limit must not fail on the last bit of a float."""
    slack = 1e-9 * max(1.0, abs(value))
    return (low is None or low - slack <= value) and (high is None or value <= high + slack)


@dataclass(frozen=True)
class OutcomeTable:
    """A table that a trial makes of its set: the same on screen, in the CSV and on the certificate."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


@dataclass(frozen=True)
class SeriesPoint:
    """A value that is followed from run to run: drift, life and due rules read it. low, high: the limits it is heading for, None where none.

    is_followed: False of one that says nothing over time, such as a change since the last adjustment.
    """

    name: str
    label: str
    value: float
    unit: str
    low: float | None = None
    high: float | None = None
    channel: str = ""
    is_followed: bool = True
    is_shown: bool = True  # False: later runs count on it, and it has no course of its own to look at


@dataclass(frozen=True)
class Outcome:
    """A set of readings judged. The verdict is the worst of readings and criteria."""

    judged: tuple[Judged, ...]
    statistics: Statistics | None = None
    signatures: tuple[Signature, ...] = ()
    is_complete: bool = False
    criteria: tuple[Criterion, ...] = ()
    tables: tuple[OutcomeTable, ...] = ()
    series: tuple[SeriesPoint, ...] = ()
    findings: tuple[tuple[str, str], ...] = field(default=())

    @property
    def verdict(self) -> str:
        """The worst verdict of the set; pass for an empty one must not be asked for."""
        verdicts = {j.decision.verdict for j in self.judged if j.counts} | {c.verdict for c in self.criteria}
        return FAIL if FAIL in verdicts else MARGINAL if MARGINAL in verdicts else PASS

    @property
    def is_judged(self) -> bool:
        """Whether there is anything to judge yet."""
        return bool(self.criteria) or any(j.counts for j in self.judged)

    @property
    def worst(self) -> Judged | None:
        """The reading that uses most of its tolerance."""
        return max((j for j in self.judged if j.counts), key=lambda j: abs(j.point.error_percent) / j.tolerance, default=None)

    @property
    def worst_criterion(self) -> Criterion | None:
        """The criterion that uses most of its room."""
        return max(self.criteria, key=lambda c: abs(c.share), default=None)

    @property
    def share(self) -> float:
        """Largest share of a tolerance that is used, by readings or criteria; 0 for an empty set."""
        readings = abs(self.worst.point.error_percent) / self.worst.tolerance if self.worst else 0.0
        return max(readings, abs(self.worst_criterion.share) if self.worst_criterion else 0.0)

    @property
    def signed_share(self) -> float:
        """The share with the sign of what uses most of it."""
        worst, criterion = self.worst, self.worst_criterion
        if criterion is not None and abs(criterion.share) >= self.share:
            return criterion.share
        return -self.share if worst is not None and worst.point.error_percent < 0 else self.share


def join(outcomes: Sequence[Outcome]) -> Outcome:
    """Several sets judged as one: all their readings and criteria, the likeliest causes first."""
    return Outcome(
        tuple(j for o in outcomes for j in o.judged),
        None,
        tuple(sorted((s for o in outcomes for s in o.signatures), key=lambda s: -s.confidence)),
        all(o.is_complete for o in outcomes),
        tuple(c for o in outcomes for c in o.criteria),
        tuple(t for o in outcomes for t in o.tables),
        tuple(s for o in outcomes for s in o.series),
        tuple(f for o in outcomes for f in o.findings),
    )


@dataclass(frozen=True)
class Proposal:
    """What the method would do, and why."""

    choice: str
    reason: str
