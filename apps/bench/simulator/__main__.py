"""Serve the simulated bench: python -m apps.bench.simulator demo/bench/world.json"""

from __future__ import annotations

import asyncio
import contextlib
import sys
from pathlib import Path

from apps.bench.simulator.bench import Bench
from apps.bench.simulator.world import load_world


def main() -> None:
    """Serve until stopped."""
    bench = Bench(load_world(Path(sys.argv[1])))
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(bench.run())


if __name__ == "__main__":
    main()
