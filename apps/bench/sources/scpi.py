"""Readings by SCPI over TCP, through VISA with its pure-Python backend."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Mapping
from typing import Any

import pyvisa

from apps.bench.sources.base import SourceFault, require_believable

_manager: pyvisa.ResourceManager | None = None
_making = threading.Lock()


def _resources() -> pyvisa.ResourceManager:
    global _manager
    with _making:
        if _manager is None:
            _manager = pyvisa.ResourceManager("@py")
        return _manager


class ScpiSource:
    """A device whose signals are queries: read = the query, write = a command with {value} in it."""

    def __init__(self, host: str, port: int, *, timeout_s: float = 1.0) -> None:
        self.host, self.port, self.timeout_s = host, port, timeout_s
        self._device: Any = None

    def _open(self) -> Any:
        if self._device is None:
            try:
                self._device = _resources().open_resource(
                    f"TCPIP0::{self.host}::{self.port}::SOCKET",
                    read_termination="\n",
                    write_termination="\n",
                    timeout=int(self.timeout_s * 1000),
                    open_timeout=int(self.timeout_s * 1000),
                )
            except Exception as error:  # the backend raises many kinds for one thing: nobody there
                told = f"The device at {self.host}:{self.port} does not answer. Check cable, power and address."
                raise SourceFault(told, code="no_connection") from error
        return self._device

    def _ask(self, label: str, query: str) -> str:
        device = self._open()
        try:
            return str(device.query(query)).strip()
        except Exception as error:
            self.close()
            raise SourceFault(
                f"{label}: no answer to '{query}' in {self.timeout_s:g} s. The connection is tried again.", code="no_answer"
            ) from error

    def read(self, signal: Mapping[str, Any]) -> float:
        """The number that the query answers."""
        text = self._ask(signal["label"], signal["read"])
        try:
            value = float(text)
        except ValueError:
            shown = text[:40].encode("ascii", "replace").decode()
            self.close()  # what is left of a garbled answer must not be taken for the next
            raise SourceFault(f"{signal['label']}: '{shown}' is not a number. Check the command map.", code="garbage") from None
        return require_believable(value, signal)

    def read_latest(self, signal: Mapping[str, Any]) -> list[tuple[float, float]]:
        """It keeps none."""
        return []

    def write(self, signal: Mapping[str, Any], value: float) -> None:
        """Send a set point and see that the device took it."""
        device = self._open()
        try:
            device.write(signal["write"].format(value=f"{value:.8g}"))
        except Exception as error:
            self.close()
            raise SourceFault(f"{signal['label']}: the set point was not taken.", code="no_answer") from error
        complaint = self._ask(signal["label"], "SYST:ERR?")
        if not complaint.startswith(("0", "+0")):
            raise SourceFault(f"{signal['label']}: the device refuses the set point {value:g}: {complaint[:60]}.", code="refused")

    def close(self) -> None:
        """Let the connection go."""
        if self._device is not None:
            with contextlib.suppress(Exception):  # a broken connection may refuse to close as well
                self._device.close()
        self._device = None
