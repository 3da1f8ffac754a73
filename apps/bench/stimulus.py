"""What feeds a run: shut where it can be told to be."""

from __future__ import annotations

from contextlib import suppress

from apps.bench.hub import HUB
from apps.bench.selectors import find_signal
from apps.bench.sources.base import SourceFault


def shut(stimulus: str) -> bool:
    """Shut a stimulus; False where its device has nothing for that. Raises a SourceFault when it does not answer."""
    device, signal = find_signal(stimulus)
    off = next((s for s in device.signals if s["key"] == signal["key"].rpartition(".")[0] + ".off"), None)
    if off:
        HUB.poller(device).write(off, 0.0)
    return off is not None


def give_back(stimulus: str) -> str:
    """Nothing more is applied: shut, or sent to where its map says that it rests; else what must be done by hand. As a sentence."""
    device, signal = find_signal(stimulus)
    rest = signal.get("rest", device.pace.get("from"))
    with suppress(SourceFault):
        if shut(stimulus):
            return f" {device.label} is shut."
        if rest is not None:
            HUB.poller(device).write(signal, float(rest))
            return f" {device.label} goes back to {float(rest):g} {signal['unit']}."
    return f" {device.label} still stands where it was: shut it, vent it or let it cool by hand."
