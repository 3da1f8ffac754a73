"""Known loads on a scale: empty, up, down, and empty again; or built up by substitution, where the weights to hand are not enough.

Sources: OIML R 76-1:2006 (3.5 permissible errors, 3.9.4 creep and zero return, A.4.4 weighing test); EURAMET cg-18 v4.0, 7.1 (uncertainty,
substitution); OIML D 28:2004 (buoyancy).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.faults import Fault
from metrology.judgement.errors import DOWN, UP, Point
from metrology.judgement.scale_signature import Loaded, ScaleSeen, find_scale_signatures
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.setup import Past, RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.steps import Step
from metrology.methods.trials.courses import on_day, trend_words
from metrology.methods.trials.curve import tolerance_of
from metrology.methods.trials.points import InItsUnit, as_it_was
from metrology.quantities.loading import ZERO_RETURN, Creep, corner_spread, judge_creep
from metrology.quantities.masses import STEEL, buoyancy_factor
from metrology.quantities.typed import parse_typed
from metrology.quantities.weighing import scale_tolerance
from metrology.quantities.words import number, plain, signed

EMPTY, LOAD, PRODUCT, BACK = "empty", "load", "product", "back"
ZERO, SPAN = "zero_kg", "span_percent"
BELIEVED = 0.10  # of Max: a reading further from its load is asked about
TENTH = 0.1  # of a division: a smaller correction is not made


@dataclass(frozen=True)
class Scale:
    """What the trial must know of a scale; masses in kg.

    scheme: of permissible errors, empty: its own tolerance. loads: put on upwards. weights: those to hand together, where the loads are built up
    with them by substitution, else 0. capacity: what may lie on it at all. density: of what the test loads are made of, kg/m3. gravity_off: in %,
    where its span comes from the cells. back_divisions: how far its zero may be off after the loads.
    """

    division: float
    loads: tuple[float, ...]
    capacity: float
    scheme: str = ""
    stage: str = "in-service"
    is_down: bool = False
    weights: float = 0.0
    density: float = STEEL
    gravity_off: float = 0.0
    back_divisions: float = ZERO_RETURN
    corner_percent: float = 30.0


@dataclass(frozen=True)
class Loads(InItsUnit):
    """The trial. scale: what it must know, by setup and set."""

    scale: Callable[[RunSetup, str], Scale]
    has_statistics = False
    least_for_signature = 2

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Empty, the loads, empty again; by substitution each exchange follows from what was read before it."""
        s = self.scale(as_it_was(setup, taken[0]) if taken else setup, set_key)
        if s.weights:
            return self._substituted(setup, s, taken, set_key)
        span = setup.instrument.urv
        made = [self._slot(0, 0.0, span, EMPTY, "Empty. Don't zero it: note what it shows.", "Empty", phase=phase_of(set_key))]
        for load in s.loads:
            made.append(self._slot(len(made), load, span, LOAD, f"Put {plain(load)} kg on, evenly, and let it stand.", f"{plain(load)} kg"))
        if s.is_down:
            for load in reversed(s.loads[:-1]):
                told = f"Take off until {plain(load)} kg are left; don't come back to it from below."
                made.append(self._slot(len(made), load, span, LOAD, told, f"{plain(load)} kg", DOWN))
        made.append(self._slot(len(made), 0.0, span, BACK, "Take everything off: what does it show now?", "Empty again", DOWN))
        return Plan(tuple(made))

    def _slot(self, n: int, load: float, top: float, kind: str, how: str, channel: str, way: str = UP, **extra: str) -> Slot:
        return Slot(n, 1, way, 100 * load / top, load, load, how, channel, {"kind": kind, **extra})

    def _substituted(self, setup: RunSetup, s: Scale, taken: Sequence[RawReading], set_key: str) -> Plan:
        """Weights, product up to the same reading, weights again: as far as the last load; it grows by what was read."""
        top, target = setup.instrument.urv, s.loads[-1]
        made = [self._slot(0, 0.0, top, EMPTY, "Empty. Don't zero it: note what it shows.", "Empty", phase=phase_of(set_key))]
        found = {r.slot.index: r for r in taken}
        base, times = 0.0, 1
        while True:
            load = min(base + s.weights, target)
            n = len(made)
            how = f"Hang {plain(load - base)} kg of weights: {plain(round(load, 3))} kg are on it."
            made.append(self._slot(n, load, top, LOAD, how, f"Weights, {times}", times=str(times)))
            if load >= target * (1 - 1e-9):
                break
            if n not in found:
                return Plan(tuple(made), is_closed=False)
            shown = float(found[n].indicated)
            load = float(found[n].applied)
            told = f"Weights off; fill product until it shows {plain(shown)} kg or nearly so, then read."
            made.append(self._slot(n + 1, load, top, PRODUCT, told, f"Product, {times}", times=str(times), shown=f"{shown:g}"))
            if n + 1 not in found:
                return Plan(tuple(made), is_closed=False)
            base, times = float(found[n + 1].applied), times + 1
        made.append(self._slot(len(made), 0.0, top, BACK, "Weights off, vessel emptied: what does it show now?", "Empty again", DOWN))
        return Plan(tuple(made))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What lies on it, where that may be other than planned, and what it shows."""
        i, division = setup.instrument, self.scale(setup, "").division
        decimals, room = decimals_of(division), BELIEVED * i.urv
        doubt = f"{plain(slot.ideal)} kg lie on it. Something left on, a digit too many or a wrong unit reads like that: look first."
        shown = Quantity(
            "indicated", "It shows", "kg", decimals, slot.ideal, slot.ideal - room, slot.ideal + room, division, doubt=doubt, span=i.urv
        )
        if slot.extra["kind"] != LOAD:
            return (shown,)
        low, high = slot.nominal * 0.5, slot.nominal * 1.5
        on = Quantity("applied", "Load on it", "kg", max(decimals, 3), slot.nominal, low, high, 0, span=i.urv)
        return (on, shown)

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """A load beyond the cells is refused; product stands for the weights it was filled up to; another density is corrected for the air."""
        s, kind = self.scale(setup, ""), slot.extra["kind"]
        if kind in (EMPTY, BACK):
            return {**texts, "applied": "0"}
        if kind == PRODUCT:
            made = slot.nominal + parse_typed(texts["indicated"], name="The reading", unit="kg").value - float(slot.extra["shown"])
            return {**texts, "applied": f"{made:.10g}", "simulated": "product in the place of the weights"}
        load = parse_typed(texts["applied"], name="The load", unit="kg", field="applied").value
        if load > s.capacity * (1 + 1e-12):
            told = f"{plain(load)} kg are more than the {plain(s.capacity)} kg that its cells may still carry. Don't put it on; nothing was stored."
            raise Fault("beyond_capacity", told, field="applied")
        shift = load * (1 / buoyancy_factor(s.density) - 1)
        if abs(shift) <= TENTH * s.division * (1 + 1e-9):
            return texts
        return {
            **texts,
            "applied": f"{load + shift:.10g}",
            "simulated": f"{plain(load)} kg of {s.density:g} kg/m3, {shift:+.3g} kg by the air",
        }

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """By its scheme in steps of the division, or its own; % of Max."""
        return 100 * limit_kg(setup, self.scale(setup, ""), applied) / setup.instrument.urv

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The weights as often as they stand in the load, the readings of each exchange, the division."""
        s, top = self.scale(setup, ""), setup.instrument.urv
        made = Budget(setup, point.applied, reading, per_input=100 / top)
        weights, times = reading.references.get("weights"), int(slot.extra.get("times", "1"))
        if weights and point.applied > 0:
            on = point.applied / times
            made.add(f"Weights {weights.code}", 100 * times * weights.expanded(on, unit="kg") / top, divisor=weights.k)
            made.add(
                f"Drift of {weights.code} since its certificate", 100 * times * weights.drifted(reading.on, unit="kg") / top, "rectangular"
            )
        if times > 1:
            made.add("Readings of the exchanges", 100 * math.sqrt(2 * (times - 1)) * s.division / math.sqrt(12) / top)
        made.resolution(s.division, top)
        made.settling({"indicated": top})
        return tuple(made.parts)

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Zero return, corner test and creep as criteria; errors in divisions as a table; zero and span are followed."""
        then = as_it_was(setup, readings[0]) if readings else setup
        s = self.scale(then, set_key)
        told = "Product in the place of the weights: it is made equal, and not judged by."
        judged = tuple(replace(j, aside=told) if j.slot.extra["kind"] == PRODUCT else j for j in outcome.judged)
        seen = self.seen(then, readings, s)
        criteria = []
        if seen.back is not None:
            criteria.append(
                Criterion(
                    "back", "Zero after the loads", seen.back / s.division, "divisions", -s.back_divisions, s.back_divisions, decimals=2,
                    says=f"Empty it came back to {seen.back:+g} kg.", is_graded=False,
                )
            )  # fmt: skip
        found = set_key.startswith("as_found")
        criteria += [c for c in (_corner(seen, s), _creep(setup, s)) if c and found]
        series = []
        if outcome.is_complete and seen.top.load > 0:
            per = 100 / seen.top.load
            limit = limit_kg(then, s, seen.top.load) * per
            zero_limit = limit_kg(then, s, 0.0)
            series = [
                SeriesPoint(ZERO, "Empty it shows", seen.zero, "kg", -zero_limit, zero_limit),
                SeriesPoint(SPAN, "Error of the span", seen.span * per, "%", -limit, limit),
            ]
        tables = (_in_divisions(then, s, judged), *((_supports(seen),) if seen.shares and found else ()))
        return replace(outcome, judged=judged, criteria=tuple(criteria), tables=tuple(t for t in tables if t.rows), series=tuple(series))

    def seen(self, setup: RunSetup, readings: Sequence[RawReading], s: Scale) -> ScaleSeen:
        """The set as the causes look at it."""
        rows: list[Loaded] = []
        moving: list[float] = []
        back: float | None = None
        for r in readings:
            kind, error = r.slot.extra["kind"], float(r.indicated) - float(r.applied)
            captured = r.captured.get("indicated")
            moving += [float(captured["sd"])] if captured else []
            if kind == BACK:
                back = error - next((x.error for x in rows if x.load == 0), 0.0)
            elif kind != PRODUCT:
                rows.append(Loaded(float(r.applied), error, r.slot.direction == DOWN))
        top = max((x.load for x in rows), default=0.0)
        was_found = bool(readings) and readings[0].slot.extra.get("phase") == "as found"  # what was freed since is not looked at again
        shares, empty = supports_of(setup) if was_found else ((), ())
        return ScaleSeen(
            tuple(rows), s.division, limit_kg(setup, s, top), limit_kg(setup, s, 0.0), back, shares, empty, s.gravity_off,
            tuple(p.value for p in setup.past(ZERO, phase="as found")), max(moving, default=None),
        )  # fmt: skip

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What the loads give away."""
        then = as_it_was(setup, readings[0])
        return find_scale_signatures(self.seen(then, readings, self.scale(then, "")))

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """Where the span is heading by the as-found history, which is what a claim that it never needs calibration is held against."""
        span = next((p for p in outcome.series if p.name == SPAN), None)
        if span is None:
            return ()
        past = setup.past(SPAN, phase="as found")
        out = [("Span", trend_words(past, span.value, on_day(readings), span.low, span.high, "%", part="scale"))]
        claim = claim_words(past, span)
        return (*out, ("Claim", claim)) if claim else tuple(out)

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The load to enter is the one that was on."""
        on = [r for r in readings if r.slot.extra.get("kind") == LOAD]
        return {"known_load": f"{float(on[-1].applied):g}"} if on else {}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In kg."""
        decimals = decimals_of(self.scale(setup, "").division) + 1
        return Columns(
            place="Load", applied="On it", applied_unit="kg", ideal="", read="It shows", error="Error, kg", unit="kg",
            per_percent=setup.instrument.urv / 100, decimals=decimals, by_percent=False, ticks_by_value=True, x="load, kg", y="error, kg",
            csv_error="error (kg)",
        )  # fmt: skip


