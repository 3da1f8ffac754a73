"""A chromatogram from the detector itself: what its trace holds since the injection, spread evenly, read as from a file."""

from __future__ import annotations

import time
import uuid
from collections.abc import Mapping
from datetime import datetime

from apps.accounts.models import Person
from apps.bench.capture import live_of
from apps.bench.live import RunLive
from apps.runs.chromatograms import take_chromatogram
from apps.runs.models import Run
from metrology.faults import Fault
from metrology.methods.slots import CURVE, LEAK
from metrology.quantities.chromatography import evenly, find_peaks, require_whole_peaks
from metrology.run.state import RunState

RECENT_S = 2.0
STEP_S, LONGEST_GAP_S = 0.05, 0.3


def signal_of_leak(live: RunLive) -> str:
    """What the leak test lost by its live source, as text; empty where it is typed."""
    found = live.quantities.get(LEAK)
    rows = found.samples(time.time() - RECENT_S) if found else []
    return f"{max(0.0, rows[-1][1]):.2f}" if rows else ""


def take_live(
    *, actor: Person, run_id: uuid.UUID, typed: Mapping[str, str], expected_seq: int | None, now: datetime
) -> tuple[Run, RunState]:
    """The curve since the injection was told; raises a Fault where there is none, or where the detector was away in between."""
    live, _ = live_of(run_id)
    with live.lock:
        signal = live.quantities.get(CURVE)
        if signal is None:
            raise Fault("nothing_live", "No detector is live in this run: choose it, or read the chromatogram from a file.", field="file")
        if not live.is_marked:
            raise Fault("not_injected", "Say when it went in: press 'Injected now' at that moment. Nothing was stored.", field="file")
        lost = signal_of_leak(live)
        samples, since, label = signal.samples(live.since), live.since, str(signal.trace.signal["label"])
    if lost and not str(typed.get(LEAK, "")).strip():
        typed = {**typed, LEAK: lost}
    told = [t - since for t, _ in samples]
    times, values = evenly(told, [v for _, v in samples], step=STEP_S, most_gap=LONGEST_GAP_S)
    require_whole_peaks(told, find_peaks(times, values).peaks)
    return take_chromatogram(
        actor=actor, run_id=run_id, curve=(times, values), label=f"live from {label}", typed=typed, expected_seq=expected_seq, now=now
    )
