"""Readings by SCPI over TCP, through VISA with its pure-Python backend."""

from __future__ import annotations

import contextlib
import select
import socket
import threading
import time
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, cast

from apps.bench.sources.base import OUT_OF_STEP, SourceFault, require_believable

if TYPE_CHECKING:  # loaded with the first device that speaks it, so that a start is quick
    import pyvisa

_manager: pyvisa.ResourceManager | None = None
_making = threading.Lock()
CONFIRM_S = 0.05  # in which what a device sends unasked has come
STRAYS, STRAY_S = 3, 60.0  # so many in that time, and it is not believed for as long


def _resources() -> pyvisa.ResourceManager:
    global _manager
    with _making:
        if _manager is None:
            import pyvisa

            _manager = pyvisa.ResourceManager("@py")
        return _manager


class ScpiSource:
    """A device whose signals are queries: read = the query, write = a command with {value} in it."""

    def __init__(self, host: str, port: int, *, timeout_s: float = 1.0) -> None:
        self.host, self.port, self.timeout_s = host, port, timeout_s
        self._device: Any = None
        self._strays: list[float] = []  # when it was out of step lately

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
        """The answer to a query, and nothing else: what lies there before it was asked, or comes with it, belongs to no question."""
        self._require_trust(label)
        device = self._open()
        self._refuse_stray(device, label)
        try:
            answer = str(device.query(query)).strip()
        except Exception as error:
            self.close()
            raise SourceFault(
                f"{label}: no answer to '{query}' in {self.timeout_s:g} s. The connection is tried again.", code="no_answer"
            ) from error
        self._refuse_stray(device, label)
        return answer

    def _refuse_stray(self, device: Any, label: str) -> None:
        """Begin anew where more came than was asked for: from then on every answer would be taken for that to the next question."""
        session: Any = cast("Any", _resources().visalib).sessions[device.session]
        stray = bytes(session._pending_buffer)
        try:
            if select.select([session.interface], [], [], 0)[0]:
                stray += session.interface.recv(4096, socket.MSG_PEEK)
        except OSError:
            return  # a broken connection tells itself at the next question
        if not stray:
            return
        self.close()
        now = time.monotonic()
        self._strays = [at for at in self._strays if now - at < STRAY_S] + [now]
        shown = stray[:40].decode("ascii", "replace").strip()
        raise SourceFault(
            f"{label}: the device sent '{shown}', which nobody asked for. The connection is made anew, and what was read last is dropped.",
            code=OUT_OF_STEP,
        )

    def _require_trust(self, label: str) -> None:
        if len(self._strays) >= STRAYS and time.monotonic() - self._strays[-1] < STRAY_S:
            raise SourceFault(
                f"{label}: the device keeps sending more than it is asked for, so that its readings can't be told apart. "
                "See whether it echoes or talks by itself, then wait a minute.",
                code="distrusted",
            )

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

    def confirm(self, signal: Mapping[str, Any]) -> None:
        """Nothing more comes than was asked for."""
        if self._device is not None:
            time.sleep(CONFIRM_S)
            self._refuse_stray(self._device, signal["label"])

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
