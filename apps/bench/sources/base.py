"""What every source of live readings offers, and how it says that it can't."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Protocol

OUT_OF_STEP = "out_of_step"  # the last answers may have been to other questions


class SourceFault(Exception):
    """A device could not be read or told; the message is for the technician."""

    def __init__(self, message: str, *, code: str = "source") -> None:
        super().__init__(message)
        self.message, self.code = message, code


class ReadingSource(Protocol):
    """A device that is read by signals. How a signal is asked for stands in the device's map."""

    def read(self, signal: Mapping[str, Any]) -> float:
        """The value of a signal in its unit; raises a SourceFault."""
        ...

    def read_latest(self, signal: Mapping[str, Any]) -> list[tuple[float, float]]:
        """The latest samples of a device that keeps them, as (its own clock in s, value); nothing of others. Raises a SourceFault."""
        ...

    def confirm(self, signal: Mapping[str, Any]) -> None:
        """Called after a reading that stands alone: raises a SourceFault where it may have been the answer to another question."""
        ...

    def write(self, signal: Mapping[str, Any], value: float) -> None:
        """Bring a stimulus to a value; raises a SourceFault."""
        ...

    def close(self) -> None:
        """Let the connection go."""
        ...


def require_believable(value: float, signal: Mapping[str, Any], *, hint: str = "") -> float:
    """The value, refused where the map says it can't be: an open circuit, or registers read in the wrong order."""
    low, high = signal.get("low"), signal.get("high")
    label, unit = signal["label"], signal["unit"]
    if value != value or abs(value) >= 9e36:
        # Exchanged words make no number at all, too: whoever reads registers is told of both.
        raise SourceFault(f"{label}: open circuit or nothing connected.{f' Or else: {hint}' if hint else ''}", code="open_circuit")
    # Registers read in the wrong order seldom land inside the range: they come out huge, or next to nothing.
    scale = max(abs(low or 0.0), abs(high or 0.0), 1.0)
    if hint and value and not 1e-9 * scale < abs(value) < 1e9 * scale:
        raise SourceFault(f"{label} reads {value:.4g} {unit}, which nothing measures. {hint}", code="absurd")
    if (low is not None and value < low) or (high is not None and value > high):
        told = f"{label} reads {value:.4g} {unit}; it can be {low:g} to {high:g} {unit}."
        raise SourceFault(f"{told} {hint}".strip(), code="absurd")
    return value
