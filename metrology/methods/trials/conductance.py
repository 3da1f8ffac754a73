"""A conductivity cell: a resistor in its place at the end of the cable, dry in air, and in a standard solution.

Sources: ISO 7888:1985 (measurement, compensation), IUPAC Technical Report 2001 (solutions), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.faults import Fault
from metrology.judgement.conductivity_signature import CellReading, find_conductivity_signatures
from metrology.judgement.errors import UP, Point
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.solution import solution_value
from metrology.methods.steps import Step
from metrology.methods.trials.courses import life_of, of_this_life, on_day, trend_words
from metrology.methods.trials.curve import tolerance_of
from metrology.methods.trials.points import InItsUnit, as_it_was
from metrology.quantities.conductivity import NONE, coefficient_of, to_reference
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import convert, convert_width
from metrology.quantities.words import number

AIR, CABLE, SOLUTION = "air", "cable", "solution"
BASE = "uS/cm"
CONSTANT = "cell_constant"
BELIEVED = 0.3  # share of the solution; further from it a reading is asked about: another beaker reads like that
SOLUTION_C = 0.1  # half-width of how well the solution's temperature is known, C
TELLING_C = 2.0  # so far from 25 °C compensation shows
TYPICAL_US_CM = 1413.0


@dataclass(frozen=True)
class Cell:
    """What the trial must know of an analyzer and its cell. cell_now: constant set in it, nominal: of its kind, 1/cm.

    mode, coefficient (%/°C): compensation set. air_percent: of span, let go in air. constant_good, constant_bad: change from nominal, %.
    compensation_limit in %, temperature_limit in C. resistor_percent: how well the resistor is known, 0: no cable check.
    """

    cell_now: float
    nominal: float
    mode: str
    coefficient: float
    air_percent: float
    constant_good: float
    constant_bad: float
    compensation_limit: float
    temperature_limit: float
    checks_cable: bool
    resistor_percent: float
    tells_raw: bool


@dataclass(frozen=True)
class Conductance(InItsUnit):
    """The trial. cell: what it must know of the instrument, from its setup."""

    cell: Callable[[RunSetup], Cell]
    has_statistics = False
    least_for_signature = 2

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """At the resistor where the cable is checked, in air, in the solution."""
        places = (*((CABLE,) if self.cell(setup).checks_cable else ()), AIR, SOLUTION)
        return Plan(tuple(self._slot(setup, n, place) for n, place in enumerate(places)))

    def _slot(self, setup: RunSetup, n: int, place: str) -> Slot:
        i = setup.instrument
        how = {
            AIR: "Cell on its cable again, rinsed in pure water and dried well; let it hang in air: it must read nothing.",
            CABLE: "Take the cell off and put a resistor of known value in its place, with compensation off, so that the reading falls "
            "inside the range.",
            SOLUTION: "Rinse with a little of the solution, pour that away; then a fresh portion, no bubbles, cell as deep as it works.",
        }[place]
        nominal = {AIR: 0.0, CABLE: (i.lrv + i.urv) / 2, SOLUTION: self.wanted(setup)}[place]
        name = {AIR: "Dry air", CABLE: "Resistor", SOLUTION: "Solution"}[place]
        percent = 100 * (nominal - i.lrv) / (i.urv - i.lrv)
        return Slot(
            n,
            1,
            UP,
            percent,
            nominal,
            nominal,
            how,
            name,
            {"place": place, "role": SOLUTION if place == SOLUTION else ""},
            is_open=place == CABLE,
        )

    def true(self, setup: RunSetup, temp_c: float | None = None) -> float:
        """Conductivity of the solution at its temperature, uS/cm; a typical one before it is chosen."""
        if f"{SOLUTION}.code" not in dict(setup.entered):
            return TYPICAL_US_CM
        return solution_value(setup, SOLUTION, setup.value("solution_c", 25.0) if temp_c is None else temp_c)

    def wanted(self, setup: RunSetup, temp_c: float | None = None) -> float:
        """What it should read in the solution, in the instrument's unit: as it is, or referred to 25 °C where it can't be switched off."""
        c = self.cell(setup)
        t = setup.value("solution_c", 25.0) if temp_c is None else temp_c
        true = self.true(setup, t)
        factor = 1.0 if c.tells_raw else to_reference(t, c.mode, percent_per_c=c.coefficient)
        return convert(true * factor, BASE, to_unit=setup.instrument.unit)

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What it reads; in the solution with compensation off and on, and both temperatures; the resistor in place of the cell."""
        i, c = setup.instrument, self.cell(setup)
        span, place = i.urv - i.lrv, slot.extra["place"]
        decimals = _decimals(span)
        if place == AIR:
            room = 0.05 * span
            doubt = "In air it must read nothing. A wet cell or plug, or a cell still in water, reads like that: dry it, or type it again."
            return (
                Quantity(
                    "indicated", "Reads in air", i.unit, decimals, 0.0, -room, room, 0.01 * span, doubt=doubt, span=span, tells_apart=True
                ),
            )
        if place == CABLE:
            most = 1e6 * c.cell_now / max(1e-9, convert(max(abs(i.urv), abs(i.lrv)), i.unit, to_unit=BASE))
            return (
                Quantity("ohm", "Resistor in its place", "ohm", 1, 2 * most, most, 1e9, 1, span=most * 10, hint=f"At least {most:.0f} ohm"),
                Quantity("indicated", "Reads, compensation off", i.unit, decimals, slot.ideal, i.lrv - 0.1 * span, i.urv + 0.1 * span, 0, span=span),
            )  # fmt: skip
        t = setup.value("solution_c", 25.0)
        low, high = slot.ideal * (1 - BELIEVED), slot.ideal * (1 + BELIEVED)
        doubt = (
            f"This solution is {slot.ideal:.4g} {i.unit} as it stands. Another bottle, another unit, another cell constant or a cell "
            "half in the air read like that: look, then take it or type it again."
        )
        what = "Reads, compensation off" if c.tells_raw else "Reads, referred to 25 °C"
        referred = convert(self.true(setup) * to_reference(t, c.mode, percent_per_c=c.coefficient), BASE, to_unit=i.unit)
        on = Quantity(
            "referred", "Reads, compensation on", i.unit, decimals, referred, 0, 1e9, 0, required=c.tells_raw and c.mode != NONE, span=span
        )
        return (
            Quantity("indicated", what, i.unit, decimals, slot.ideal, low, high, 0.01 * slot.ideal, doubt=doubt, span=span, tells_apart=True),
            *((on,) if c.tells_raw and c.mode != NONE else ()),
            Quantity("solution_c", "Temperature of the solution", "°C", 1, t, 0, 50, 2, required=False, hint=f"Empty: {t:g} °C as before", span=50),
            Quantity("analyzer_c", "Temperature it shows", "°C", 1, t, -10, 150, 2, required=False, span=150),
        )  # fmt: skip

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """The resistor, or the solution at its temperature, becomes the conductivity it stands for."""
        unit, place = setup.instrument.unit, slot.extra["place"]
        if place == AIR:
            return {**texts, "applied": "0", "simulated": "dry air"}
        if place == CABLE:
            value = convert(1e6 * self.cell(setup).cell_now / float(texts["ohm"]), BASE, to_unit=unit)
            return {**texts, "applied": f"{value:.6g}", "simulated": f"{texts['ohm']} ohm"}
        given = texts.get("solution_c") or f"{setup.value('solution_c', 25.0):g}"
        return {**texts, "solution_c": given, "applied": f"{self.wanted(setup, float(given)):.6g}", "simulated": f"at {given} °C"}

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The analyzer's own; in air the smaller of it and what is let go there."""
        own = tolerance_of(setup, applied)
        return min(own, self.cell(setup).air_percent) if slot.extra["place"] == AIR else own

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """Of the solution its U and its temperature, of the resistor its value; the last digit, the spread of a captured trace."""
        i, place = setup.instrument, slot.extra["place"]
        span = i.urv - i.lrv
        b = Budget(setup, point.applied, reading, per_input=100 / span)
        if place == CABLE:
            b.add("Resistor", self.cell(setup).resistor_percent / 100 * point.applied * 100 / span, "rectangular")
        if place == SOLUTION:
            known = dict(setup.entered)
            u = float(known.get(f"{SOLUTION}.u", "1")) / 100
            b.add(f"Solution {known.get(f'{SOLUTION}.code', '')}", 100 * u * point.applied / span, divisor=2.0)
            t = float(reading.extra.get("solution_c") or 25.0)
            moved = self._per_c(setup, t)
            b.add("Temperature of the solution", 100 * moved * SOLUTION_C / span, "rectangular")
        b.resolution(parse_typed(reading.indicated, name="The reading", unit=i.unit).resolution, span)
        b.settling({"indicated": span})
        return tuple(b.parts)

    def _per_c(self, setup: RunSetup, temp_c: float) -> float:
        """How much what should be read moves with one degree at a temperature, in the instrument's unit; 0 at the end of the table."""
        try:
            return abs(self.wanted(setup, temp_c + 0.5) - self.wanted(setup, temp_c - 0.5))
        except (Fault, KeyError):
            return 0.0

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Cell constant, compensation and temperature as criteria; this calibration beside those before."""
        setup = as_it_was(setup, readings[0]) if readings else setup
        found = self.told(setup, readings)
        if found is None:
            return outcome
        c = self.cell(setup)
        new = c.cell_now * found.true / found.raw if found.raw else c.cell_now / (1 + found.error / 100)
        return replace(
            outcome,
            criteria=_criteria(setup, c, found, new),
            tables=(_signals(setup, c, found, new), *_before(setup, new)),
            series=(
                SeriesPoint(CONSTANT, "Cell constant", new, "/cm", c.nominal * (1 - c.constant_bad / 100), c.nominal * (1 + c.constant_bad / 100)),
            ),
        )  # fmt: skip

    def told(self, setup: RunSetup, readings: Sequence[RawReading]) -> CellReading | None:
        """What air, cable and solution say together; None until the solution is read, or where it read nothing."""
        by_place = {str(r.slot.extra.get("place")): r for r in readings}
        if SOLUTION not in by_place or AIR not in by_place:
            return None
        i, c, read = setup.instrument, self.cell(setup), by_place[SOLUTION]
        then = as_it_was(setup, read)
        t = float(read.extra.get("solution_c") or setup.value("solution_c", 25.0))
        true = self.true(then, t)
        indicated = convert(float(read.indicated), i.unit, to_unit=BASE)
        if indicated <= 0:
            return None
        on = _number(read, "referred")
        applied = convert(float(read.applied), i.unit, to_unit=BASE)
        referred = convert(on, i.unit, to_unit=BASE) if on is not None else None if c.tells_raw else indicated
        span = convert_width(i.urv - i.lrv, i.unit, to_unit=BASE)
        return CellReading(
            true,
            t,
            tolerance_of(setup, float(read.applied)) / 100 * span / applied * 100,
            convert(float(by_place[AIR].indicated), i.unit, to_unit=BASE),
            self.tolerance_for(setup, by_place[AIR].slot, 0.0) / 100 * span,
            c.cell_now,
            c.mode,
            c.coefficient,
            indicated if c.tells_raw else None,
            referred,
            true * to_reference(t, c.mode, percent_per_c=c.coefficient),
            _number(read, "analyzer_c"),
            _off(by_place[CABLE]) if CABLE in by_place else None,
            compensation_limit=c.compensation_limit,
            constants=tuple(p.value for p in of_this_life(setup, CONSTANT)),
        )

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What the cell gives away."""
        found = self.told(as_it_was(setup, readings[0]), readings)
        return find_conductivity_signatures(found) if found else ()

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """The course of the cell constant; where the solution stood too near to 25 °C, that compensation did not show."""
        setup = as_it_was(setup, readings[0])
        found = self.told(setup, readings)
        if found is None:
            return ()
        c = self.cell(setup)
        new = c.cell_now / (1 + found.error / 100)
        low, high = (c.nominal * (1 + s * c.constant_good / 100) for s in (-1, 1))
        out = [("Cell constant", trend_words(of_this_life(setup, CONSTANT), new, on_day(readings), low, high, "/cm", "cell"))]
        if c.mode != NONE and found.raw is not None and abs(found.temp_c - 25.0) < TELLING_C:
            told = f"The solution stood at {found.temp_c:g} °C, next to 25 °C: whether the compensation is right hardly shows there."
            out.append(("Compensation", told))
        return tuple(out)

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The constant to set is the one the solution gave."""
        found = self.told(as_it_was(setup, readings[0]), readings) if readings else None
        if found is None or not step.key.startswith("constant"):
            return {}
        return {"cell_now": f"{self.cell(setup).cell_now / (1 + found.error / 100):.4g}"}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In the analyzer's unit."""
        i = setup.instrument
        return Columns(
            place="In", applied="Should read", applied_unit=i.unit, ideal="", read="Read", error=f"Error, {i.unit}", unit=i.unit,
            per_percent=(i.urv - i.lrv) / 100, decimals=_decimals(i.urv - i.lrv), has_direction=False, by_percent=False,
            ticks_by_value=True, x=i.unit, y=f"Error, {i.unit}", csv_error=f"error ({i.unit})",
        )  # fmt: skip


