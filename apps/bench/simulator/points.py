"""Instruments on the bench that are served alike: registers that show, a register that takes a key, one that takes a number."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Generic, Protocol, TypeVar

from metrology.simulation.cell import SimulatedCell
from metrology.simulation.injector import KEPT, SimulatedAnalyte, SimulatedInjector
from metrology.simulation.magnetic import SimulatedMagnetic
from metrology.simulation.mass_flow import SimulatedMassFlow
from metrology.simulation.mixture import SimulatedComponent, SimulatedMixture
from metrology.simulation.scale import SimulatedScale
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


class Simulated(Protocol):
    """An instrument that lives on its own time."""

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        ...


S = TypeVar("S", bound=Simulated)
Acts = Sequence[Callable[[], bool]]


@dataclass
class KeyedPoint(Generic[S]):
    """An instrument with numbered keys; what each does is its own. taken: whether it took the last one."""

    tag: str
    analyzer: S
    taken: float = 0.0

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.analyzer.step(dt_s)

    def acts(self) -> Acts:
        """What its keys do, from 1 on."""
        return ()

    @property
    def held(self) -> tuple[float, ...]:
        """What it holds in registers that can be written."""
        return ()

    def hold(self, which: int, value: float) -> None:
        """Something else was written to one of them; what is not taken stands as before."""

    def press(self, key: int) -> None:
        """Press a key by its number; one that is not there is not taken."""
        acts = self.acts()
        self.taken = float(acts[key - 1]()) if 1 <= key <= len(acts) else 0.0


class CellPoint(KeyedPoint[SimulatedCell]):
    """A conductivity analyzer."""

    def acts(self) -> Acts:
        """Cell into air, a resistor in its place, into the solution, the process; zero or constant accepted."""
        c = self.analyzer
        return (
            lambda: c.move("air"), lambda: c.move("cable"), lambda: c.move("solution"), lambda: c.move("process"), c.accept_zero, c.accept_constant,
        )  # fmt: skip

    def start(self, value: float) -> None:
        """The resistor is turned to so many ohm."""
        if value > 0:
            self.analyzer.ohm = value

    @property
    def registers(self) -> tuple[float, ...]:
        """Compensation off and on, its temperature, the thermometer in the beaker, resistor, constant set, whether the last key was taken."""
        c = self.analyzer
        beaker = c.places["solution"][1]
        return (c.shown_raw, c.shown, c.shown_c, beaker, c.ohm, c.cell_now, self.taken)


class TracePoint(KeyedPoint[SimulatedTrace]):
    """A trace oxygen analyzer with its gas manifold."""

    def acts(self) -> Acts:
        """Span gas, zero gas, sample; the set flow, twice that; span accepted; new cell out of its bag, shut in."""
        a = self.analyzer
        return (
            lambda: a.switch("span"), lambda: a.switch("zero"), lambda: a.switch("sample"), lambda: a.set_rate(a.set_flow),
            lambda: a.set_rate(2 * a.set_flow), a.accept_span, a.open_air, a.shut,
        )  # fmt: skip

    def start(self, value: float) -> None:
        """The flow is set to so many l/min."""
        self.taken = float(self.analyzer.set_rate(value))

    @property
    def registers(self) -> tuple[float, ...]:
        """What it shows, the cell's current, the flow, whether the last key was taken."""
        a = self.analyzer
        return (a.shown, a.signal, a.flow, self.taken)


MIXTURES = ("mix:A", "mix:B", "mix:C")
ZERO_KEY, GAIN_KEY = 20, 40  # the key of the first component's zero, and of its gain


class MixturePoint(KeyedPoint[SimulatedMixture]):
    """An extractive analyzer of several components."""

    def acts(self) -> Acts:
        """Zero gas, mixtures A to C, sample; continuous, single shot; the set flow, half of it; a zero of its own."""
        a = self.analyzer
        return (
            lambda: a.switch("zero"), *(partial(a.switch, m) for m in MIXTURES), lambda: a.switch("sample"), lambda: a.set_mode("continuous"),
            lambda: a.set_mode("single"), lambda: a.set_rate(a.set_flow), lambda: a.set_rate(a.set_flow / 2), a.auto_zero,
        )  # fmt: skip

    def press(self, key: int) -> None:
        """The same, and from their own numbers on zero and gain of each component."""
        if key >= GAIN_KEY:
            self.taken = float(self.analyzer.accept_span(key - GAIN_KEY))
        elif key >= ZERO_KEY:
            self.taken = float(self.analyzer.accept_zero(key - ZERO_KEY))
        else:
            super().press(key)

    def start(self, value: float) -> None:
        """The sample flow is set to so many l/min."""
        self.taken = float(self.analyzer.set_rate(value))

    @property
    def registers(self) -> tuple[float, ...]:
        """Flow, status, temperature of its cells, whether the last key was taken, then each component."""
        a = self.analyzer
        return (a.flow, float(a.status), a.temperature_c, self.taken, *(a.shown(c) for c in a.components))


class InjectorPoint(KeyedPoint[SimulatedInjector]):
    """An injected-sample analyzer."""

    def acts(self) -> Acts:
        """Standard, blank or sample into the syringe; injected; factors accepted; column baked out; power cut."""
        a = self.analyzer
        return (
            lambda: a.load("standard"), lambda: a.load("blank"), lambda: a.load("sample"), a.inject, a.accept, a.recondition, a.cut_power,
        )  # fmt: skip

    def start(self, value: float) -> None:
        """Nothing is set by a number."""

    @property
    def registers(self) -> tuple[float, ...]:
        """Time since the injection, since power came, what the leak test lost, whether the last key was taken, the latest samples of the detector with
        its clock, each component."""
        a = self.analyzer
        told = [(0.0, a.baseline)] * (KEPT - len(a.latest)) + list(a.latest)
        return (a.run_s, a.uptime_s, a.lost_kpa, self.taken, *(v for pair in told for v in pair), *a.shown.values())


