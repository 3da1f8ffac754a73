"""For how long an instrument on the bench has had power, as it tells itself."""

from __future__ import annotations

from apps.bench.hub import HUB
from apps.bench.models import Device
from apps.bench.sources.base import SourceFault

UPTIME = "uptime"


def powered_for_s(tag: str) -> float | None:
    """Seconds since its power came on; None where it does not tell, or does not answer."""
    for device in Device.objects.all():
        signal = next((s for s in device.signals if s.get("role") == UPTIME and s.get("tag") == tag), None)
        if signal is not None:
            try:
                return HUB.poller(device).read_once(signal)
            except SourceFault:
                return None
    return None
