"""What runs ask of the bench, which puts itself in here when it starts: what a signal is. Runs know no device."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from config.failures import Missing

Describe = Callable[[str, str], dict[str, Any]]
DESCRIBE: list[Describe] = []


def describe_signal(signal_id: str, quantity: str) -> dict[str, Any]:
    """What a run is told of a chosen signal; without a bench there is none."""
    for told in DESCRIBE:
        return told(signal_id, quantity)
    raise Missing("unknown_signal", "There is no bench here: type the reading.", field="signal")
