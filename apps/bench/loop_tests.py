"""An output that a loop test holds ends by itself: after a while, once its step is left, and after a restart of the server too."""

from __future__ import annotations

import contextlib
import logging
import threading
import uuid
from datetime import UTC, datetime, timedelta

from django.db import DatabaseError, close_old_connections, connection
from django.utils import timezone

from apps.bench.device_acts import end_loop_test
from apps.runs.models import OPEN, Run
from apps.runs.store import load_state
from config.failures import Missing, NotAllowed
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.run.parameters import held_act
from metrology.run.progress import make_progress
from metrology.run.state import RunState

log = logging.getLogger(__name__)
LASTS = timedelta(minutes=10)  # (P)
ASK_AGAIN_S = 30.0  # while the device does not answer

_timers: dict[uuid.UUID, threading.Timer] = {}
_lock = threading.Lock()


def follow(run_id: uuid.UUID, state: RunState) -> None:
    """Keep the end of a loop test with its run: none is held, it lasts on, or its step is over and it ends now. Nothing is written without a hold."""
    held = held_act(state)
    if held is None or not (state.open_holds or state.setup.is_on_bench):
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


def stop_all() -> None:
    """Forget every end that is to come, as at a shutdown; `resume` finds what is still held."""
    for run_id in list(_timers):
        _forget(run_id)


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
    except NotAllowed as refused:  # who held it may not work on runs any more: somebody else ends it, by its hold
        log.warning("The loop test of run %s was not ended by itself: %s", run_id, refused)
    except (Fault, Missing, DatabaseError):
        _end_in(run_id, ASK_AGAIN_S)  # it is told on the hold meanwhile
    finally:
        close_old_connections()
        connection.close()
