"""Error signatures of a conductivity cell: damp, dirt, cable, bottle, unit, temperature and its compensation.

Sources: ISO 7888:1985 (measurement and compensation), IUPAC Technical Report 2001 (standard solutions).
"""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import Fault
from metrology.judgement.signature import Signature
from metrology.quantities.conductivity import NONE, to_reference

BOTTLES_US_CM = (10.0, 84.0, 147.0, 1413.0, 12_880.0, 111_800.0)  # standards as they are sold, at 25 °C
CONSTANTS = (0.01, 0.1, 1.0, 10.0)  # cell constants as they are made, 1/cm
NEAR = 0.05  # share: how near a ratio must come to be taken for the cause
SUDDEN = 0.6  # share of the change since the cell was first seen that came at once
MODE_WORDS = {"linear": "linear", "natural": "natural water", "none": "none"}


@dataclass(frozen=True)
class CellReading:
    """What a cell told in air, at the end of its cable and in the solution. Conductivities in uS/cm, temperatures in C, errors in %.

    true: of the solution at temp_c; raw: read with compensation off; referred: with it on; wanted: what that should be by the mode and
    coefficient set. ratio_off: referred over raw against what they should be to one another, %. air_limit and tolerance (% of the solution): what
    is let go. constants: of earlier calibrations, oldest first.
    """

    true: float
    temp_c: float
    tolerance: float
    air: float
    air_limit: float
    cell_now: float
    mode: str
    coefficient: float
    raw: float | None = None
    referred: float | None = None
    wanted: float | None = None
    analyzer_c: float | None = None
    cable: float | None = None
    cable_limit: float = 1.0
    compensation_limit: float = 1.0
    constants: tuple[float, ...] = ()

    @property
    def error(self) -> float:
        """In the solution, % of it; by the reading with compensation off where there is one."""
        if self.raw is not None:
            return 100 * (self.raw / self.true - 1)
        return 100 * ((self.referred or 0.0) / (self.wanted or self.true) - 1)

    @property
    def ratio_off(self) -> float | None:
        """How far compensation on and off are from one another against what they should be, %; None where only one was read."""
        if self.raw is None or self.referred is None or not self.wanted or not self.raw:
            return None
        return 100 * ((self.referred / self.raw) / (self.wanted / self.true) - 1)


def find_conductivity_signatures(c: CellReading) -> tuple[Signature, ...]:
    """The named causes, most telling first. Nothing is named while all is inside what is let go."""
    found = [
        made for make in (_unit, _bottle, _constant, _air, _cable, _temperature, _compensation, _cell) if (made := make(c)) is not None
    ]
    certain = {"wrong-unit", "wrong-bottle", "wrong-cell-constant"} & {s.code for s in found}
    if certain:
        found = [s for s in found if s.code not in ("dirty-cell", "reads-high")]
    if "cable" in {s.code for s in found}:
        found = [s for s in found if s.code != "dirty-cell"]
    return tuple(sorted(found, key=lambda s: -s.confidence))


def _is_off(c: CellReading) -> bool:
    return abs(c.error) > c.tolerance * (1 + 1e-9)


def _ratio(c: CellReading) -> float:
    return 1 + c.error / 100


def _near(value: float, wanted: float) -> bool:
    return wanted > 0 and abs(value / wanted - 1) <= NEAR


def _unit(c: CellReading) -> Signature | None:
    for factor, told in ((1000.0, "a thousand times"), (0.001, "a thousandth of")):
        if _near(_ratio(c), factor):
            evidence = (f"It reads {told} what the solution is: mS/cm and uS/cm are that far apart.",)
            return Signature(
                "wrong-unit", "The unit on the display is not the one in the register.", "Set the unit, then read again.", 0.9, evidence
            )
    return None


def _bottle(c: CellReading) -> Signature | None:
    """It reads what another bottle would be, and the cell is not one whose constant explains it."""
    if not _is_off(c):
        return None
    read_at_25 = _ratio(c) * c.true * to_reference(c.temp_c, "linear", percent_per_c=1.9)
    ours = c.true * to_reference(c.temp_c, "linear", percent_per_c=1.9)
    other = next((b for b in BOTTLES_US_CM if _near(read_at_25, b) and not abs(ours / b - 1) <= 3 * NEAR), None)
    if other is None:
        return None
    is_round = any(_near(_ratio(c), x / c.cell_now) for x in CONSTANTS if x != c.cell_now)
    return Signature(
        "wrong-bottle",
        f"Another bottle is in the beaker: it reads like a standard of {other:g} uS/cm.",
        "Look at the label, strike the reading, and take it again from the right bottle.",
        0.5 if is_round else 0.8,
        (f"Referred to 25 °C it reads {read_at_25:.0f} uS/cm; the solution chosen is {ours:.0f} uS/cm.",),
    )


def _constant(c: CellReading) -> Signature | None:
    if not _is_off(c):
        return None
    made = next((x for x in CONSTANTS if not _near(x, c.cell_now) and _near(1 / _ratio(c), x / c.cell_now)), None)
    if made is None or (c.constants and _near(c.constants[-1], c.cell_now)):
        return None
    return Signature(
        "wrong-cell-constant",
        f"The cell is one of constant {made:g} /cm; {c.cell_now:g} /cm is set.",
        "Read the constant on the cell; set it, then read again.",
        0.75,
        (f"It reads {_ratio(c):.3g} times what the solution is, as another cell would.",),
    )


