"""The simulated bench: transmitters on a calibrator's channels, sensors in two blocks, stepped by time. No I/O in here."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from apps.bench.simulator.points import Point, make_point
from metrology.quantities.temperature import sensor_temperature
from metrology.simulation.belt import SimulatedBelt
from metrology.simulation.detector import Charge, Manifold, SimulatedDetector, Stream
from metrology.simulation.electrode import Medium, SimulatedAnalyzer
from metrology.simulation.pressure import PressureSource
from metrology.simulation.smart import SmartTransmitter
from metrology.simulation.thermal import Block, Probe, SensorFaults, SimulatedSensor


@dataclass
class Channel:
    """One channel of the calibrator with the transmitter on it and its point in the control system.

    kind: what the channel gives: "value" (pressure and the like), "pt" or "tc-k" (a sensor's signal).
    injected_ma: a current given into the loop instead of the transmitter's.
    """

    number: int
    tag: str
    transmitter: SmartTransmitter
    source: PressureSource
    kind: str = "value"
    scale_low: float = 0.0
    scale_high: float = 100.0
    display_error: float = 0.0
    hart_port: int = 0
    injected_ma: float | None = None

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.source.step(dt_s)
        applied = self.source.applied
        if self.kind != "value":
            applied = sensor_temperature(self.kind, applied, cold_junction_c=0.0)
        self.transmitter.step(dt_s, applied)

    @property
    def loop_ma(self) -> float:
        """What flows in the loop."""
        return self.injected_ma if self.injected_ma is not None else self.transmitter.ma

    @property
    def shown(self) -> float:
        """What the control system shows of it."""
        share = (self.loop_ma - 4.0) / 16.0 + self.display_error / 100.0
        return self.scale_low + share * (self.scale_high - self.scale_low)


@dataclass
class Well:
    """A block with its reference probe and the sensors in it."""

    code: str
    port: int
    block: Block
    probe: Probe
    sensors: list[SimulatedSensor] = field(default_factory=list)

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.block.step(dt_s)
        self.probe.step(dt_s, self.block.well_c)
        for sensor in self.sensors:
            sensor.step(dt_s, self.block.well_c)


@dataclass
class DetectorPoint:
    """A detector, or one channel of a head, with the gas manifold in front of it."""

    tag: str
    detector: SimulatedDetector
    manifold: Manifold
    channel: str = ""

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.detector.stream = self.manifold.step(dt_s)
        self.detector.step(dt_s)

    @property
    def applied(self) -> float:
        """What the open bottle's certificate says; of clean air when none is open."""
        name = self.manifold.open_bottle
        return self.manifold.bottles[name].value if name else self.manifold.ambient.value

    def open_nearest(self, value: float) -> None:
        """Open the bottle whose concentration is nearest; raises a ValueError when none is near."""
        found = min(self.manifold.bottles, key=lambda n: abs(self.manifold.bottles[n].value - value), default="")
        if not found or abs(self.manifold.bottles[found].value - value) > 0.05 * self.detector.top:
            raise ValueError(value)
        self.manifold.open_bottle = found


@dataclass
class AnalyzerPoint:
    """A pH analyzer; what is told it over its registers by number. taken: whether it took the last."""

    tag: str
    analyzer: SimulatedAnalyzer
    taken: float = 0.0

    def press(self, key: int) -> None:
        """Electrode into the first buffer, the second, the process; offset or slope accepted."""
        a = self.analyzer
        acts: list[Callable[[], bool]] = [
            lambda: a.dip("first"), lambda: a.dip("second"), lambda: a.dip("process"), a.accept_offset, a.accept_slope,
        ]  # fmt: skip
        self.taken = float(acts[key - 1]()) if 1 <= key <= len(acts) else 0.0

    @property
    def registers(self) -> tuple[float, ...]:
        """pH, mV, temperature, impedance of glass and reference, its own slope and offset, whether the last key was taken."""
        a = self.analyzer
        return (a.shown, a.shown_mv, a.temp_c, a.glass_mohm, a.reference_kohm, a.own_slope, a.own_offset, self.taken)


@dataclass
class BeltPoint:
    """A belt weigher; a test is started by its number of revolutions."""

    tag: str
    belt: SimulatedBelt
    taken: float = 0.0

    def press(self, key: int) -> None:
        """Weights hung, weights stored; the last count kept as zero or as span."""
        b = self.belt
        acts: list[Callable[[], bool]] = [lambda: b.hang(True), lambda: b.hang(False), b.accept_zero, b.accept_span]
        self.taken = float(acts[key - 1]()) if 1 <= key <= len(acts) else 0.0

    def start(self, value: float) -> None:
        """A test over so many revolutions begins."""
        self.taken = float(self.belt.start(round(value)))

    @property
    def registers(self) -> tuple[float, ...]:
        """Revolutions, count and total of the test, belt speed, stored zero and span, whether the last key was taken."""
        b = self.belt
        return (b.revolutions, b.shown_count, b.total_kg, b.speed, b.zero_stored, b.span_stored, float(b.is_testing), self.taken)


@dataclass
class World:
    """Everything on the bench."""

    channels: list[Channel]
    wells: list[Well]
    calibrator_port: int
    modbus_port: int
    speed: float = 1.0
    detectors: list[DetectorPoint] = field(default_factory=list)
    gas_port: int = 0
    analyzers: list[AnalyzerPoint] = field(default_factory=list)
    belts: list[BeltPoint] = field(default_factory=list)
    points: list[Point] = field(default_factory=list)

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass on the wall; the bench may run faster. Long waits are cut in steps."""
        left = dt_s * self.speed
        while left > 1e-9:
            part = min(0.25, left)
            for channel in self.channels:
                channel.step(part)
            for well in self.wells:
                well.step(part)
            for point in self.detectors:
                point.step(part)
            for a in self.analyzers:
                a.analyzer.step(part)
            for b in self.belts:
                b.belt.step(part)
            for p in self.points:
                p.step(part)
            left -= part

    def channel(self, tag: str) -> Channel:
        """The channel of a tag."""
        return next(c for c in self.channels if c.tag == tag)


def _detectors(rows: list[dict[str, Any]]) -> list[DetectorPoint]:
    out = []
    for n, row in enumerate(rows):
        made = dict(row["detector"])
        made["alarms"] = tuple((float(a), bool(b), bool(rising[0]) if rising else True) for a, b, *rising in made.get("alarms", ()))
        detector = SimulatedDetector(**made, seed=200 + n)
        air = Stream(20.9 if detector.technology == "oxygen" else 0.0)
        bottles = {name: Charge(**told) if isinstance(told, dict) else Charge(*told) for name, told in row.get("bottles", {}).items()}
        out.append(DetectorPoint(row["tag"], detector, Manifold(row.get("flow_l_min", 0.5), bottles, ambient=air), row.get("channel", "")))
    return out


def _analyzers(rows: list[dict[str, Any]]) -> list[AnalyzerPoint]:
    out = []
    for n, row in enumerate(rows):
        media = {name: Medium(*told) for name, told in row.get("media", {}).items()}
        out.append(AnalyzerPoint(row["tag"], SimulatedAnalyzer(**row.get("analyzer", {}), media=media, seed=300 + n)))
    return out


def load_world(path: Path) -> World:
    """A world from its JSON description."""
    return build_world(json.loads(path.read_text(encoding="utf-8")))


def build_world(data: dict[str, Any]) -> World:
    """A world from plain data; ports of 0 are chosen when it is served."""
    channels = []
    for n, row in enumerate(data.get("transmitters", []), 1):
        made = SmartTransmitter(**row["transmitter"], device_id=1000 + n, seed=n, tag=row["tag"].replace("-", "")[:8])
        source = PressureSource(
            full_scale=made.url,
            noise=row.get("source_noise", 0.0),
            warm_up=row.get("source_warm_up", 0.0),
            lag_s=row.get("source_lag_s", 0.5),
            seed=100 + n,
        )
        source.set_point = source.applied = row.get("rest", made.lrv)
        channels.append(
            Channel(
                n,
                row["tag"],
                made,
                source,
                row.get("kind", "value"),
                made.lrv,
                made.urv,
                row.get("display_error", 0.0),
                row.get("hart_port", 0),
            )
        )
    wells = []
    for n, row in enumerate(data.get("blocks", [])):
        sensors = [
            SimulatedSensor(
                s["sensor"],
                faults=SensorFaults(**s.get("faults", {})),
                noise=s.get("noise", 0.0005),
                terminal_c=s.get("terminal_c", 0.0),
                lag_s=s.get("lag_s", 2.5),
                seed=40 * n + k,
            )
            for k, s in enumerate(row["sensors"])
        ]
        wells.append(Well(row["code"], row["port"], Block(**row.get("block", {}), seed=n), Probe(seed=n + 9), sensors))
    return World(
        channels,
        wells,
        data.get("calibrator_port", 0),
        data.get("modbus_port", 0),
        data.get("speed", 1.0),
        _detectors(data.get("detectors", [])),
        data.get("gas_port", 0),
        _analyzers(data.get("analyzers", [])),
        [BeltPoint(row["tag"], SimulatedBelt(**row.get("belt", {}), seed=400 + n)) for n, row in enumerate(data.get("belts", []))],
        [make_point(row, 500 + n) for n, row in enumerate(data.get("points", []))],
    )


def scpi_number(value: float) -> str:
    """A number as SCPI writes it; what is not there reads 9.9E37."""
    return "9.9E37" if not math.isfinite(value) else f"{value:.7g}"
