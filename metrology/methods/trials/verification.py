"""The electronics of a magnetic flow meter, group by group: each row against its limits and against the meter's own baseline.

Sources: ISO 20456:2017 (electromagnetic flow meters); JCGM 100:2008. It is a verification of electronics, not a flow calibration.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.faults import Fault
from metrology.judgement.errors import UP, Point
from metrology.judgement.mag_signature import MagSeen, find_mag_signatures
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.methods.budget import Budget, Spread
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.steps import Step
from metrology.methods.trials.courses import on_day, trend_words
from metrology.methods.trials.points import InItsUnit, as_it_was
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, signed

COIL, ELECTRODES, SIGNAL, CURRENT, PULSE = "coil", "electrodes", "signal", "current", "pulse"
GROUPS = {
    COIL: "Coil", ELECTRODES: "Electrodes", SIGNAL: "Simulated flow", CURRENT: "Current output", PULSE: "Pulse output", "status": "Status input",
    "empty": "Empty pipe",
}  # fmt: skip
READ = (COIL, ELECTRODES, SIGNAL, CURRENT, PULSE)
DRIVEN = {SIGNAL: "Test card set to", CURRENT: "Output set to", PULSE: "Pulses set to"}
DRIVEN_NEAR = 0.002  # of the row: how near what drives it must come
OF_ROW = "A row with limits of its own; judged below."


def _read_velocities(text: str) -> str:
    """The velocities, each a number; kept as they were typed."""
    found = [parse_typed(part, name="A velocity", unit="m/s", field="velocities").value for part in text.replace(";", " ").split()]
    if not 2 <= len(found) <= 8 or any(v <= 0 or v > 20 for v in found):
        raise Fault("bad_velocities", "Give two to eight velocities above 0 and up to 20 m/s, like 0.5 1 3 10.", field="velocities")
    return text


@dataclass(frozen=True)
class MagSettings(Settings):
    """A magnetic flow meter. Baseline: what was measured when it was new or last calibrated, of `baseline_serial`; 0 where none is known."""

    diameter_mm: float = asked("Inner diameter of the pipe", default=100.0, unit="mm", low=1.0, high=5000.0)
    least_us_cm: float = asked("Least conductivity", default=5.0, unit="uS/cm", low=0.01, high=10_000.0)
    baseline_serial: str = asked("Serial of the baseline", "text", default="", hint="Of the meter that it was measured on")
    coil_ohm: float = asked("Coil, baseline", default=0.0, unit="ohm", hint="0: none known", low=0.0, high=10_000.0)
    electrode_a_kohm: float = asked("Electrode A, baseline", default=0.0, unit="kohm", hint="0: none known", low=0.0, high=1e6)
    electrode_b_kohm: float = asked("Electrode B, baseline", default=0.0, unit="kohm", hint="0: none known", low=0.0, high=1e6)
    coil_low: float = asked("Coil, least", default=10.0, unit="ohm", low=0.1, high=10_000.0)
    coil_high: float = asked("Coil, most", default=500.0, unit="ohm", low=0.1, high=10_000.0)
    velocities: str = asked("Simulated velocities", "text", default="0.5 1 3 10", read=_read_velocities, hint="m/s")
    pulse_hz: float = asked("Pulse output at full scale", default=1000.0, unit="Hz", low=0.1, high=100_000.0)
    coil_within: float = asked("Coil of the baseline within", default=10.0, unit="%", low=0.1, high=100.0, is_policy=True)
    insulation_mohm: float = asked("Coil insulation at least", default=20.0, unit="Mohm", low=0.1, high=10_000.0, is_policy=True)
    electrode_times: float = asked("Electrode over its baseline at most", default=2.0, unit="times", low=1.0, high=100.0, is_policy=True)
    uneven_percent: float = asked("Electrodes apart at most", default=30.0, unit="%", low=1.0, high=200.0, is_policy=True)
    signal_within: float = asked("Simulated flow within", default=0.5, unit="% of reading", low=0.01, high=10.0, is_policy=True)
    current_within: float = asked("Current output within", default=0.02, unit="mA", low=0.001, high=1.0, is_policy=True)
    pulse_within: float = asked("Pulse output within", default=0.1, unit="%", low=0.001, high=5.0, is_policy=True)
    again_percent: float = asked("Reconnected, as before within", default=5.0, unit="%", low=0.1, high=50.0, is_policy=True)

    @property
    def speeds(self) -> tuple[float, ...]:
        """The simulated velocities, m/s."""
        return tuple(float(p.replace(",", ".")) for p in self.velocities.replace(";", " ").split())

    def check(self) -> None:
        """Limits in their order."""
        if self.coil_low >= self.coil_high:
            raise Fault("out_of_order", f"The coil's least is {self.coil_low:g}, its most {self.coil_high:g} ohm.", field="coil_low")


def settings_of(setup: RunSetup) -> MagSettings:
    """The meter's own settings."""
    d = setup.instrument.details
    return d if isinstance(d, MagSettings) else MagSettings()