def _air(c: CellReading) -> Signature | None:
    if abs(c.air) <= c.air_limit:
        return None
    if c.air > 0:
        return Signature(
            "damp",
            "The cell or its plug is damp: in air it must read nothing.",
            "Dry cell, plug and cable end; read in air again before anything is set.",
            0.7,
            (f"In air it reads {c.air:g} uS/cm; {c.air_limit:g} uS/cm is let go.",),
        )
    return Signature(
        "zero-set-wet",
        "The last zero was set with the cell wet: in air it reads below nothing.",
        "Dry the cell well, then set zero in air.",
        0.7,
        (f"In air it reads {c.air:g} uS/cm.",),
    )


def _cable(c: CellReading) -> Signature | None:
    if c.cable is None or abs(c.cable) <= c.cable_limit:
        return None
    same = _is_off(c) and abs(c.cable - c.error) <= max(c.cable_limit, 0.3 * abs(c.error))
    return Signature(
        "cable",
        "Cable, plug or input are off: with a resistor in place of the cell it reads wrong as well.",
        "Check cable, plug, screens and cable length set in it; the cell is not to blame before that.",
        0.85 if same else 0.6,
        (
            f"At the resistor it is {c.cable:+.2f} % off, in the solution {c.error:+.2f} %.",
            "Both are off alike: the cell itself is good." if same else "The two are not off alike: the cell may be off beside it.",
        ),
    )


def _temperature(c: CellReading) -> Signature | None:
    if c.analyzer_c is None or c.mode == NONE:
        return None
    off = c.analyzer_c - c.temp_c
    try:
        moved = 100 * (
            to_reference(c.analyzer_c, c.mode, percent_per_c=c.coefficient) / to_reference(c.temp_c, c.mode, percent_per_c=c.coefficient)
            - 1
        )
    except Fault:
        return None
    seen = c.ratio_off if c.ratio_off is not None else c.error
    if abs(seen) <= c.compensation_limit or abs(moved) < 0.5 * abs(seen) or moved * seen < 0:
        return None
    return Signature(
        "temperature-sensor",
        "It reckons with a wrong temperature: its sensor in the cell is off, or a fixed value is set.",
        "Compare its temperature with a thermometer in the beaker, after it has stood; put the sensor right before the constant is touched.",
        0.85,
        (f"It shows {c.analyzer_c:g} °C, the thermometer {c.temp_c:g} °C: {off:+.1f} °C move the compensated reading by {moved:+.1f} %.",),
    )


def _compensation(c: CellReading) -> Signature | None:
    """On and off are not to one another as what is set would make them, and no temperature explains it."""
    if c.ratio_off is None or abs(c.ratio_off) <= c.compensation_limit or _temperature(c) is not None:
        return None
    share = c.referred / c.raw if c.raw and c.referred else 1.0
    away = c.temp_c - 25.0
    fits = [m for m, f in _modes(c.temp_c, c.coefficient) if abs(100 * (share / f - 1)) <= c.compensation_limit]
    implied = f" It works like {(1 / share - 1) / away * 100:.2f} %/°C." if abs(away) >= 1 else ""
    told = f" It fits {' or '.join(fits)}." if fits else ""
    return Signature(
        "wrong-compensation",
        "Another temperature compensation works in it than the one in the register.",
        f"Look at mode and coefficient set in it; the register has {MODE_WORDS[c.mode]}"
        + (f", {c.coefficient:g} %/°C" if c.mode == "linear" else "")
        + ".",
        0.85,
        (f"Compensation on and off stand {c.ratio_off:+.1f} % from one another against what is set.{implied}{told}",),
    )


def _modes(temp_c: float, coefficient: float) -> list[tuple[str, float]]:
    out = [("no compensation", 1.0)]
    for words, mode, value in (
        (f"linear with {coefficient:g} %/°C", "linear", coefficient),
        ("linear with 2 %/°C", "linear", 2.0),
        ("natural water", "natural", 0.0),
    ):
        try:
            out.append((words, to_reference(temp_c, mode, percent_per_c=value)))
        except Fault:
            continue
    return out


def _cell(c: CellReading) -> Signature | None:
    """Off in the solution alone: low says dirt, a bubble or a thinned solution, high says a solution that dried in."""
    if not _is_off(c):
        return None
    course = _course(c)
    if c.error > 0:
        return Signature(
            "reads-high",
            "It reads high in the solution: the solution dried in or was left open, another was carried over, or the cell is bent.",
            "Rinse, take a fresh portion, and read again before the constant is touched.",
            0.5,
            (f"In the solution it reads {c.error:+.1f} %; in air it reads nothing.", *course),
        )
    is_sudden = bool(c.constants) and not _is_creeping(c)
    return Signature(
        "dirty-cell",
        "It reads low in the solution: dirt on the electrodes, an air bubble, or rinse water in the portion.",
        "Knock bubbles off and take a fresh portion; if it stays low, clean the cell and read again."
        if is_sudden
        else "Clean the cell, then read again; only then set the constant.",
        0.7,
        (f"In the solution it reads {c.error:+.1f} %; in air it reads nothing.", *course),
    )


def _is_creeping(c: CellReading) -> bool:
    first, last = c.constants[0], c.constants[-1]
    new = c.cell_now / _ratio(c)
    whole = new - first
    return len(c.constants) >= 2 and whole != 0 and (last - first) / whole >= 1 - SUDDEN


def _course(c: CellReading) -> tuple[str, ...]:
    if not c.constants:
        return ()
    new = c.cell_now / _ratio(c)
    told = ", ".join(f"{k:.4g}" for k in c.constants[-4:])
    return (f"Cell constant before: {told} /cm; now {new:.4g} /cm: " + ("it creeps." if _is_creeping(c) else "it came at once."),)
