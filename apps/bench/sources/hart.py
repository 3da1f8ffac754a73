"""Readings of a smart transmitter by HART frames over a TCP modem."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from apps.bench.hart.master import HartMaster
from apps.bench.sources.base import SourceFault, require_believable
from metrology.quantities.units import convert


class HartSource:
    """A device whose signals are: read = "pv", "ma" or "percent"."""

    def __init__(self, host: str, port: int, *, timeout_s: float = 1.0) -> None:
        self.master = HartMaster(host, port, timeout_s=timeout_s)

    def read(self, signal: Mapping[str, Any]) -> float:
        """Digital value in the signal's unit, loop current or percent."""
        if signal["read"] == "pv":
            value, unit = self.master.read_pv()
            value = convert(value, unit, to_unit=signal["unit"]) if unit else value
        else:
            ma, percent = self.master.read_current()
            value = ma if signal["read"] == "ma" else percent
        return require_believable(value, signal)

    def read_latest(self, signal: Mapping[str, Any]) -> list[tuple[float, float]]:
        """It keeps none."""
        return []

    def confirm(self, signal: Mapping[str, Any]) -> None:
        """Every answer carries what it is for."""

    def write(self, signal: Mapping[str, Any], value: float) -> None:
        """The output held at a current, as a stimulus for a loop test."""
        if signal.get("write") != "fix_output":
            raise SourceFault(f"{signal['label']} can't be set.", code="refused")
        self.master.act("fix_output", value)

    def close(self) -> None:
        """Let the modem go."""
        self.master.close()