@dataclass
class ScalePoint(KeyedPoint[SimulatedScale]):
    """A scale with its indicator. string_port: where it sends its weight over and over; None where it does not."""

    string_port: int | None = None

    def acts(self) -> Acts:
        """One piece more, one less, all off; zero; span by the load that is on; what binds it is freed; service mode on, off."""
        s = self.analyzer
        return (
            lambda: s.put(s.load_kg + s.piece_kg), lambda: s.put(s.load_kg - s.piece_kg), lambda: s.put(0.0), s.zero, s.set_span, s.free,
            lambda: s.serve(is_on=True), lambda: s.serve(is_on=False),
        )  # fmt: skip

    def start(self, value: float) -> None:
        """So many kg lie on it."""
        self.taken = float(self.analyzer.put(value))

    @property
    def held(self) -> tuple[float, ...]:
        """The parameters of its indicator."""
        return self.analyzer.parameters

    def hold(self, which: int, value: float) -> None:
        """A parameter set."""
        self.analyzer.hold(which, value)

    @property
    def registers(self) -> tuple[float, ...]:
        """What it shows, whether it says that it stands, whether the last key was taken, each cell by itself."""
        s = self.analyzer
        return (s.shown, float(s.is_stable), self.taken, *s.cells)


class MassFlowPoint(KeyedPoint[SimulatedMassFlow]):
    """A mass flow meter in its line."""

    def acts(self) -> Acts:
        """Downstream shut, upstream shut, a second valve shut, cut-off off; cut-off on, upstream open, downstream open; its own zero adjustment."""
        m = self.analyzer
        return (
            lambda: m.turn("down", is_open=False), lambda: m.turn("up", is_open=False), lambda: m.turn("second", is_open=False), lambda: m.cut(is_on=False),
            lambda: m.cut(is_on=True), lambda: m.turn("up", is_open=True), lambda: m.turn("down", is_open=True), m.set_zero,
        )  # fmt: skip

    def start(self, value: float) -> None:
        """Nothing is set by a number."""

    @property
    def registers(self) -> tuple[float, ...]:
        """Flow, density, drive gain, temperature, zero stored, whether the last key was taken."""
        m = self.analyzer
        return (m.shown, m.shown_density, m.drive, m.temperature, m.stored, self.taken)


class MagneticPoint(KeyedPoint[SimulatedMagnetic]):
    """A magnetic flow meter on its test card."""

    def start(self, value: float) -> None:
        """A set point of card, current output or pulses, told apart by its size."""
        self.taken = float(self.analyzer.set(value))

    @property
    def registers(self) -> tuple[float, ...]:
        """Card and velocity, output set and measured, pulses set and measured, coil, its insulation, both electrodes, whether the last one was taken."""
        m = self.analyzer
        return (m.card, m.velocity, m.out_ma, m.ma, m.out_hz, m.hz, m.coil, m.insulation, m.electrode_a, m.electrode_b, self.taken)


def _magnetic(row: Mapping[str, Any], seed: int) -> Point:
    return MagneticPoint(row["tag"], SimulatedMagnetic(**row.get("set", {}), seed=seed))


def _scale(row: Mapping[str, Any], seed: int) -> Point:
    return ScalePoint(row["tag"], SimulatedScale(**row.get("set", {}), seed=seed), string_port=row.get("string_port"))


def _mass_flow(row: Mapping[str, Any], seed: int) -> Point:
    return MassFlowPoint(row["tag"], SimulatedMassFlow(**row.get("set", {}), seed=seed))


def _injector(row: Mapping[str, Any], seed: int) -> Point:
    told = dict(row.get("set", {}))
    analytes = [SimulatedAnalyte(**a) for a in told.pop("analytes")]
    return InjectorPoint(row["tag"], SimulatedInjector(analytes, **told, seed=seed))


def _mixture(row: Mapping[str, Any], seed: int) -> Point:
    told = dict(row.get("set", {}))
    components = [SimulatedComponent(**c) for c in told.pop("components")]
    effects = [(str(a), str(b), float(v)) for a, b, v in told.pop("effects", [])]
    return MixturePoint(row["tag"], SimulatedMixture(components, effects=effects, **told, seed=seed))


def _trace(row: Mapping[str, Any], seed: int) -> Point:
    return TracePoint(row["tag"], SimulatedTrace(**row.get("set", {}), seed=seed))


def _cell(row: Mapping[str, Any], seed: int) -> Point:
    told = dict(row.get("set", {}))
    places = {name: (float(k), float(t)) for name, (k, t) in told.pop("places", {}).items()}
    return CellPoint(row["tag"], SimulatedCell(**told, places=places, seed=seed))


KINDS: dict[str, Callable[[Mapping[str, Any], int], Point]] = {
    "cell": _cell, "injector": _injector, "magnetic": _magnetic, "mass flow": _mass_flow, "mixture": _mixture, "scale": _scale, "trace": _trace,
}  # fmt: skip


def make_point(row: Mapping[str, Any], seed: int) -> Point:
    """A point from its JSON description: tag, kind, and what is set in it."""
    return KINDS[row["kind"]](row, seed)