@dataclass(frozen=True)
class Row:
    """One row of a group: its value must lie from low to high, in `unit`; baseline 0 where none is known. nominal: what should be read."""

    name: str
    label: str
    unit: str
    nominal: float
    low: float | None
    high: float | None
    how: str
    baseline: float = 0.0


def rows_of(s: MagSettings, group: str, *, is_own: bool = True) -> tuple[Row, ...]:
    """The rows of a group. is_own: whether the baseline is of this meter; otherwise only limits that are the same for all of its kind count."""
    if group == COIL:
        based = s.coil_ohm if is_own else 0.0
        low, high = (based * (1 - s.coil_within / 100), based * (1 + s.coil_within / 100)) if based else (s.coil_low, s.coil_high)
        return (
            Row(COIL, "Coil resistance", "ohm", based or math.sqrt(low * high), low, high, "Ohmmeter across both coil wires.", based),
            Row(
                "insulation", "Coil to earth", "Mohm", 10 * s.insulation_mohm, s.insulation_mohm, None,
                "Insulation tester at 500 V, a coil wire to earth, converter off.",
            ),
        )  # fmt: skip
    if group == ELECTRODES:
        out = []
        for letter, based in (("a", s.electrode_a_kohm), ("b", s.electrode_b_kohm)):
            based = based if is_own else 0.0
            told = f"Electrode {letter.upper()} to the reference, pipe full and still, by alternating current."
            high = based * s.electrode_times if based else 1e5
            out.append(Row(f"electrode_{letter}", f"Electrode {letter.upper()}", "kohm", based or 10.0, 0.1, high, told, based))
        return tuple(out)
    if group == SIGNAL:
        room = s.signal_within / 100
        return tuple(
            Row(f"v_{v:g}", f"{v:g} m/s", "m/s", v, v * (1 - room), v * (1 + room), f"Test card at {v:g} m/s.", v) for v in s.speeds
        )
    if group == CURRENT:
        room = s.current_within
        return tuple(
            Row(f"ma_{c:g}", f"{c:g} mA", "mA", c, c - room, c + room, f"Output set to {c:g} mA, milliammeter in the loop.", c)
            for c in (4.0, 12.0, 20.0)
        )
    room = s.pulse_within / 100
    return tuple(
        Row(f"hz_{share}", f"{share} % of full scale", "Hz", f, f * (1 - room), f * (1 + room), f"Output set to {f:g} Hz, counter on the pulses.", f)
        for share, f in ((10, s.pulse_hz / 10), (100, s.pulse_hz))
    )  # fmt: skip


def has_own_baseline(setup: RunSetup) -> bool:
    """Whether the baseline was measured on the meter that is here."""
    return settings_of(setup).baseline_serial in ("", setup.instrument.serial)


def rows_in(setup: RunSetup, group: str) -> tuple[Row, ...]:
    """The rows of a group for this meter."""
    return rows_of(settings_of(setup), group, is_own=has_own_baseline(setup))


def group_at(channel: str) -> str:
    """The group of a row by its label, where its rows share sources; the row itself where each is read by itself."""
    ends = {" m/s": SIGNAL, " mA": CURRENT, " of full scale": PULSE}
    return next((g for end, g in ends.items() if channel.endswith(end)), channel)


def left_out(setup: RunSetup) -> tuple[str, ...]:
    """The groups that are not verified in this run."""
    known = dict(setup.entered)
    return tuple(g for g in GROUPS if known.get(f"do_{g}") == "no")


def groups_read(setup: RunSetup) -> tuple[str, ...]:
    """The groups with readings that are verified; the coil always is."""
    return tuple(g for g in READ if g not in left_out(setup))


def group_of(set_key: str) -> str:
    """The group that a set reads."""
    return next((g for g in READ if set_key.startswith(g)), COIL)


