"""Device maps: open JSON files that say how each signal of a device is asked for."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from apps.bench.models import Device
from apps.bench.sources.modbus import SIZES
from apps.bench.sources.protocols import PROTOCOLS
from metrology.faults import Fault
from metrology.quantities.units import canonical

FORMAT = "verify-loop-signals/1"


def check_map(data: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of a Device from a map; raises a Fault that names what does not hold."""
    if data.get("format") != FORMAT:
        raise Fault("bad_map", f"The file says format {data.get('format')!r}; this application reads {FORMAT}.", field="format")
    if data.get("protocol") not in PROTOCOLS:
        raise Fault("bad_map", f"protocol is {data.get('protocol')!r}; known are {', '.join(PROTOCOLS)}.", field="protocol")
    host, _, port = str(data.get("address", "")).rpartition(":")
    if not host or not port.isdigit() or not 0 < int(port) < 65536:
        raise Fault("bad_map", "address is host:port, like 192.0.2.10:502.", field="address")
    signals = data.get("signals")
    if not isinstance(signals, list) or not signals:
        raise Fault("bad_map", "A map needs at least one signal.", field="signals")
    keys = set()
    for n, signal in enumerate(signals):
        _check_signal(signal, n, str(data["protocol"]))
        if signal["key"] in keys:
            raise Fault("bad_map", f"The signal {signal['key']} stands twice.", field="signals")
        keys.add(signal["key"])
    return {
        "code": str(data["device"])[:40],
        "label": str(data.get("label", data["device"]))[:80],
        "protocol": data["protocol"],
        "host": host,
        "port": int(port),
        "timeout_s": float(data.get("timeout_s", 1.0)),
        "signals": [{**s, "unit": canonical(str(s["unit"]))} for s in signals],
        "pace": dict(data.get("pace", {})),
        "item": str(data.get("item", ""))[:20],
    }


def _check_signal(signal: Any, n: int, protocol: str) -> None:
    at = f"signals[{n}]"
    if not isinstance(signal, Mapping) or not {"key", "label", "unit", "read"} <= set(signal):
        raise Fault("bad_map", f"{at} needs key, label, unit and read.", field=at)
    read = signal["read"]
    if protocol == "modbus":
        if not isinstance(read, Mapping) or "address" not in read or read.get("type", "float32") not in SIZES:
            raise Fault("bad_map", f"{at}.read needs an address, and a type among {', '.join(SIZES)}.", field=at)
        if read.get("word_order", "big") not in ("big", "little"):
            raise Fault("bad_map", f"{at}.read.word_order is big or little.", field=at)
    elif protocol == "scpi":
        if not isinstance(read, str) or ("write" in signal and "{value}" not in str(signal["write"])):
            raise Fault("bad_map", f"{at}: read is a query, write a command with {{value}} in it.", field=at)
    elif protocol == "string":
        if read not in ("weight", "stable") or "write" in signal:
            raise Fault("bad_map", f"{at}: read is weight or stable, and nothing is written.", field=at)
    elif read not in ("pv", "ma", "percent"):
        raise Fault("bad_map", f"{at}.read is pv, ma or percent.", field=at)


def load_map(path: Path) -> Device:
    """Store a device from its map file, or bring it up to date."""
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise Fault("bad_map", f"{path.name} can't be read as JSON: {error}.") from error
    fields = check_map(data)
    device, _ = Device.objects.update_or_create(code=fields.pop("code"), defaults=fields)
    return device