def phase_of(set_key: str) -> str:
    """Whether a set is of the as-found ones."""
    return "as found" if set_key.startswith("as_found") else "as left"


def decimals_of(division: float) -> int:
    """Decimals that a division shows: 0 for 20, 2 for 0.05."""
    return max(0, min(6, -math.floor(math.log10(division) + 1e-9)))


def limit_kg(setup: RunSetup, s: Scale, load: float) -> float:
    """Permissible error at a load, kg: a scheme's steps, or its own tolerance."""
    if s.scheme:
        return scale_tolerance(s.scheme, abs(load) / s.division, stage=s.stage) * s.division
    return tolerance_of(setup, load) / 100 * setup.instrument.urv


def supports_of(setup: RunSetup) -> tuple[tuple[float, ...], tuple[float, ...]]:
    """Shares of the supports under the corner load in % of their mean, and what they gave empty; nothing where that was not done."""
    known, empty, full = dict(setup.entered), [], []
    for n in range(1, 25):
        if not known.get(f"empty_{n}") or not known.get(f"loaded_{n}"):
            break
        empty.append(float(known[f"empty_{n}"]))
        full.append(float(known[f"loaded_{n}"]))
    if len(empty) < 2:
        return (), ()
    try:
        return corner_spread([b - a for a, b in zip(empty, full, strict=True)])[0], tuple(empty)
    except Fault:
        return (), tuple(empty)


