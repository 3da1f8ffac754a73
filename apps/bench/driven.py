"""What still drives an instrument, told for its hold: an output held by a loop test, a source that was set here and is not at rest."""

from __future__ import annotations

import contextlib
import time
import uuid
from collections.abc import Iterable

from apps.bench.capture import read_now
from apps.bench.models import AutoCapture
from apps.bench.selectors import find_signal
from apps.runs.store import load_state
from config.failures import Missing
from metrology.run.parameters import held_output

AT_REST = 0.01  # of a signal's range: as near as that to where it rests nothing is applied any more
KNOWN_S, SILENT_S = 5.0, 30.0  # for so long what a source reads is taken as known, and that it does not answer

_read: dict[str, tuple[float, tuple[float, str] | None]] = {}


def still_driven(run_id: uuid.UUID) -> list[str]:
    """What still drives the instrument of a run, a sentence each: its output held, a source that was set here and is not at rest."""
    _, _, state = load_state(run_id)
    held = held_output(state)
    told = [f"Its output is held at {held}."] if held else []
    stimuli = {str(s["stimulus"]) for s in state.sources.values() if s.get("stimulus")}
    if stimuli and any(str(run_id) in a.runs for a in AutoCapture.objects.all()[:50]):  # what was never driven from here rests
        told += _not_at_rest(stimuli)
    return told


def _not_at_rest(stimuli: Iterable[str]) -> list[str]:
    told = []
    for stimulus in sorted(stimuli):
        with contextlib.suppress(Missing):
            device, signal = find_signal(stimulus)
            rest = float(signal.get("rest", device.pace.get("from", 0.0)))
            room = AT_REST * abs(float(signal.get("high", 0.0)) - float(signal.get("low", 0.0)))
            seen = _known(stimulus)
            if seen is None:
                told.append(f"{device.label} does not answer: it may still be driven.")
            elif abs(seen[0] - rest) > room:
                told.append(f"{device.label} is at {seen[0]:.4g} {seen[1]}.")
    return told


def _known(stimulus: str) -> tuple[float, str] | None:
    """What a source reads; asked once in a while, however many look, and more seldom while it does not answer."""
    found = _read.get(stimulus)
    if found is None or time.monotonic() - found[0] > (KNOWN_S if found[1] else SILENT_S):
        found = _read[stimulus] = (time.monotonic(), read_now(stimulus))
    return found[1]
