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
    """A device whose signals are registers: read = {table, address, type, word_order, unit_id, scale, offset}."""

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
        at = signal["read"]
        kind = at.get("type", "float32")
        ask = self._client.read_holding_registers if at.get("table") == "holding" else self._client.read_input_registers
        self._require_connection()
        try:
            reply = ask(at["address"], count=SIZES[kind], device_id=at.get("unit_id", 1))
        except (ModbusException, OSError) as error:
            self.close()
            raise SourceFault(f"{signal['label']}: no whole answer in time. The connection is tried again.", code="no_answer") from error
        if reply.isError():
            code = getattr(reply, "exception_code", 0)
            told = EXCEPTIONS.get(code, f"exception {code}")
            raise SourceFault(f"{signal['label']}: the device refuses, {told} (exception {code}).", code="exception")
        if len(reply.registers) != SIZES[kind]:
            raise SourceFault(f"{signal['label']}: the answer came half.", code="half")
        raw = self._client.convert_from_registers(
            reply.registers, getattr(self._client.DATATYPE, kind.upper()), word_order=at.get("word_order", "big")
        )
        value = float(raw) * at.get("scale", 1.0) + at.get("offset", 0.0)  # type: ignore[arg-type]
        return require_believable(value, signal, hint=ORDER_HINT if SIZES[kind] > 1 else "")

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