def _corner(seen: ScaleSeen, s: Scale) -> Criterion | None:
    if not seen.shares:
        return None
    worst = max(seen.shares, key=lambda x: abs(x - 100))
    says = f"Support {seen.shares.index(worst) + 1} carries {worst:.0f} % of the mean."
    return Criterion(
        "corner",
        "Support furthest from the mean",
        worst - 100,
        "%",
        -s.corner_percent,
        s.corner_percent,
        decimals=1,
        says=says,
        is_graded=False,
    )


def creep_of(setup: RunSetup, division: float) -> Creep | None:
    """What a load that stayed came to; None where that was not done."""
    known = dict(setup.entered)
    if not all(known.get(k) for k in ("creep_0", "creep_15", "creep_30")):
        return None
    return judge_creep(*(float(known[k]) for k in ("creep_0", "creep_15", "creep_30")), division=division)


def _creep(setup: RunSetup, s: Scale) -> Criterion | None:
    c = creep_of(setup, s.division)
    if c is None:
        return None
    says = f"In 30 min {c.in_30:+.2f} divisions, from 15 to 30 min {c.from_15:+.2f}; 0.5 and 0.2 are allowed."
    return Criterion("creep", "Creep outside what is allowed", float(not c.is_inside), "", None, 0, decimals=0, says=says, is_graded=False)


