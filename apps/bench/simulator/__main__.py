"""Serve the simulated bench: python -m apps.bench.simulator demo/bench/world.json"""

from __future__ import annotations

import asyncio
import contextlib
import os
import sys
from pathlib import Path

from apps.bench.simulator.bench import Bench
from apps.bench.simulator.world import load_world


async def _with_parent(bench: Bench) -> None:
    """Serve, and end when the process that started this one is gone, however it went."""
    parent = os.getppid()
    task = asyncio.create_task(bench.run())
    while os.getppid() == parent and not task.done():
        await asyncio.sleep(0.5)
    task.cancel()
    with contextlib.suppress(asyncio.CancelledError):
        await task


def main() -> None:
    """Serve until stopped."""
    bench = Bench(load_world(Path(sys.argv[1])))
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(_with_parent(bench))


if __name__ == "__main__":
    main()
