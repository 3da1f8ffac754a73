"""The bench served: every device of a world on its port, time going on whether somebody looks or not."""

from __future__ import annotations

import asyncio
import struct
import threading
import time
from collections.abc import Sequence
from typing import Any

from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from apps.bench.simulator import scpi
from apps.bench.simulator.hart import HartDevice
from apps.bench.simulator.points import KeyedPoint, Point, ScalePoint
from apps.bench.simulator.weight_string import StringServer
from apps.bench.simulator.world import AnalyzerPoint, BeltPoint, World

TICK_S = 0.05
REGISTERS_A_CHANNEL = 10
SPARE = 4  # channels that may still be put on the bench while it is served
HOLDING_REGISTERS, INPUT_REGISTERS = 3, 4  # the function codes by which the server's registers are read and set
ANALYZERS, BELTS, REGISTERS_A_POINT = 1000, 2000, 20
HELD_FROM = 4  # of an instrument's holding registers: where those begin that are read and written
POINTS, ROOM = 3000, 100  # where the other instruments start, and how far they are apart


def words(value: float, *, little: bool = False) -> list[int]:
    """The two registers of a single-precision number."""
    high, low = struct.unpack(">HH", struct.pack(">f", value))
    return [low, high] if little else [high, low]


def number(registers: Sequence[int]) -> float:
    """The single-precision number in two registers; 0 for what is none."""
    (value,) = struct.unpack(">f", struct.pack(">HH", *registers))
    return float(value) if value == value else 0.0


