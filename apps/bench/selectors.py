"""Looking up devices and signals."""

from __future__ import annotations

from typing import Any

from apps.bench.hart.master import HartMaster
from apps.bench.models import NUMBER, PARAMETER, Device
from apps.bench.sources.base import SourceFault
from config.failures import Missing
from metrology.quantities.units import quantity_of
from metrology.run.sourcing import says_of_itself

LIKELY = {"applied": ("applied", ""), "indicated": ("indicated", ""), "ma": ("indicated", ""), "pv": ("pv",)}


def find_signal(signal_id: str) -> tuple[Device, dict[str, Any]]:
    """Device and signal of an id 'DEVICE/key'."""
    code, _, key = signal_id.partition("/")
    device = Device.objects.filter(code=code).first()
    if device is None:
        raise Missing("unknown_signal", f"There is no device {code}. Type the reading, or choose another source.", field="signal")
    if key == "" and device.protocol == "hart":
        return device, {"key": "", "label": device.label, "unit": "", "read": "pv"}
    signal = device.signal(key)
    if signal is None:
        raise Missing(
            "unknown_signal", f"{device.label} has no signal '{key}'. Type the reading, or choose another source.", field="signal"
        )
    return device, signal


def describe_signal(signal_id: str, quantity: str) -> dict[str, Any]:
    """What a run is told of a chosen signal: its label, its unit, whose and of which side it is, and whether it may be set here."""
    if not signal_id:
        return {"signal": "", "label": "", "unit": "", "stimulus": "", "role": "", "wired_to": ""}
    device, signal = find_signal(signal_id)
    sets = quantity == "applied" and "write" in signal
    return {
        "signal": signal_id,
        "label": signal["label"],
        "unit": signal["unit"],
        "stimulus": signal_id if sets else "",
        "role": signal.get("role", ""),
        "wired_to": signal.get("tag", ""),
        **({"device": _who(device)} if device.protocol == "hart" else {}),
    }


def _who(device: Device) -> dict[str, str]:
    """Tag and number of a transmitter that can be talked to; nothing where it does not answer now."""
    master = HartMaster(device.host, device.port, timeout_s=device.timeout_s)
    try:
        return master.who()
    except SourceFault:
        return {}
    finally:
        master.close()


def list_signals(*, unit: str, tag: str, quantity: str = "", channel: str = "") -> list[dict[str, Any]]:
    """Signals that measure what `unit` measures and may stand for `quantity`: those wired to the tag first, the likeliest before others.

    A map may say for which quantity a signal is made; otherwise its role tells.
    channel: of a head with several sensors, or the display on the way that is meant; a signal of another one is not likely.
    """
    wanted = quantity_of(unit)
    likely = LIKELY.get(quantity, ("indicated", ""))
    found = []
    for device in Device.objects.all():
        for s in device.signals:
            own, role = quantity_of(s["unit"]), s.get("role", "")
            if role in (PARAMETER, NUMBER):  # nothing that is measured
                continue
            if says_of_itself(quantity, role, s.get("tag", ""), tag) or not (s["unit"] == unit or (wanted is not None and own == wanted)):
                continue
            row = {
                "id": f"{device.code}/{s['key']}",
                "label": s["label"],
                "device": device.label,
                "protocol": device.get_protocol_display(),
                "unit": s["unit"],
                "is_wired": s.get("tag") == tag,
                "can_set": "write" in s,
                "role": role,
                "is_likely": (s["quantity"] == quantity if "quantity" in s else role in likely) and s.get("channel", channel) == channel,
            }
            unlikely = bool(quantity) and not row["is_likely"]
            found.append(((not row["is_wired"], unlikely, s.get("channel", "") != channel, str(s["label"])), row))
    return [row for _, row in sorted(found, key=lambda each: each[0])]


def list_modems(tag: str) -> list[dict[str, Any]]:
    """Smart transmitters that can be talked to, the one of this tag first."""
    rows = [
        {"id": f"{d.code}/", "label": d.label, "is_wired": any(s.get("tag") == tag for s in d.signals)}
        for d in Device.objects.filter(protocol="hart")
    ]
    return sorted(rows, key=lambda r: (not r["is_wired"], str(r["label"])))
