"""An indicator that sends its weight over and over: one line each, status, number, unit, such as "S,+0012340 kg".

The status is S (it stands), D (it moves), O (over its Max), U (below nothing). Lines are only listened to; nothing is ever sent.
"""

from __future__ import annotations

import contextlib
import re
import socket
import time
from collections.abc import Mapping
from typing import Any

from apps.bench.sources.base import SourceFault, require_believable
from metrology.faults import Fault
from metrology.quantities.units import convert

LINE = re.compile(r"(?P<status>[SDOU]),(?P<number>[+-] *\d+(?:\.\d+)?) *(?P<unit>[A-Za-z]+)")
LONGEST = 200  # bytes of a line; more without an end is no weight string
OUT_OF_RANGE = {"O": "more lies on it than it can weigh", "U": "it is below its zero range"}


class StringSource:
    """A device that is listened to. The latest whole line counts; what came before it is let go."""

    def __init__(self, host: str, port: int, *, timeout_s: float = 1.0) -> None:
        self.host, self.port, self.timeout_s = host, port, timeout_s
        self._socket: socket.socket | None = None
        self._rest = b""

    def _open(self) -> socket.socket:
        if self._socket is None:
            try:
                self._socket = socket.create_connection((self.host, self.port), timeout=self.timeout_s)
            except OSError as error:
                told = f"The indicator at {self.host}:{self.port} does not answer. Check cable, power and address."
                raise SourceFault(told, code="no_connection") from error
            self._rest = b""
        return self._socket

    def _latest(self, label: str) -> str:
        """The last line that came whole; waits for one where none is there yet."""
        link, line, until = self._open(), "", time.monotonic() + self.timeout_s
        while True:
            *whole, self._rest = self._rest.replace(b"\r", b"\n").split(b"\n")
            line = next((w.decode("ascii", "replace").strip() for w in reversed(whole) if w.strip()), line)
            if len(self._rest) > LONGEST:
                self.close()
                raise SourceFault(f"{label}: what comes is no weight string. Check the setting of its serial output.", code="garbage")
            link.settimeout(0.0 if line else max(0.01, until - time.monotonic()))
            try:
                told = link.recv(4096)
            except (BlockingIOError, TimeoutError):
                if line:
                    return line
                self.close()
                raise SourceFault(
                    f"{label}: nothing came in {self.timeout_s:g} s. The connection is tried again.", code="no_answer"
                ) from None
            except OSError as error:
                self.close()
                raise SourceFault(f"{label}: the connection broke. It is tried again.", code="no_answer") from error
            if not told:
                self.close()
                raise SourceFault(f"{label}: the indicator ended the connection. It is tried again.", code="no_answer")
            self._rest += told

    def read(self, signal: Mapping[str, Any]) -> float:
        """The weight in the signal's unit, or with read "stable" whether it stands, 1 or 0."""
        label = signal["label"]
        line = self._latest(label)
        found = LINE.fullmatch(line)
        if not found:
            self.close()  # the rest of a garbled line must not be taken for the next
            shown = line[:40].encode("ascii", "replace").decode()
            raise SourceFault(f"{label}: '{shown}' is no weight. Check the setting of its serial output.", code="garbage")
        if signal["read"] == "stable":
            return 1.0 if found["status"] == "S" else 0.0
        if found["status"] in OUT_OF_RANGE:
            raise SourceFault(f"{label}: {OUT_OF_RANGE[found['status']]}.", code="out_of_range")
        try:
            value = convert(float(found["number"].replace(" ", "")), found["unit"], to_unit=signal["unit"])
        except Fault as fault:
            raise SourceFault(f"{label}: it tells {found['unit']}; {fault.message}", code="garbage") from None
        return require_believable(value, signal)

    def read_latest(self, signal: Mapping[str, Any]) -> list[tuple[float, float]]:
        """It keeps none."""
        return []

    def confirm(self, signal: Mapping[str, Any]) -> None:
        """Every line carries all there is."""

    def write(self, signal: Mapping[str, Any], value: float) -> None:
        """Nothing is ever sent to it."""
        raise SourceFault(f"{signal['label']}: this indicator is only listened to.", code="refused")

    def close(self) -> None:
        """Let the connection go."""
        if self._socket is not None:
            with contextlib.suppress(OSError):
                self._socket.close()
        self._socket, self._rest = None, b""
