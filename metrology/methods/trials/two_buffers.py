"""Two buffers: what an analyzer reads in each, and what the pair says of its electrode: slope, offset, speed, impedances.

Sources: DIN 19266:2015 (buffers), DIN 19268:2007 (practice), IUPAC Recommendations 2002 (slope and offset), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from itertools import pairwise

from metrology.faults import Fault
from metrology.judgement.errors import UP, Point
from metrology.judgement.ph_signature import Electrode, GlassLimits, InBuffer, find_ph_signatures, nernst
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.buffer import buffer_value
from metrology.methods.trials.courses import life_of, of_this_life, on_day, trend_words
from metrology.methods.trials.curve import tolerance_of
from metrology.methods.trials.points import InItsUnit, as_it_was
from metrology.quantities.acidity import electrode_slope
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import number, signed

FIRST, SECOND = "first", "second"
NAMES = {FIRST: "First buffer", SECOND: "Second buffer"}
SLOPE, OFFSET = "slope_percent", "offset_mv"
TYPICAL = {FIRST: 7.0, SECOND: 4.0}
BELIEVED_PH = 1.5  # further from its buffer a reading is asked about: another beaker reads like that
BUFFER_C = 0.5  # half-width of how well the buffer's temperature is known, C
APART_C = 2.0  # two buffers further apart in temperature are remarked


@dataclass(frozen=True)
class Analyzer:
    """What the trial must know of the analyzer. tells_mv, tells_impedance: what it shows.

    grab_tolerance, grab_u in pH: how far it may be from a grab sample, and U of reading that sample.
    """

    limits: GlassLimits
    offset_limit_mv: float
    tells_mv: bool = True
    tells_impedance: bool = False
    grab_tolerance: float = 0.2
    grab_u: float = 0.1


@dataclass(frozen=True)
class TwoBuffers(InItsUnit):
    """The trial. analyzer: what it must know of the instrument, from its setup."""

    analyzer: Callable[[RunSetup], Analyzer]
    has_statistics = False
    least_for_signature = 2

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """First buffer, second buffer."""
        return Plan(tuple(self._slot(setup, n, role) for n, role in enumerate((FIRST, SECOND))))

    def _slot(self, setup: RunSetup, n: int, role: str) -> Slot:
        i = setup.instrument
        ph = self.table_ph(setup, role)
        percent = 100 * (ph - i.lrv) / (i.urv - i.lrv)
        how = {
            FIRST: "Rinse with water, then with this buffer; pat dry, don't rub. A fresh portion; stir, then let it stand.",
            SECOND: "Rinse with water, then with this buffer, so that none of the first is carried over. A fresh portion.",
        }[role]
        return Slot(n, 1, UP, percent, ph, ph, how, NAMES[role], {"role": role})

    def table_ph(self, setup: RunSetup, role: str) -> float:
        """pH of the buffer of a role at the temperature that was entered; a typical one before it is chosen."""
        if f"{role}.ph" not in dict(setup.entered):
            return TYPICAL[role]
        return buffer_value(setup, role, setup.value("buffer_c", 25.0))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What the analyzer reads, the buffer's temperature, and what it tells of its electrode."""
        a, span = self.analyzer(setup), setup.instrument.urv - setup.instrument.lrv
        doubt = (
            f"This buffer is pH {slot.ideal:.2f}. The other beaker, the same buffer again, a cap left on, or bad glass read like that: "
            "look, then take it or type it again."
        )
        low, high = slot.ideal - BELIEVED_PH, slot.ideal + BELIEVED_PH
        c = setup.value("buffer_c", 25.0)
        at = -nernst(c) * (slot.ideal - 7.0)
        optional = (
            Quantity("response_s", "Time to 95 %", "s", 0, 30, 0, 3600, 10, required=False, span=3600),
            Quantity("analyzer_c", "Temperature the analyzer shows", "°C", 1, c, -10, 140, 5, required=False, span=150),
        )
        impedances = (
            Quantity("glass_mohm", "Glass impedance", "Mohm", 0, 100, 0, 10_000, 50, required=False, span=1000),
            Quantity("ref_kohm", "Reference impedance", "kohm", 1, 5, 0, 10_000, 50, required=False, span=1000),
        )
        return (
            Quantity("indicated", "Analyzer reads", "pH", 2, slot.ideal, low, high, 0.1, doubt=doubt, span=span, tells_apart=True),
            Quantity("mv", "Electrode signal", "mV", 1, at, -800, 800, 20, required=a.tells_mv, span=nernst(c) * span),
            Quantity(
                "buffer_c", "Temperature of this buffer", "°C", 1, c, 5, 50, 5, required=False, hint=f"Empty: {c:g} °C as measured before", span=50
            ),
            *optional,
            *(impedances if a.tells_impedance and slot.extra["role"] == FIRST else ()),
        )  # fmt: skip

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """The buffer's temperature becomes the pH its table gives there."""
        given = texts.get("buffer_c") or f"{setup.value('buffer_c', 25.0):g}"
        ph = buffer_value(setup, slot.extra["role"], float(given))
        signal = f", {texts['mv']} mV" if texts.get("mv") else ""
        return {**texts, "buffer_c": given, "applied": f"{ph:.3f}", "simulated": f"at {given} °C{signal}"}

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The analyzer's own, in pH as % of the range."""
        return tolerance_of(setup, applied)

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The buffer's own U, how well its temperature is known, the last digit, the spread of a captured trace."""
        span, role = setup.instrument.urv - setup.instrument.lrv, slot.extra["role"]
        b = Budget(setup, point.applied, reading, per_input=100 / span)
        known = dict(setup.entered)
        b.add(f"Buffer {known.get(f'{role}.code', '')}", 100 * float(known.get(f"{role}.u", "0.02")) / span, divisor=2.0)
        c = float(reading.extra.get("buffer_c") or 25.0)
        b.add("Temperature of the buffer", 100 * _per_c(setup, role, c) * BUFFER_C / span, "rectangular")
        b.resolution(parse_typed(reading.indicated, name="The reading", unit="pH").resolution, span)
        b.settling({"indicated": span})
        return tuple(b.parts)

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Slope, offset, speed and impedances as criteria; what was read and what earlier calibrations gave as tables."""
        grab = _grab(setup, self.analyzer(setup)) if set_key.startswith("as_found") else None
        setup = _then(setup, readings)
        e = self.electrode(setup, readings)
        if e is None:
            return outcome
        return replace(
            outcome,
            criteria=(*_criteria(setup, e, self.analyzer(setup)), *((grab,) if grab else ())),
            tables=(_signals(e), *_calibrations(setup, e)),
            series=(
                SeriesPoint(SLOPE, "Slope", e.slope_percent, "%", e.limits.replace, e.limits.contaminated),
                SeriesPoint(OFFSET, "Offset", e.offset_mv, "mV", -e.limits.offset_mv, e.limits.offset_mv),
            ),
        )

    def electrode(self, setup: RunSetup, readings: Sequence[RawReading]) -> Electrode | None:
        """What both buffers say together; None until both are read."""
        by_role = {str(r.slot.extra.get("role")): r for r in readings}
        if FIRST not in by_role or SECOND not in by_role:
            return None
        a = self.analyzer(setup)
        first, second = (self.in_buffer(setup, by_role[r]) for r in (FIRST, SECOND))
        try:
            told = electrode_slope(first.mv, first.ph, e2_mv=second.mv, ph2=second.ph, temp_c=(first.temp_c + second.temp_c) / 2)
        except Fault:
            return None
        days = tuple(date.fromisoformat(p.on) for p in setup.past(OFFSET, phase="as found"))
        return Electrode(
            first,
            second,
            told.efficiency_percent,
            told.offset_mv,
            dict(setup.entered).get(f"{FIRST}.table", "nist"),
            _number(by_role[FIRST], "glass_mohm"),
            _number(by_role[FIRST], "ref_kohm"),
            tuple(p.value for p in of_this_life(setup, OFFSET)),
            tuple(float((b - x).days) for x, b in pairwise([*days, *([on_day(readings)] if days else [])])),
            a.limits,
        )

    def in_buffer(self, setup: RunSetup, reading: RawReading) -> InBuffer:
        """One buffer as the electrode met it; its signal worked out from the analyzer's own calibration where it shows none."""
        setup = as_it_was(setup, reading)
        temp = float(reading.extra.get("buffer_c") or setup.value("buffer_c", 25.0))
        shown = _number(reading, "analyzer_c")
        indicated = float(reading.indicated)
        mv = _number(reading, "mv")
        if mv is None:
            slope = setup.value("slope_now", 100.0) / 100 * nernst(temp if shown is None else shown)
            mv = setup.value("offset_now", 0.0) - slope * (indicated - 7.0)
        return InBuffer(float(reading.applied), indicated, mv, temp, shown, _response(reading))

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What the pair gives away."""
        e = self.electrode(_then(setup, readings), readings)
        if e is None:
            return ()
        span = setup.instrument.urv - setup.instrument.lrv
        return find_ph_signatures(e, tolerance=min(j.tolerance for j in judged) * span / 100)

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """The trend of slope and offset, and when each meets its limit."""
        setup = _then(setup, readings)
        e = self.electrode(setup, readings)
        if e is None:
            return ()
        on = on_day(readings)
        out = [
            ("Slope", trend_words(of_this_life(setup, SLOPE), e.slope_percent, on, e.limits.good_low, None, "%")),
            ("Offset", trend_words(of_this_life(setup, OFFSET), e.offset_mv, on, -e.limits.offset_mv, e.limits.offset_mv, "mV")),
        ]
        if abs(e.first.temp_c - e.second.temp_c) > APART_C:
            out.append(
                ("Temperatures", f"The buffers were {abs(e.first.temp_c - e.second.temp_c):.1f} °C apart: bring them to one temperature.")
            )
        return tuple(out)

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In pH."""
        per = (setup.instrument.urv - setup.instrument.lrv) / 100
        return Columns(
            place="Buffer", applied="Table", applied_unit="pH", ideal="", read="Read", error="Error, pH", unit="pH", per_percent=per,
            decimals=3, has_direction=False, by_percent=False, ticks_by_value=True, x="pH", y="Error, pH", csv_error="error (pH)",
        )  # fmt: skip


