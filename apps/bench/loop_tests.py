"""An output that a loop test holds ends by itself: after a while, once its step is left, and after a restart of the server too.

What still drives an instrument, an output held or a source that is not at rest, is told for its hold (`still_driven`).
"""

from __future__ import annotations

import contextlib
import threading
import time
import uuid
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

from django.db import close_old_connections, connection
from django.utils import timezone

from apps.bench.capture import read_now
from apps.bench.device_acts import end_loop_test
from apps.bench.models import AutoCapture
from apps.bench.selectors import find_signal
from apps.runs.models import OPEN, Run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.run.parameters import held_act, held_output
from metrology.run.progress import make_progress
from metrology.run.state import RunState

LASTS = timedelta(minutes=10)  # (P)
ASK_AGAIN_S = 30.0  # while the device does not answer
AT_REST = 0.01  # of a signal's range: as near as that to where it rests nothing is applied any more
KNOWN_S, SILENT_S = 5.0, 30.0  # for so long what a source reads is taken as known, and that it does not answer

_timers: dict[uuid.UUID, threading.Timer] = {}
_lock = threading.Lock()
_read: dict[str, tuple[float, tuple[float, str] | None]] = {}


def follow(run_id: uuid.UUID, state: RunState) -> None:
    """Keep the end of a loop test with its run: none is held, it lasts on, or its step is over and it ends now."""
    held = held_act(state)
    if held is None:
        _forget(run_id)
        return
    step = make_progress(state, get_method(state.setup.method)).current
    left = datetime.fromisoformat(held["at"]).astimezone(UTC) + LASTS - timezone.now()
    is_over = state.status not in OPEN or step is None or step.key != held["step"]
    _end_in(run_id, 0.0 if is_over else max(0.0, left.total_seconds()))


def resume() -> None:
    """After a restart of the server: every output that is still held ends in its time."""
    for run_id in Run.objects.filter(status__in=OPEN).values_list("id", flat=True):
        with contextlib.suppress(Fault):
            follow(run_id, load_state(run_id)[2])


def _forget(run_id: uuid.UUID) -> None:
    with _lock:
        timer = _timers.pop(run_id, None)
    if timer:
        timer.cancel()


def _end_in(run_id: uuid.UUID, seconds: float) -> None:
    _forget(run_id)
    timer = threading.Timer(seconds, _end, args=(run_id,))
    timer.daemon = True
    with _lock:
        _timers[run_id] = timer
    timer.start()


def _end(run_id: uuid.UUID) -> None:
    try:
        end_loop_test(run_id=run_id, now=timezone.now())
    except (Fault, Missing):
        _end_in(run_id, ASK_AGAIN_S)  # it is told on the hold meanwhile
    finally:
        close_old_connections()
        connection.close()


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
