"""Counts over whole revolutions: zero of an empty belt until two tests agree, span under test weights, and material of a known mass.

Sources: OIML R 50-1:2014 and NIST HB 44 2.21 (whole revolutions, zero and simulated-load tests), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from metrology.faults import Fault
from metrology.judgement.belt_signature import BeltResult, find_belt_signatures
from metrology.judgement.errors import UP, ErrorInBases, Point
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.steps import Step
from metrology.methods.trials.points import PointByPoint, as_it_was
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import number, signed

ZERO, SPAN, MATERIAL = "zero", "span", "material"
ZERO_COUNT, ZERO_CHANGE, SPAN_CHANGE = "zero_count", "zero_change", "span_change"
BELIEVED = 0.05  # of the count: further from what is stored it is asked about
WHOLE = 0.02  # of a revolution: how near a counter must be to a whole number


@dataclass(frozen=True)
class Belt:
    """What the trial must know of a belt weigher. Counts are those of one test; limits in %; 0 where not known.

    full_counts: counts of a test at full capacity, which a zero change is told of; total_kg: what the test weights should add up to.
    """

    revolutions: int
    duration_s: float
    zero_now: float
    span_now: float
    full_counts: float
    total_kg: float
    zero_limit: float
    span_limit: float
    agree: float
    span_agree: float
    cause: float
    most_tests: int
    is_first: bool = False
    pitch_percent: float = 0.1

    @property
    def base(self) -> float:
        """Counts that 100 % of a zero change is."""
        return self.full_counts or self.zero_now or 1.0


def kind_of(set_key: str) -> str:
    """Which of the three tests a set is."""
    return MATERIAL if set_key.startswith(MATERIAL) else ZERO if ZERO in set_key else SPAN


@dataclass(frozen=True)
class Counts(PointByPoint):
    """The trial. belt: what it must know, from its setup."""

    belt: Callable[[RunSetup], Belt]
    has_statistics = False
    least_for_signature = 1

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Zero grows until two tests in a row agree, or the most that are made; span is one test, two the first time; material is one."""
        b, kind = self.belt(as_it_was(setup, taken[0]) if taken else setup), kind_of(set_key)
        if kind == MATERIAL or (kind == SPAN and not b.is_first):
            return Plan((self._slot(b, kind, 0, set_key),))
        found = {r.slot.index: float(r.indicated) for r in taken}
        limit = b.agree if kind == ZERO else b.span_agree
        most = b.most_tests if kind == ZERO else 2
        n = 2
        while n < most and all(k in found for k in range(n)) and self._apart(b, kind, found[n - 2], found[n - 1]) > limit * (1 + 1e-9):
            n += 1
        agreed = all(k in found for k in range(n))
        return Plan(tuple(self._slot(b, kind, k, set_key) for k in range(n)), is_closed=agreed or n == most)

    def _slot(self, b: Belt, kind: str, n: int, set_key: str) -> Slot:
        ideal = {ZERO: b.zero_now, SPAN: b.span_now, MATERIAL: 0.0}[kind]
        turns = f"{b.revolutions} whole revolutions, {b.duration_s:.0f} s"
        how = {
            ZERO: f"Empty belt at speed, weights off. Start the test at the splice mark: {turns}.",
            SPAN: f"Weights on, belt at speed. Start the test at the splice mark: {turns}.",
            MATERIAL: "Weigh the material over a scale that is good for it before or after; none may be lost on the way.",
        }[kind]
        name = {ZERO: f"Zero test {n + 1}", SPAN: "Span test" if not n else f"Span test {n + 1}", MATERIAL: "Material"}[kind]
        place = {ZERO: 0.0, SPAN: 100.0, MATERIAL: 100.0}[kind]
        extra = {"test": kind, "phase": "as found" if "found" in set_key else "as left"}
        return Slot(n, 1, UP, place, float(b.revolutions) if kind != MATERIAL else 0.0, ideal, how, name, extra, is_open=not ideal)

    def _apart(self, b: Belt, kind: str, one: float, other: float) -> float:
        """How far two tests are apart, %."""
        known = (b.full_counts or b.zero_now) if kind == ZERO else b.span_now
        return 100 * abs(other - one) / (known or max(abs(one), 1.0))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """Revolutions made, the count of the test, what it totals; of material its true mass."""
        b, kind = self.belt(setup), slot.extra["test"]
        if kind == MATERIAL:
            return (
                Quantity("indicated", "Belt weigher totalled", "kg", 1, 0, 0.001, 1e7, 0, span=1e5),
                Quantity("true_mass", "True mass", "kg", 1, 0, 0.001, 1e7, 0, span=1e5, hint="By the weighbridge or check scale"),
            )
        width = BELIEVED * (b.base if kind == ZERO else b.span_now or 1e9)
        low, high = (slot.ideal - width, slot.ideal + width) if slot.ideal else (-1e9, 1e9)
        doubt = (
            f"Stored is {slot.ideal:g}. A test over other revolutions, weights "
            + ("left on" if kind == ZERO else "not on")
            + ", or material on the belt counts like that: look, then take it or type it again."
        )
        n = float(b.revolutions)
        span = b.base if kind == ZERO else b.span_now or 1e5
        made = Quantity("applied", "Revolutions made", "rev", 2, n, n - 0.5, n + 0.5, 0, hint="Whole ones only", span=n, begins_anew=True)
        count = Quantity(
            "indicated", f"{kind.capitalize()} count of this test", "counts", 0, slot.ideal, low, high, 1, doubt=doubt, span=span
        )
        speed = Quantity("speed", "Belt speed", "m/s", 3, 1, 0, 20, 0, required=False, is_live_only=True, span=10)
        total = Quantity("total", "Total it shows", "kg", 1, b.total_kg, 0, 1e7, 0, required=False, span=b.total_kg or 1e4)
        seconds = Quantity("seconds", "Duration by the watch", "s", 0, b.duration_s, 1, 1e5, 0, required=False, span=b.duration_s or 600)
        return (made, count, *((total,) if kind == SPAN else ()), seconds, speed)

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """Whole revolutions, as many as the test takes; of material the true mass stands for what went over."""
        if slot.extra["test"] == MATERIAL:
            return {**texts, "applied": texts["true_mass"]}
        made, wanted = float(texts["applied"]), self.belt(setup).revolutions
        if abs(made - round(made)) > WHOLE:
            told = f"{made:g} revolutions are not whole ones: every place of the belt must pass as often as any other. Test again; nothing was stored."
            raise Fault("not_whole", told, field="applied")
        if round(made) != wanted:
            told = f"{made:g} revolutions were made; the stored counts are those of {wanted}. Test again over {wanted}; nothing was stored."
            raise Fault("other_revolutions", told, field="applied")
        return {**texts, "applied": f"{round(made)}"}

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """The change against what is stored in %; the first time against the first test; of material against its mass."""
        b, kind = self.belt(setup), slot.extra["test"]
        read = parse_typed(reading.indicated, name="The count").value
        if kind == MATERIAL:
            true = parse_typed(reading.applied, name="The true mass", unit="kg").value
            return Point(true, read, true, 1.0, 100.0, 100 * (read - true) / true, UP, 1)
        ideal = slot.ideal
        change = 0.0 if slot.is_open or not ideal else 100 * (read - ideal) / (b.base if kind == ZERO else ideal)
        return Point(float(reading.applied), read, ideal, slot.percent / 100, slot.percent, change, UP, 1)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The class's, in %."""
        b = self.belt(setup)
        return b.zero_limit if slot.extra.get("test") == ZERO else b.span_limit

    def bases(self, setup: RunSetup, point: Point) -> ErrorInBases:
        """A change in % and in counts."""
        return ErrorInBases(point.error_percent, None, point.indicated - point.ideal, None)

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """One count, one pulse of the start and the end; under weights the weights and the idler pitch."""
        b, kind = self.belt(setup), slot.extra["test"]
        base = {ZERO: b.full_counts or b.zero_now, SPAN: b.span_now, MATERIAL: point.applied}[kind] or max(abs(point.indicated), 1.0)
        made = Budget(setup, point.applied, reading, per_input=1.0)
        made.resolution(parse_typed(reading.indicated, name="The count").resolution, base)
        weights = reading.references.get("weights")
        if weights and kind == SPAN:
            mass = (weights.low + weights.high) / 2 or weights.high
            made.add(f"Test weights {weights.code}", 100 * weights.expanded(mass, unit="kg") / mass, divisor=weights.k)
            made.add("Idler pitch", b.pitch_percent, "rectangular")
        return tuple(made.parts)

    def judge(self, setup: RunSetup, readings: Sequence[RawReading], set_key: str) -> Outcome:
        """The last two zero tests count; those before them are set aside."""
        then = as_it_was(setup, readings[0]) if readings else setup  # counts accepted later do not reach back
        outcome = super().judge(then, readings, set_key)
        if kind_of(set_key) != ZERO or len(outcome.judged) <= 2:
            return outcome
        early = len(outcome.judged) - 2
        told = "Set aside: the last two that agree count."
        return replace(outcome, judged=tuple(replace(j, aside=told if n < early else "") for n, j in enumerate(outcome.judged)))

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Agreement of two tests, the total under weights, old and new counts, and what is followed."""
        b, kind = self.belt(setup), kind_of(set_key)
        counts = [float(r.indicated) for r in readings]
        if not counts:
            return outcome
        if kind == MATERIAL:
            return replace(outcome, tables=(_factor(readings[0]),))
        criteria = []
        if len(counts) >= 2:
            limit = b.agree if kind == ZERO else b.span_agree
            apart = self._apart(b, kind, counts[-2], counts[-1])
            criteria.append(Criterion(f"{kind}_agree", f"Last two {kind} tests apart", apart, "%", None, limit, decimals=3))
        shown = next((float(r.extra["total"]) for r in reversed(readings) if r.extra.get("total")), None)
        if kind == SPAN and shown is not None and b.total_kg:
            off = 100 * (shown - b.total_kg) / b.total_kg
            says = f"It shows {shown:g} kg; the weights stand for {b.total_kg:.1f} kg over {b.revolutions} revolutions."
            criteria.append(
                Criterion("total", "Total against the simulated load", off, "%", -b.span_limit, b.span_limit, decimals=2, says=says)
            )
        new, old = _new(counts), b.zero_now if kind == ZERO else b.span_now
        change = 100 * (new - old) / (b.base if kind == ZERO else old) if old else None
        table = OutcomeTable(
            f"{kind.capitalize()} count",
            ("Stored", "New", "Change", "Tests"),
            (
                (
                    number(old, 0) if old else "none",
                    number(new, 1),
                    f"{signed(change, 3)} %" if change is not None else "",
                    str(len(counts)),
                ),
            ),
        )
        series = [SeriesPoint(ZERO_COUNT, "Zero count", new, "counts")] if kind == ZERO else []
        if change is not None:
            limit = b.zero_limit if kind == ZERO else b.span_limit
            name, label = (ZERO_CHANGE, "Change of zero") if kind == ZERO else (SPAN_CHANGE, "Change of span")
            series.append(SeriesPoint(name, label, change, "%", -limit, limit, is_followed=kind == SPAN))
        return replace(outcome, criteria=tuple(criteria), tables=(table,), series=tuple(series))

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What zero and span say, with the history of the zero."""
        b = self.belt(setup)
        kind = str(readings[-1].slot.extra.get("test"))
        counts = [float(r.indicated) for r in readings]
        if kind == MATERIAL or b.is_first:
            return ()
        if kind == SPAN:
            last = judged[-1].point.error_percent
            return find_belt_signatures(BeltResult(None, last, None, 1, (), (), b.base, b.zero_limit, b.span_limit, b.agree, b.cause))
        new, apart = _new(counts), self._apart(b, kind, counts[-2], counts[-1]) if len(counts) > 1 else None
        is_found = readings[-1].slot.extra.get("phase") == "as found"  # a zero just accepted is no part of its course
        past = setup.past(ZERO_COUNT, phase="as found") if is_found else ()
        on = max((r.on for r in readings if r.on), default=date(2000, 1, 1))
        days = tuple(float((date.fromisoformat(p.on) - on).days) for p in past)
        change = 100 * (new - b.zero_now) / b.base if b.zero_now else 0.0
        return find_belt_signatures(
            BeltResult(
                change, None, apart, len(counts), (*days, 0.0), (*(p.value for p in past), new), b.base, b.zero_limit, b.span_limit, b.agree,
                b.cause,
            )
        )  # fmt: skip

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """True duration and belt speed, where a watch was used."""
        b = self.belt(setup)
        timed = [float(r.extra["seconds"]) for r in readings if r.extra.get("seconds")]
        out = [("Test", f"{b.revolutions} revolutions, {b.duration_s:.0f} s at the speed of the register")] if b.revolutions else []
        if timed:
            off = 100 * (b.duration_s / timed[-1] - 1) if b.duration_s else 0.0
            out.append(("Belt speed", f"the watch gave {timed[-1]:g} s: the belt runs {off:+.1f} % against the register"))
        return tuple(out)

    def shown_ideal(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """What is stored; of material its mass."""
        return applied if slot.extra.get("test") == MATERIAL else slot.ideal

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The count to accept is the one the tests gave."""
        counts = [float(r.indicated) for r in readings]
        if not counts or not step.key.startswith("accept"):
            return {}
        return {"zero_now" if ZERO in step.key else "span_now": f"{_new(counts):.0f}"}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In % of the load."""
        if kind_of(set_key) == MATERIAL:
            return Columns(
                place="Test", applied="True mass", applied_unit="kg", ideal="", read="Totalled", error="Error, %", has_direction=False,
                by_percent=False, x="load in the test, %", y="error, %", csv_error="error (%)",
            )  # fmt: skip
        return Columns(
            place="Test", applied="Revolutions", ideal="Stored", read="Counted", error="Change, %", has_direction=False, by_percent=False,
            x="load in the test, %", y="change, %", csv_error="change (%)",
        )  # fmt: skip


def _new(counts: Sequence[float]) -> float:
    """What the tests came to: the mean of the last two."""
    last = counts[-2:]
    return sum(last) / len(last)


def _factor(reading: RawReading) -> OutcomeTable:
    true, shown = float(reading.applied), float(reading.indicated)
    return OutcomeTable(
        "Material test", ("True mass", "Totalled", "Factor"), ((f"{true:g} kg", f"{shown:g} kg", f"{true / shown:.5f}" if shown else ""),)
    )
