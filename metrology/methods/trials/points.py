"""Readings that each have an error of their own: measured, given a budget and a tolerance, judged; then the set as a whole.

Sources: IEC 61298-2:2008 (test procedure, terms), JCGM 100:2008 (uncertainty), ILAC-G8:09/2019 (decision).
"""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import replace

from metrology.judgement.decision import decide
from metrology.judgement.errors import UP, ErrorInBases, Point, statistics
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component, combine
from metrology.methods.budget import COVERAGE, Spread, repeatability_of
from metrology.methods.outcome import Judged, Outcome
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, RawReading, Slot
from metrology.methods.steps import Step
from metrology.quantities.typed import parse_typed


class PointByPoint(ABC):
    """The judging of a set point by point; a kind of trial says how a point is measured, what its tolerance and its budget are."""

    has_statistics = True
    least_for_signature = 3
    scatters = False  # True: a reading taken once has the scatter that policy states
    is_named_whole = False  # True: what kind of error it is, is asked of a complete set only

    @abstractmethod
    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The slots of one set."""

    @abstractmethod
    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """One reading set against its ideal."""

    @abstractmethod
    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """Tolerance of a reading at a slot in % of output span."""

    @abstractmethod
    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """Uncertainty components of one error, in % of output span."""

    @abstractmethod
    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """The error on other bases."""

    def split(self, setup: RunSetup, point: Point, reading: RawReading) -> tuple[float | None, float | None]:
        """Which side an error is of, where a digital value was read too."""
        return None, None

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What kind of error it is."""
        return ()

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """What else the set tells, as (name, value) texts."""
        return ()

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Criteria, tables and series that the set as a whole gives."""
        return outcome

    def tolerance_at(self, setup: RunSetup, slot: Slot) -> float:
        """Tolerance at a slot in % of output span."""
        return self.tolerance_for(setup, slot, slot.nominal)

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """Nothing is converted."""
        return texts

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """Nothing is proposed for a field."""
        return {}

    def judge(self, setup: RunSetup, readings: Sequence[RawReading], set_key: str) -> Outcome:
        """Judge readings against the tolerance, each with what stood for the truth when it was taken in view."""
        plan = self.plan(setup, set_key, readings)
        ordered = sorted(readings, key=lambda r: r.slot.index)
        then = [as_it_was(setup, r) for r in ordered]
        points = [r.once("point", (s, r.slot, r), self.measure) for s, r in zip(then, ordered, strict=True)]
        spreads = repeatability_of([r.slot for r in ordered], [p.error_percent for p in points])
        judged = tuple(
            r.once("judged", (s, p, r, spreads.get(r.slot.channel)), self._judge) for s, p, r in zip(then, points, ordered, strict=True)
        )
        has_span = self.has_statistics and len({round(p.ideal_percent, 1) for p in points}) >= 2
        is_complete = plan.is_closed and len(judged) == len(plan.slots)
        is_named = len(points) >= self.least_for_signature and (is_complete or not self.is_named_whole)
        signatures = self.signatures(setup, judged, ordered) if is_named else ()
        outcome = Outcome(judged, statistics(points) if has_span else None, signatures, is_complete)
        outcome = self.finish(setup, ordered, outcome, set_key)
        return replace(outcome, findings=self.findings(setup, ordered, outcome)) if is_complete else outcome

    def _judge(self, setup: RunSetup, point: Point, reading: RawReading, spread: Spread | None) -> Judged:
        policy, slot = setup.policy, reading.slot
        tolerance = self.tolerance_for(setup, slot, point.applied)
        if spread is None and self.scatters and policy.scatter_percent:
            spread = Spread(tolerance * policy.scatter_percent / 100, math.inf, "Scatter of a reading taken once, by policy")
        components = self.budget(setup, slot, point, reading, spread)
        u = combine(components, coverage=COVERAGE, digits=3) if components else None
        decision = decide(
            point.error_percent,
            tolerance,
            expanded=u.expanded if u else 0.0,
            k=u.k if u else 2.0,
            rule=policy.pass_rule,
            max_risk=policy.max_risk,
            dof=u.effective_dof if u else math.inf,
            bias=u.bias if u else 0.0,
        )
        return Judged(slot, point, self.bases(setup, point), tolerance, u, components, decision, *self.split(setup, point, reading))


class InItsUnit(PointByPoint):
    """What is read is in the unit of what is applied, and should be it: an analyzer that is read on its display."""

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """What it read against what it stands for, in % of the range."""
        i = setup.instrument
        applied = parse_typed(reading.applied, name="What is applied", unit=i.unit).value
        indicated = parse_typed(reading.indicated, name="The reading", unit=i.unit).value
        span = i.urv - i.lrv
        fraction = (applied - i.lrv) / span
        return Point(applied, indicated, applied, fraction, 100 * fraction, 100 * (indicated - applied) / span, UP, slot.cycle)

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """In % of span, of the reading, and in its unit."""
        error = point.indicated - point.applied
        return ErrorInBases(point.error_percent, 100 * error / point.applied if point.applied else None, error, None)

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What is applied."""
        return applied


def role_at(_setup: RunSetup, slot: Slot) -> str:
    """The role of the standard that is on at a slot."""
    return str(slot.extra.get("role", ""))


def as_it_was(setup: RunSetup, reading: RawReading) -> RunSetup:
    """The setup as it stood when a reading was taken: what was entered later does not reach back."""
    if reading.entered is None or reading.entered == setup.entered:
        return setup
    then: RunSetup = reading.once("then", (setup, reading.entered), lambda now, entered: replace(now, entered=entered))
    return then


def least_ratio(tolerances: Sequence[float], widths: Sequence[float]) -> float:
    """The smallest tolerance over uncertainty of several points; infinite where there is no uncertainty."""
    return min((t / u if u > 0 else math.inf for t, u in zip(tolerances, widths, strict=True)), default=math.inf)
