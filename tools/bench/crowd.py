"""Many who watch the same live runs, and what everything else costs meanwhile."""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from urllib.parse import urlsplit

WATCHERS = 200
COMING_S, FOR_S = 5.0, 20.0


@dataclass(frozen=True)
class Crowd:
    """Frames that all of them got in a second, and what others' requests took meanwhile, ms."""

    frames_a_second: float
    others_ms: list[float]


async def _watch(host: str, port: int, run: str, cookie: str, frames: list[int], is_over: threading.Event) -> None:
    reader, writer = await asyncio.open_connection(host, port, limit=2**20)
    writer.write(f"GET /api/v1/runs/{run}/live/ HTTP/1.1\r\nHost: {host}:{port}\r\nCookie: {cookie}\r\n\r\n".encode())
    while not is_over.is_set():
        piece = await reader.read(2**16)
        if not piece:
            raise ConnectionError("A stream has ended.")
        frames[0] += piece.count(b"event: frame")
    writer.close()


def crowd(base: str, cookie: str, runs: Sequence[str], others: Sequence[Callable[[], object]]) -> Crowd:
    """Watch the runs with so many, and do others' requests one after the other."""
    at = urlsplit(base)
    frames, is_over = [0], threading.Event()

    async def all_of_them() -> None:
        await asyncio.gather(
            *(_watch(str(at.hostname), int(at.port or 80), runs[n % len(runs)], cookie, frames, is_over) for n in range(WATCHERS))
        )

    worker = threading.Thread(target=lambda: asyncio.run(all_of_them()), daemon=True)
    worker.start()
    time.sleep(COMING_S)
    before, began, took = frames[0], time.monotonic(), []
    while time.monotonic() - began < FOR_S:
        for ask in others:
            start = time.perf_counter()
            ask()
            took.append(1000 * (time.perf_counter() - start))
    rate = (frames[0] - before) / (time.monotonic() - began)
    is_over.set()
    worker.join(10)
    return Crowd(rate, took)