def _in_divisions(setup: RunSetup, s: Scale, judged: Sequence[Judged]) -> OutcomeTable:
    top = setup.instrument.urv
    rows = tuple(
        (
            j.slot.channel,
            plain(round(j.point.applied / s.division, 1)),
            signed(j.point.error_percent / 100 * top / s.division, 2),
            number(j.tolerance / 100 * top / s.division, 2),
        )
        for j in judged
        if j.counts
    )
    return OutcomeTable(f"In divisions of {s.division:g} kg", ("Load", "Divisions", "Error", "Allowed, plus or minus"), rows)


def _supports(seen: ScaleSeen) -> OutcomeTable:
    rows = tuple((str(n), f"{share:.1f} %", f"{seen.empty[n - 1]:g} mV/V") for n, share in enumerate(seen.shares, 1))
    return OutcomeTable("Supports", ("Support", "Carries, of the mean", "Empty"), rows)


def claim_words(past: Sequence[Past], span: SeriesPoint) -> str:
    """What the as-found history says to 'it never needs calibration'; empty while there is none to speak of."""
    values = [p.value for p in past]
    if len(values) < 2:
        return ""
    found = [*values, span.value]
    out = sum(1 for v in found if span.high is not None and abs(v) > span.high * (1 + 1e-9))
    spread = max(found) - min(found)
    told = f"Found {len(found)} times, its span lay from {min(found):+.3f} to {max(found):+.3f} %, {spread:.3f} % apart"
    if out:
        return f"{told}; {out} times outside. That it never needs calibration is not so."
    return f"{told}, never outside. That is what it showed so far; {len(found)} results don't say never."
