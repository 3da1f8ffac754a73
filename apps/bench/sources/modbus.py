"""Readings over Modbus TCP."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pymodbus.client import ModbusTcpClient
from pymodbus.exceptions import ModbusException

from apps.bench.sources.base import SourceFault, require_believable

SIZES = {"float32": 2, "float64": 4, "int16": 1, "uint16": 1, "int32": 2, "uint32": 2}
EXCEPTIONS = {
    1: "it does not know the function",
    2: "it has no such register",
    3: "it does not take the value",
    4: "it has failed inside",
    5: "it has taken the request and is not ready",
    6: "it is busy",
}
ORDER_HINT = "The word order in its map may be wrong: exchange 'big' and 'little'."


class ModbusSource:
    """A device whose signals are registers: read = {table, address, type, word_order, unit_id, scale, offset, buffer}."""

    def __init__(self, host: str, port: int, *, timeout_s: float = 1.0) -> None:
        self.host, self.port = host, port
        self._client = ModbusTcpClient(host, port=port, timeout=timeout_s, retries=0)

    def _require_connection(self) -> None:
        if not self._client.connected and not self._client.connect():
            raise SourceFault(
                f"The device at {self.host}:{self.port} does not answer. Check cable, power and address.", code="no_connection"
            )

    def read(self, signal: Mapping[str, Any]) -> float:
        """The register's number, scaled."""
        return self._numbers(signal, 1)[0]

    def read_latest(self, signal: Mapping[str, Any]) -> list[tuple[float, float]]:
        """What a device that keeps its latest samples has of them, as (its own clock in s, value), the newest last; nothing of one that does not."""
        pairs = int(signal["read"].get("buffer", 0))
        if not pairs:
            return []
        told = self._numbers(signal, 2 * pairs)
        return [(told[n], told[n + 1]) for n in range(0, 2 * pairs, 2)]

    def _numbers(self, signal: Mapping[str, Any], count: int) -> list[float]:
        """Numbers that stand one behind the other, in one answer; the last one must be believable."""
        at = signal["read"]
        kind = at.get("type", "float32")
        size = SIZES[kind]
        ask = self._client.read_holding_registers if at.get("table") == "holding" else self._client.read_input_registers
        self._require_connection()
        try:
            reply = ask(at["address"], count=count * size, device_id=at.get("unit_id", 1))
        except (ModbusException, OSError) as error:
            self.close()
            raise SourceFault(f"{signal['label']}: no whole answer in time. The connection is tried again.", code="no_answer") from error
        if reply.isError():
            code = getattr(reply, "exception_code", 0)
            told = EXCEPTIONS.get(code, f"exception {code}")
            raise SourceFault(f"{signal['label']}: the device refuses, {told} (exception {code}).", code="exception")
        if len(reply.registers) != count * size:
            raise SourceFault(f"{signal['label']}: the answer came half.", code="half")
        words = list(reply.registers)
        numbers = [self._number(words[n : n + size], at) * at.get("scale", 1.0) + at.get("offset", 0.0) for n in range(0, len(words), size)]
        require_believable(numbers[-1], signal, hint=ORDER_HINT if size > 1 else "")
        return numbers

    def _number(self, registers: list[int], at: Mapping[str, Any]) -> float:
        kind = getattr(self._client.DATATYPE, at.get("type", "float32").upper())
        return float(self._client.convert_from_registers(registers, kind, word_order=at.get("word_order", "big")))  # type: ignore[arg-type]

    def confirm(self, signal: Mapping[str, Any]) -> None:
        """Every answer carries what it is for."""

    def write(self, signal: Mapping[str, Any], value: float) -> None:
        """Holding registers of a set point."""
        at = signal["write"]
        kind = at.get("type", "float32")
        self._require_connection()
        raw = (value - at.get("offset", 0.0)) / at.get("scale", 1.0)
        words = self._client.convert_to_registers(
            raw if "float" in kind else round(raw), getattr(self._client.DATATYPE, kind.upper()), word_order=at.get("word_order", "big")
        )
        try:
            reply = self._client.write_registers(at["address"], words, device_id=at.get("unit_id", 1))
        except (ModbusException, OSError) as error:
            self.close()
            raise SourceFault(f"{signal['label']}: the set point was not taken in time.", code="no_answer") from error
        if reply.isError():
            raise SourceFault(f"{signal['label']}: the device refuses the set point {value:g}.", code="exception")

    def close(self) -> None:
        """Let the connection go."""
        self._client.close()