def _number(reading: RawReading, name: str) -> float | None:
    text = reading.extra.get(name)
    return float(text) if text not in (None, "") else None


def _decimals(span: float) -> int:
    """How a conductivity is shown."""
    return 3 if span <= 10 else 2 if span <= 100 else 1


def _off(reading: RawReading) -> float:
    """How far a reading is off, % of what it should be."""
    applied = float(reading.applied)
    return 100 * (float(reading.indicated) / applied - 1) if applied else 0.0


def _criteria(setup: RunSetup, c: Cell, found: CellReading, new: float) -> tuple[Criterion, ...]:
    u = float(dict(setup.entered).get(f"{SOLUTION}.u", "1")) / 100 * new
    low, high = (c.nominal * (1 + s * c.constant_bad / 100) for s in (-1, 1))
    good_low, good_high = (c.nominal * (1 + s * c.constant_good / 100) for s in (-1, 1))
    decimals = 5 if c.nominal < 0.1 else 4 if c.nominal < 1 else 3
    out = [
        Criterion(
            CONSTANT, "Cell constant", new, "/cm", low, high, c.nominal, u, decimals, good_low, good_high,
            f"{c.cell_now:g} /cm is set; cells of its kind have {c.nominal:g} /cm.",
        )
    ]  # fmt: skip
    if found.ratio_off is not None:
        limit = c.compensation_limit
        out.append(
            Criterion(
                "compensation", "Compensation on against off", found.ratio_off, "%", -2 * limit, 2 * limit, decimals=2, watch_low=-limit,
                watch_high=limit, says=_implied(found),
            )
        )  # fmt: skip
    if found.analyzer_c is not None:
        limit = c.temperature_limit
        off = found.analyzer_c - found.temp_c
        out.append(
            Criterion("temperature", "Its temperature", off, "°C", -2 * limit, 2 * limit, decimals=1, watch_low=-limit, watch_high=limit)
        )
    return tuple(out)


