"""Times of acts, in milliseconds."""

from __future__ import annotations

import time
from collections.abc import Callable


def percentile(values: list[float], share: float) -> float:
    """The value below which `share` of the values lie."""
    ordered = sorted(values)
    return ordered[min(len(ordered) - 1, int(share * len(ordered)))]


def timed(times: int, act: Callable[[], object], *, before: Callable[[], object] | None = None) -> list[float]:
    """Milliseconds of each of `times` acts, what is done before each not counted."""
    taken = []
    for _ in range(times):
        if before:
            before()
        at = time.perf_counter()
        act()
        taken.append(1000 * (time.perf_counter() - at))
    return taken