def _then(setup: RunSetup, readings: Sequence[RawReading]) -> RunSetup:
    """The setup as it stood when the set was read: an electrode exchanged later does not reach back."""
    return as_it_was(setup, readings[0]) if readings else setup


def _number(reading: RawReading, name: str) -> float | None:
    text = reading.extra.get(name)
    return float(text) if text not in (None, "") else None


def _response(reading: RawReading) -> float | None:
    """Time to 95 %, typed or of the captured trace."""
    typed = _number(reading, "response_s")
    if typed is not None:
        return typed
    captured = reading.captured
    found = [captured[n].get("t95_s") for n in ("mv", "indicated") if n in captured]
    return next((float(t) for t in found if t is not None), None)


def _per_c(setup: RunSetup, role: str, c: float) -> float:
    """How much the buffer's pH moves with one degree, at its temperature; 0 where its table says nothing."""
    try:
        return abs(buffer_value(setup, role, min(50.0, c + 0.5)) - buffer_value(setup, role, max(5.0, c - 0.5)))
    except (Fault, KeyError):
        return 0.0


def _criteria(setup: RunSetup, e: Electrode, a: Analyzer) -> tuple[Criterion, ...]:
    lim = e.limits
    apart = abs(e.first.ph - e.second.ph)
    theory = nernst((e.first.temp_c + e.second.temp_c) / 2)
    slope_mv = e.slope_percent / 100 * theory
    known = dict(setup.entered)
    u1, u2 = (float(known.get(f"{r}.u", "0.02")) for r in (FIRST, SECOND))
    u_slope = 100 * math.hypot(u1, u2) / apart
    out = [
        Criterion(
            SLOPE, "Slope", e.slope_percent, "%", lim.replace, lim.contaminated, 100.0, u_slope, 1, lim.good_low, 102.0,
            f"{slope_mv:.2f} mV/pH; theory gives {theory:.2f} mV/pH at {(e.first.temp_c + e.second.temp_c) / 2:.1f} °C.",
        ),
        Criterion(
            OFFSET, "Offset at pH 7", e.offset_mv, "mV", -a.offset_limit_mv, a.offset_limit_mv, 0.0, theory * u1, 1, -lim.offset_mv,
            lim.offset_mv,
        ),
    ]  # fmt: skip
    times = [b.response_s for b in (e.first, e.second) if b.response_s is not None]
    if times:
        out.append(Criterion("response_s", "Time to 95 %", max(times), "s", None, 2 * lim.response_s, 0.0, 0.0, 0, None, lim.response_s))
    if e.glass_mohm is not None:
        out.append(
            Criterion("glass_mohm", "Glass impedance", e.glass_mohm, "Mohm", lim.glass_low, 2 * lim.glass_high, lim.glass_low, 0.0, 0, None, lim.glass_high)
        )  # fmt: skip
    if e.reference_kohm is not None:
        out.append(
            Criterion("ref_kohm", "Reference impedance", e.reference_kohm, "kohm", None, 2 * lim.reference_high, 0.0, 0.0, 1, None, lim.reference_high)
        )  # fmt: skip
    return tuple(out)


