"""The sources of live readings by protocol."""

from __future__ import annotations

from collections.abc import Callable

from apps.bench.sources.base import ReadingSource
from apps.bench.sources.hart import HartSource
from apps.bench.sources.modbus import ModbusSource
from apps.bench.sources.scpi import ScpiSource
from apps.bench.sources.weight_string import StringSource

PROTOCOLS: dict[str, Callable[..., ReadingSource]] = {
    "modbus": ModbusSource,
    "scpi": ScpiSource,
    "hart": HartSource,
    "string": StringSource,
}