def _implied(found: CellReading) -> str:
    """Which coefficient it works with, where that shows."""
    if found.raw is None or found.referred is None:
        return ""
    try:
        value = coefficient_of(found.raw, found.referred, found.temp_c)
    except Fault:
        return "The solution stood next to 25 °C; it hardly shows there."
    return f"It works like {value:.2f} %/°C at {found.temp_c:g} °C."


def _signals(setup: RunSetup, c: Cell, found: CellReading, new: float) -> OutcomeTable:
    """What the solution gave."""
    i = setup.instrument

    def told(value: float | None) -> str:
        return f"{number(convert(value, BASE, to_unit=i.unit), 2)} {i.unit}" if value is not None else ""

    rows = [("Compensation off", told(found.raw), told(found.true))] if found.raw is not None else []
    if found.referred is not None:
        rows.append(("Compensation on", told(found.referred), told(found.wanted)))
    rows.append(("Cell constant", f"{c.cell_now:.4g} /cm set", f"{new:.4g} /cm"))
    return OutcomeTable(f"In the solution at {number(found.temp_c, 1)} °C", ("", "Found", "Should be"), tuple(rows))


def _before(setup: RunSetup, new: float) -> tuple[OutcomeTable, ...]:
    """The cell constant beside the earlier ones, the latest six."""
    past = setup.past(CONSTANT)
    if not past:
        return ()
    rows = [("this one", f"{new:.4g}", life_of(setup)), *((f"{p.on}, {p.phase}", f"{p.value:.4g}", p.life) for p in reversed(past[-6:]))]
    return (OutcomeTable("This calibration and those before it", ("When", "Cell constant, /cm", "Cell"), tuple(rows)),)
