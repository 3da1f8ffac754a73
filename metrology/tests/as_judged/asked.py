"""How cases are laid out: as they are, or with everything changed around each."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterable, Iterator
from typing import Any

from metrology.tests.as_judged.around import around

Asked = Iterable[tuple[str, dict[str, Any]]]
Judged = dict[str, tuple[Callable[..., Any], Callable[[], Asked]]]  # by name: what judges, and the cases


def each(given: Iterable[dict[str, Any]]) -> Iterator[tuple[str, dict[str, Any]]]:
    """Cases as they are."""
    return ((str(n), g) for n, g in enumerate(given))


def turned(given: Iterable[dict[str, Any]]) -> Iterator[tuple[str, dict[str, Any]]]:
    """Cases with everything changed around each."""
    return ((f"{n} {how}", other) for n, g in enumerate(given) for how, other in around(g))


def drawn(make: Callable[[str, random.Random], Any], truths: Iterable[str], name: str, times: int = 1, **more: Any) -> Asked:
    """Made by a trial's own simulation, one of each fault, and everything changed around it."""
    rng = random.Random(4001)
    return turned([{name: make(truth, rng), **more} for truth in truths for _ in range(times)])
