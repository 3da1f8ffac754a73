"""Who follows an instrument whose due date may have moved."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from apps.plant.models import Instrument

# Called with each instrument whose interval, rule or policy was changed; what works out due dates follows it this way.
FOLLOWERS: list[Callable[[Instrument], None]] = []


def tell_edited(instruments: Iterable[Instrument]) -> None:
    """Let the followers know of instruments whose due date may have moved."""
    for instrument in instruments:
        for follow in FOLLOWERS:
            follow(instrument)