@dataclass(frozen=True)
class Verification(InItsUnit):
    """The trial: one group a set, each row a criterion."""

    has_statistics = False
    least_for_signature = 1

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """The rows of the group."""
        group = group_of(set_key)
        rows = rows_in(setup, group)
        last = max(len(rows) - 1, 1)
        made = [
            Slot(n, 1, UP, 100 * n / last, r.nominal, r.nominal, r.how, r.label, {"group": group, "row": r.name})
            for n, r in enumerate(rows)
        ]
        return Plan(tuple(made))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What is measured."""
        r = row_at(setup, slot)
        low, high = believed(r)
        doubt = (
            f"{r.label} should be near {r.nominal:g} {r.unit}. A wrong range of the meter or a digit too many reads like that: look first."
        )
        decimals = max(decimals_for(r.nominal) - 1, 0)
        shown = Quantity("indicated", r.label, r.unit, decimals, r.nominal, low, high, 0, doubt=doubt, span=abs(r.nominal))
        if slot.extra["group"] not in DRIVEN:
            return (shown,)
        near = DRIVEN_NEAR * abs(r.nominal)
        card = Quantity(
            "applied", DRIVEN[slot.extra["group"]], r.unit, decimals, r.nominal, r.nominal - near, r.nominal + near, 0, required=False,
            is_live_only=True, span=abs(r.nominal),
        )  # fmt: skip
        return (card, shown)

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """What it should be stands beside it: what card or output were really set to, where that was read."""
        return {**texts, "applied": texts.get("applied") or f"{slot.nominal:.6g}"}

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """Against what it should be, in % of that."""
        r = row_at(setup, slot)
        shown = parse_typed(reading.indicated, name=r.label, unit=r.unit).value
        return Point(
            slot.nominal, shown, slot.nominal, slot.percent / 100, slot.percent, 100 * (shown - slot.nominal) / abs(slot.nominal), UP, 1
        )

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """Half of what lies between its limits, in % of what it should be."""
        r = row_at(setup, slot)
        if r.high is None or r.low is None:
            return 1000.0
        return max(50 * (r.high - r.low) / abs(r.nominal), 1e-6)

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The last digit of the meter it is read on, and its certificate where one was chosen."""
        r = row_at(setup, slot)
        made = Budget(setup, 0.0, reading, per_input=100 / abs(r.nominal))
        meter = reading.references.get("meter")
        if meter and slot.extra["group"] == CURRENT:
            made.meter(meter, r.nominal, "mA", abs(r.nominal))
        made.resolution(parse_typed(reading.indicated, name=r.label, unit=r.unit).resolution, abs(r.nominal))
        return tuple(made.parts)

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Each row as a criterion with its limits; deviation from the baseline as a table; what moves is followed."""
        judged = tuple(replace(j, aside=OF_ROW) for j in outcome.judged)
        then = as_it_was(setup, readings[0]) if readings else setup
        group = group_of(set_key)
        found = {str(r.slot.extra["row"]): float(r.indicated) for r in readings}
        rows = [r for r in rows_in(then, group) if r.name in found]
        criteria = [_criterion(r, found[r.name]) for r in rows]
        if {"electrode_a", "electrode_b"} <= found.keys():
            a, b = found["electrode_a"], found["electrode_b"]
            apart = 200 * abs(a - b) / (a + b)
            criteria.append(Criterion("uneven", "Electrodes apart", apart, "%", None, settings_of(setup).uneven_percent, decimals=1))
        table = OutcomeTable(
            GROUPS[group],
            ("Row", "Value", "Baseline", "Off it by"),
            tuple((r.label, f"{found[r.name]:g} {r.unit}", *_against(r, found[r.name])) for r in rows),
        )
        if group == groups_read(setup)[-1]:
            criteria += _whole(setup)
        series = tuple(SeriesPoint(r.name, r.label, found[r.name], r.unit, r.low, r.high) for r in rows)
        return replace(outcome, judged=judged, criteria=tuple(criteria), tables=(table,) if rows else (), series=series)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What the group gives away."""
        s, own = settings_of(setup), has_own_baseline(setup)
        group = str(readings[-1].slot.extra["group"])
        values = {str(r.slot.extra["row"]): float(r.indicated) for r in readings}
        based = {COIL: s.coil_ohm, "electrode_a": s.electrode_a_kohm, "electrode_b": s.electrode_b_kohm} if own else {}
        errors = [j.point.error_percent for j in judged] if group == SIGNAL else []
        gain = math.fsum(errors) / len(errors) if len(errors) > 1 and max(errors) - min(errors) <= s.signal_within else None
        currents = tuple(j.point.indicated - j.point.applied for j in judged) if group == CURRENT else ()
        seen = MagSeen(values, based, s.insulation_mohm, gain, s.signal_within, currents, s.current_within)
        return find_mag_signatures(seen)

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """When each row meets a limit."""
        on = on_day(readings)
        out = []
        for p in outcome.series:
            past = setup.past(p.name, phase="as found")
            if past:
                out.append((p.label, trend_words(past, p.value, on, p.low, p.high, p.unit, part="meter")))
        return tuple(out)

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The coil as it was measured on the card, to set the reconnected one against."""
        coil = next((r.indicated for r in readings if r.slot.extra["row"] == COIL), "")
        return {"coil_seen": coil} if coil else {}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In % of what it should be."""
        return Columns(
            place="Row", applied="", ideal="Should be", read="Measured", error="Off, %", has_direction=False, by_percent=False,
            by_criteria=True, has_plot=False, x="row", y="off, %", csv_error="off (%)",
        )  # fmt: skip


