"""Instruments on the bench that are served alike: registers that show, a register that takes a key, one that takes a number."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

from metrology.simulation.cell import SimulatedCell
from metrology.simulation.trace import SimulatedTrace


class Point(Protocol):
    """An instrument as the bench serves it."""

    tag: str

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        ...

    def press(self, key: int) -> None:
        """Press a key by its number."""
        ...

    def start(self, value: float) -> None:
        """Take a number that was written to it."""
        ...

    @property
    def registers(self) -> tuple[float, ...]:
        """What its registers show, one number after the other."""
        ...


@dataclass
class CellPoint:
    """A conductivity analyzer. taken: whether it took the last key."""

    tag: str
    cell: SimulatedCell
    taken: float = 0.0

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.cell.step(dt_s)

    def press(self, key: int) -> None:
        """Cell into air, a resistor in its place, into the solution, the process; zero or constant accepted."""
        c = self.cell
        acts: list[Callable[[], bool]] = [
            lambda: c.move("air"), lambda: c.move("cable"), lambda: c.move("solution"), lambda: c.move("process"), c.accept_zero, c.accept_constant,
        ]  # fmt: skip
        self.taken = float(acts[key - 1]()) if 1 <= key <= len(acts) else 0.0

    def start(self, value: float) -> None:
        """The resistor is turned to so many ohm."""
        if value > 0:
            self.cell.ohm = value

    @property
    def registers(self) -> tuple[float, ...]:
        """Compensation off and on, its temperature, the thermometer in the beaker, resistor, constant set, whether the last key was taken."""
        c = self.cell
        beaker = c.places["solution"][1]
        return (c.shown_raw, c.shown, c.shown_c, beaker, c.ohm, c.cell_now, self.taken)


@dataclass
class TracePoint:
    """A trace oxygen analyzer with its gas manifold. taken: whether it took the last key."""

    tag: str
    analyzer: SimulatedTrace
    taken: float = 0.0

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.analyzer.step(dt_s)

    def press(self, key: int) -> None:
        """Span gas, zero gas, sample; the set flow, twice that; span accepted; new cell out of its bag, shut in."""
        a = self.analyzer
        acts: list[Callable[[], bool]] = [
            lambda: a.switch("span"), lambda: a.switch("zero"), lambda: a.switch("sample"), lambda: a.set_rate(a.set_flow),
            lambda: a.set_rate(2 * a.set_flow), a.accept_span, a.open_air, a.shut,
        ]  # fmt: skip
        self.taken = float(acts[key - 1]()) if 1 <= key <= len(acts) else 0.0

    def start(self, value: float) -> None:
        """The flow is set to so many l/min."""
        self.taken = float(self.analyzer.set_rate(value))

    @property
    def registers(self) -> tuple[float, ...]:
        """What it shows, the cell's current, the flow, whether the last key was taken."""
        a = self.analyzer
        return (a.shown, a.signal, a.flow, self.taken)


def _trace(row: Mapping[str, Any], seed: int) -> Point:
    return TracePoint(row["tag"], SimulatedTrace(**row.get("set", {}), seed=seed))


def _cell(row: Mapping[str, Any], seed: int) -> Point:
    told = dict(row.get("set", {}))
    places = {name: (float(k), float(t)) for name, (k, t) in told.pop("places", {}).items()}
    return CellPoint(row["tag"], SimulatedCell(**told, places=places, seed=seed))


KINDS: dict[str, Callable[[Mapping[str, Any], int], Point]] = {"cell": _cell, "trace": _trace}


def make_point(row: Mapping[str, Any], seed: int) -> Point:
    """A point from its JSON description: tag, kind, and what is set in it."""
    return KINDS[row["kind"]](row, seed)
