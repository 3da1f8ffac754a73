"""What an instrument's page shows beside the register: those who know more put themselves in here when they start; plant knows none of them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from apps.plant.models import Instrument

More = Callable[[Instrument], dict[str, Any]]
MORE: list[More] = []


def more_of(instrument: Instrument) -> dict[str, Any]:
    """All that is told of an instrument by others."""
    out: dict[str, Any] = {}
    for told in MORE:
        out |= told(instrument)
    return out
