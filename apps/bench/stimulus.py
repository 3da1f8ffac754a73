"""What feeds a run: shut where it can be told to be."""

from __future__ import annotations

from apps.bench.hub import HUB
from apps.bench.selectors import find_signal


def shut(stimulus: str) -> bool:
    """Shut a stimulus; False where its device has nothing for that. Raises a SourceFault when it does not answer."""
    device, signal = find_signal(stimulus)
    off = next((s for s in device.signals if s["key"] == signal["key"].rpartition(".")[0] + ".off"), None)
    if off:
        HUB.poller(device).write(off, 0.0)
    return off is not None