class Bench:
    """Serves a world. Registers of channel n start at 10 (n - 1): shown, loop mA, digital value, and mA with its words exchanged.

    Detectors follow, ten registers each: display, mA, raw signal, status word, concentration of the open bottle. Analyzers start at 1000 and
    belts at 2000, twenty registers each, other instruments at 3000, a hundred each; their
    holding registers take a start at their first register and a key at the third; from the fifth on stand those that are read and written.
    """

    def __init__(self, world: World) -> None:
        self.world = world
        self.calibrator = scpi.calibrator(world)
        self.gas = scpi.gas_manifold(world)
        self.blocks = [scpi.block(w) for w in world.wells]
        self.hart = {c.tag: HartDevice(c.transmitter) for c in world.channels if c.hart_port >= 0}
        self.strings: dict[str, StringServer] = {}
        self.ports: dict[str, int] = {}
        self._held: dict[int, list[int]] = {}
        self._modbus: ModbusTcpServer | None = None

    async def start(self) -> None:
        """Listen on every port."""
        self.ports["calibrator"] = await self.calibrator.serve(self.world.calibrator_port)
        if self.world.detectors:
            self.ports["gas"] = await self.gas.serve(self.world.gas_port)
        for well, server in zip(self.world.wells, self.blocks, strict=True):
            self.ports[f"block {well.code}"] = await server.serve(well.port)
        for channel in self.world.channels:
            if channel.tag in self.hart:
                self.ports[f"hart {channel.tag}"] = await self.hart[channel.tag].serve(channel.hart_port)
        for point in self.world.points:
            if isinstance(point, ScalePoint) and point.string_port is not None:
                self.strings[point.tag] = StringServer(point.analyzer, point.string_port)
                self.ports[f"string {point.tag}"] = await self.strings[point.tag].serve()
        await self._serve_modbus()

    @property
    def _size(self) -> int:
        if self.world.points:
            return POINTS + len(self.world.points) * ROOM
        if self.world.belts:
            return BELTS + len(self.world.belts) * REGISTERS_A_POINT
        if self.world.analyzers:
            return ANALYZERS + len(self.world.analyzers) * REGISTERS_A_POINT
        return (len(self.world.channels) + len(self.world.detectors) + SPARE) * REGISTERS_A_CHANNEL

    async def _serve_modbus(self) -> None:
        table = SimData(0, count=self._size, values=0, datatype=DataType.REGISTERS)
        told = SimData(0, count=self._size, values=0, datatype=DataType.REGISTERS)
        bits = SimData(0, count=1, values=False, datatype=DataType.BITS)
        device = SimDevice(1, simdata=([bits], [bits], [told], [table]))
        self._modbus = ModbusTcpServer(device, address=("127.0.0.1", self.world.modbus_port))
        await self._modbus.serve_forever(background=True)
        transport = self._modbus.transport
        self.ports["modbus"] = transport.sockets[0].getsockname()[1]  # type: ignore[attr-defined]

    async def run(self) -> None:
        """Let time go on until cancelled."""
        await self.start()
        at = time.monotonic()
        tick = 0
        while True:
            await asyncio.sleep(TICK_S)
            now = time.monotonic()
            self.world.step(now - at)
            at = now
            tick += 1
            await self._serve_points()
            if tick % 2 == 0:
                await self._show()

    async def _show(self) -> None:
        registers: list[int] = []
        for c in self.world.channels:
            ma = c.loop_ma
            registers += words(c.shown) + words(ma) + words(c.transmitter.pv) + words(ma, little=True) + [0, 0]
        for point in self.world.detectors:
            d = point.detector
            registers += words(d.shown) + words(d.ma) + words(d.signal) + words(float(d.status)) + words(point.applied)
        if self._modbus and registers:
            await self._modbus.async_setValues(1, INPUT_REGISTERS, 0, registers)

    async def _serve_points(self) -> None:
        for n, analyzer in enumerate(self.world.analyzers):
            await self._serve_point(ANALYZERS + n * REGISTERS_A_POINT, analyzer)
        for n, belt in enumerate(self.world.belts):
            await self._serve_point(BELTS + n * REGISTERS_A_POINT, belt)
        for n, other in enumerate(self.world.points):
            await self._serve_point(POINTS + n * ROOM, other)

    async def _serve_point(self, at: int, point: AnalyzerPoint | BeltPoint | Point) -> None:
        """Take what was written to an instrument, and show what it shows."""
        if self._modbus is None:
            return
        asked = await self._modbus.async_getValues(1, HOLDING_REGISTERS, at, 4)
        start, key = (number(asked[k : k + 2]) for k in (0, 2))
        if start and not isinstance(point, AnalyzerPoint):
            point.start(start)
        if key:
            point.press(round(key))
        if start or key:
            await self._modbus.async_setValues(1, HOLDING_REGISTERS, at, [0, 0, 0, 0])
        await self._modbus.async_setValues(1, INPUT_REGISTERS, at, [w for value in point.registers for w in words(value)])
        if isinstance(point, KeyedPoint) and point.held:
            await self._serve_held(at + HELD_FROM, point)

    async def _serve_held(self, at: int, point: KeyedPoint[Any]) -> None:
        """Registers that can be read and written: what differs from what was last shown there was written, and is taken or not."""
        if self._modbus is None:
            return
        shown = self._held.get(at)
        there = list(await self._modbus.async_getValues(1, HOLDING_REGISTERS, at, 2 * len(point.held)))
        for n in range(len(point.held)):
            if shown and there[2 * n : 2 * n + 2] != shown[2 * n : 2 * n + 2]:
                point.hold(n, number(there[2 * n : 2 * n + 2]))
        self._held[at] = [w for value in point.held for w in words(value)]
        await self._modbus.async_setValues(1, HOLDING_REGISTERS, at, self._held[at])

    async def stop(self) -> None:
        """Close every port."""
        servers = [
            self.calibrator.server,
            self.gas.server,
            *(b.server for b in self.blocks),
            *(h.server for h in self.hart.values()),
            *(s.server for s in self.strings.values()),
        ]
        for server in servers:
            if server:
                server.close()
        if self._modbus:
            await self._modbus.shutdown()


class BenchThread:
    """A bench in a thread of its own, for tests and measurements; entering waits until it listens."""

    def __init__(self, world: World) -> None:
        self.bench = Bench(world)
        self._ready = threading.Event()
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._task: asyncio.Task[None] | None = None

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        self._loop.run_until_complete(self._main())

    async def _main(self) -> None:
        self._task = asyncio.create_task(self.bench.run())
        while "modbus" not in self.bench.ports and not self._task.done():
            await asyncio.sleep(0.01)
        self._ready.set()
        try:
            await self._task
        except asyncio.CancelledError:
            await self.bench.stop()
            others = [t for t in asyncio.all_tasks() if t is not asyncio.current_task()]
            for task in others:
                task.cancel()
            await asyncio.gather(*others, return_exceptions=True)

    def __enter__(self) -> Bench:
        self._thread.start()
        self._ready.wait(10)
        return self.bench

    def __exit__(self, *_: object) -> None:
        if self._task:
            self._loop.call_soon_threadsafe(self._task.cancel)
        self._thread.join(5)
