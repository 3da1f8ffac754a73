"""An indicator that sends its weight ten times a second to whoever listens."""

from __future__ import annotations

import asyncio
import contextlib

from metrology.simulation.scale import SimulatedScale

EACH_S = 0.1


class StringServer:
    """Serves one scale. garbled: the next lines are broken, for tests."""

    def __init__(self, scale: SimulatedScale, port: int) -> None:
        self.scale, self.port, self.garbled = scale, port, 0
        self.server: asyncio.Server | None = None

    def line(self) -> str:
        """What it sends now."""
        s = self.scale
        if self.garbled:
            self.garbled -= 1
            return "S,+00#2"
        status = "O" if s.raw > s.top_kg + 9 * s.division else "S" if s.is_stable else "D"
        decimals = max(0, len(f"{s.division:g}".partition(".")[2]))
        return f"{status},{s.shown:+09.{decimals}f} kg"

    async def serve(self) -> int:
        """Start; the port it listens on."""
        self.server = await asyncio.start_server(self._talk, "127.0.0.1", self.port)
        return int(self.server.sockets[0].getsockname()[1])

    async def _talk(self, _reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(ConnectionError):
            while True:
                writer.write(f"{self.line()}\r\n".encode())
                await writer.drain()
                await asyncio.sleep(EACH_S)
