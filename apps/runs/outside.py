"""What runs ask of the bench, which puts itself in here when it starts: what a signal is, how long an instrument has had power."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from config.failures import Missing

Describe = Callable[[str, str], dict[str, Any]]
DESCRIBE: list[Describe] = []


PowerOf = Callable[[str], "float | None"]
POWERED: list[PowerOf] = []


def powered_for_s(tag: str) -> float | None:
    """For how many seconds an instrument has had power, as it tells itself; None where it does not, or can't be asked."""
    for told in POWERED:
        return told(tag)
    return None


def describe_signal(signal_id: str, quantity: str) -> dict[str, Any]:
    """What a run is told of a chosen signal; without a bench there is none."""
    for told in DESCRIBE:
        return told(signal_id, quantity)
    raise Missing("unknown_signal", "There is no bench here: type the reading.", field="signal")
