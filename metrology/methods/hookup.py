"""What is connected to what for a reading: a chain of boxes and lines that a screen draws, and the same in words."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.methods.fragments import ABSOLUTE, DIFFERENTIAL, LoopSettings, pressure_kind, sensor_of
from metrology.methods.setup import RunSetup

SHUT, OPEN = "shut", "open"
LEAST_LOOP_OHM = 230.0  # HART physical layer: below it a communicator is not heard


@dataclass(frozen=True)
class Box:
    """Something at the end of a line: what it is called, and the role of the run whose item it is (empty: the instrument itself, or none)."""

    title: str
    role: str = ""


@dataclass(frozen=True)
class Valve:
    """A valve on the instrument's process side, as it stands while it is read."""

    name: str
    state: str


@dataclass(frozen=True)
class Line:
    """From one box to the next. kind: tube, wires, well or hook; wires: how many; poles: plus to plus; ohm: a resistor in it, 0 for none."""

    kind: str
    label: str
    wires: int = 0
    poles: bool = False
    ohm: float = 0.0
    valves: tuple[Valve, ...] = ()


@dataclass(frozen=True)
class Hookup:
    """A chain, one line fewer than boxes, told in sentences."""

    boxes: tuple[Box, ...]
    lines: tuple[Line, ...]
    says: tuple[str, ...]


def no_hookup(_setup: RunSetup) -> Hookup | None:
    """Nothing is drawn."""
    return None


def _loop(setup: RunSetup) -> tuple[tuple[Box, ...], tuple[Line, ...], tuple[str, ...]]:
    """From the instrument to the meter that reads its output; nothing where it is read on its own display."""
    i = setup.instrument
    if i.is_digital:
        return (), (), (f"Read {i.tag} on its own display or by its communication; no meter is in the way.",)
    if i.output_unit != "mA":
        return (Box("Output meter", "indicated"),), (Line("wires", "output", 2, True),), ("Meter across the output, plus to plus.",)
    ohm = i.details.loop_ohm if isinstance(i.details, LoopSettings) else 0.0
    says = ["Meter in series: open the loop at the plus terminal; the meter's plus to the supply, its minus to the transmitter's plus."]
    if ohm:
        says.append(
            f"{ohm:g} ohm are in the loop; a communicator needs {LEAST_LOOP_OHM:g} or more, and clips on across them or the transmitter."
        )
    return (Box("Output meter", "indicated"),), (Line("wires", "loop, in series", 2, True, ohm),), tuple(says)


def transmitter_hookup(setup: RunSetup) -> Hookup | None:
    """A transmitter with its source on the input and a meter in its loop."""
    line, says = _input(setup)
    boxes, lines, told = _loop(setup)
    return Hookup((Box("Input reference", "applied"), Box(setup.instrument.tag), *boxes), (line, *lines), (*says, *told))


def _input(setup: RunSetup) -> tuple[Line, tuple[str, ...]]:
    d, kind = sensor_of(setup), pressure_kind(setup)
    told: tuple[str, ...]
    if d.thermocouple:
        told = (
            f"Plus to plus through extension wire of type {d.thermocouple}; copper between adds a junction of its own.",
            "Sensor wires off and marked.",
        )
        return Line("wires", f"type {d.thermocouple}", 2, True), told
    if d.is_platinum:
        pairs = {
            2: "Two wires: what the leads add is read as temperature.",
            3: "Three wires of one length: the single one on one side, the pair joined at the other side of the simulator.",
            4: "Four wires: one pair at each side, current outside, voltage inside.",
        }
        return Line("wires", f"{d.wires} wires", d.wires), (f"{pairs[d.wires]} Sensor wires off and marked.",)
    if kind == DIFFERENTIAL:
        two = (Valve("Isolation high", SHUT), Valve("Isolation low", SHUT), Valve("Equaliser", SHUT), Valve("Vent low", OPEN))
        told = (
            "Both isolation valves shut, pressure let off through the equaliser; then shut the equaliser.",
            "Reference and pump on the high side, the low side open to the air.",
        )
        return Line("tube", "high side", valves=two), told
    if kind:
        more = "; it has to hold a vacuum." if kind == ABSOLUTE else "."
        told = (
            f"Isolation valve shut, vent opened slowly. Reference and pump on the test connection{more}",
            "Source and instrument at one height.",
        )
        return Line("tube", "test connection", valves=(Valve("Isolation", SHUT), Valve("Vent", OPEN))), told
    return Line("wires", "input", 2, True), ("Reference on the input, plus to plus; what feeds it in service is off and marked.",)


def sensor_hookup(setup: RunSetup) -> Hookup | None:
    """A temperature sensor in a block or bath beside the reference probe, read by a readout."""
    d = sensor_of(setup)
    wires = 2 if d.thermocouple else d.wires
    line = Line("wires", f"{wires} wires", wires, bool(d.thermocouple))
    read = {
        2: "Two wires: the leads' resistance is taken off as the register has it."
        if d.is_platinum
        else "Plus to plus, extension wire of its own type.",
        3: "Three wires of one length, the pair on one side.",
        4: "Four wires, a pair at each side of the readout.",
    }
    says = ("Sensor and reference probe side by side, tips at one depth, at least fifteen diameters in.", read[wires])
    return Hookup(
        (Box("Block or bath", "block"), Box(setup.instrument.tag), Box("Readout", "indicated")), (Line("well", "in the well"), line), says
    )


def current_source_hookup(setup: RunSetup) -> Hookup | None:
    """A current source in the place of the transmitter."""
    told = (
        "The transmitter's wires off, insulated and marked; the source in their place, plus to plus, sinking where the card feeds the loop."
    )
    boxes = (Box("Current source", "applied"), Box("Input card"), Box("Display"))
    return Hookup(boxes, (Line("wires", "in its place", 2, True), Line("wires", "control system", 0)), (told,))


def displacer_hookup(setup: RunSetup) -> Hookup | None:
    """Weights on the hook in the place of the displacer."""
    boxes, lines, told = _loop(setup)
    first = "Displacer off its hook and kept clean; the tray hangs free in its place, and its own mass counts."
    return Hookup((Box("Weights", "applied"), Box(setup.instrument.tag), *boxes), (Line("hook", "on its hook"), *lines), (first, *told))