def row_at(setup: RunSetup, slot: Slot) -> Row:
    """The row of a slot."""
    return next(r for r in rows_in(setup, slot.extra["group"]) if r.name == slot.extra["row"])


def believed(r: Row) -> tuple[float, float]:
    """What is believed without asking: resistances by the hundredfold, signals by a fifth."""
    wide = r.unit in ("ohm", "kohm", "Mohm")
    return (r.nominal / 100, r.nominal * 100) if wide else (r.nominal * 0.8, r.nominal * 1.2)


def _criterion(r: Row, value: float) -> Criterion:
    decimals = max(0, min(4, decimals_for(r.nominal) - 1))
    return Criterion(
        r.name,
        r.label,
        value,
        r.unit,
        r.low,
        r.high,
        ideal=r.nominal if r.high is not None else value,
        decimals=decimals,
        is_graded=r.high is not None,
    )


def _whole(setup: RunSetup) -> list[Criterion]:
    """What belongs to the verification as a whole, once it is put together again: inputs seen, the reconnection check, and what is missing."""
    known = dict(setup.entered)
    if not known.get("coil_again"):
        return []

    def met(name: str, label: str, bad: bool, says: str) -> Criterion:
        return Criterion(name, label, float(bad), "", None, 0, decimals=0, says=says if bad else "", is_graded=False)

    out = [
        met(f"{g}_seen", f"{GROUPS[g]} not seen to act", known[f"{g}_seen"] == "no", f"{GROUPS[g]}: it did not act.")
        for g in ("status", "empty")
        if known.get(f"{g}_seen")
    ]
    out.append(met("reconnect", "Reconnection check not passed", bool(reconnect_words(setup)), reconnect_words(setup)))
    missing = left_out(setup)
    told = f"Not done: {', '.join(GROUPS[g].lower() for g in missing)}. The verification is not complete." if missing else ""
    out.append(Criterion("missing", "Groups not done", len(missing), "", None, None, decimals=0, watch_high=0, says=told, is_graded=False))
    return out


def reconnect_words(setup: RunSetup) -> str:
    """What is not as it was before the wires were moved, as a sentence; empty where all is."""
    known, s = dict(setup.entered), settings_of(setup)
    seen, again = setup.value("coil_seen", 0.0), setup.value("coil_again", 0.0)
    out = []
    if seen and abs(again / seen - 1) > s.again_percent / 100 * (1 + 1e-9):
        out.append(f"the coil is {again:g} ohm, it was {seen:g} ohm")
    before, flow = setup.value("flow_before", 0.0), setup.value("flow_again", 0.0)
    if before * flow < 0 or (before and abs(flow) < abs(before) / 10):
        out.append(f"it shows {flow:g}, before it showed {before:g}")
    if known.get("alarm_again") == "yes":
        out.append("an alarm is on")
    return f"After the wires were put back {', '.join(out)}. A wire is loose or exchanged." if out else ""


def _against(r: Row, value: float) -> tuple[str, str]:
    if not r.baseline:
        return "none", ""
    return f"{r.baseline:g} {r.unit}", f"{signed(100 * (value / r.baseline - 1), 2)} %"