def _grab(setup: RunSetup, a: Analyzer) -> Criterion | None:
    """How far it was from the grab sample before anything was touched; None where none was read."""
    known = dict(setup.entered)
    if not known.get("grab_ph") or not known.get("grab_read"):
        return None
    sample, read = float(known["grab_ph"]), float(known["grab_read"])
    says = f"In the line it read {read:.2f}, the sample {sample:.2f}."
    return Criterion(
        "grab", "Against the grab sample", read - sample, "pH", -a.grab_tolerance, a.grab_tolerance, 0.0, a.grab_u, 2, says=says
    )


def _signals(e: Electrode) -> OutcomeTable:
    """What the electrode gave in each buffer."""

    def row(name: str, b: InBuffer) -> tuple[str, ...]:
        seconds = f"{number(b.response_s, 0)} s" if b.response_s is not None else ""
        return (name, f"{number(b.temp_c, 1)} °C", number(b.ph, 3), f"{number(b.mv, 1)} mV", seconds)

    return OutcomeTable(
        "Electrode",
        ("Buffer", "Temperature", "Table pH", "Signal", "95 % after"),
        (row(NAMES[FIRST], e.first), row(NAMES[SECOND], e.second)),
    )


def _calibrations(setup: RunSetup, e: Electrode) -> tuple[OutcomeTable, ...]:
    """This calibration beside the earlier ones, the latest six."""
    slopes, offsets = setup.past(SLOPE), setup.past(OFFSET)
    if not slopes:
        return ()
    rows = [("this one", number(e.slope_percent, 1), signed(e.offset_mv, 1), life_of(setup))]
    by_key = {(p.on, p.phase): p for p in offsets}
    for p in reversed(slopes[-6:]):
        off = by_key.get((p.on, p.phase))
        rows.append((f"{p.on}, {p.phase}", number(p.value, 1), signed(off.value, 1) if off else "", p.life))
    return (OutcomeTable("This calibration and those before it", ("When", "Slope, %", "Offset, mV", "Electrode"), tuple(rows)),)
