"""A chromatogram becomes the readings of its injection: all of it is stored, or nothing."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime

from django.db import transaction

from apps.accounts.models import Person
from apps.runs.arriving import NewEvent
from apps.runs.models import Run
from apps.runs.services import append_seen_all
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.run.chromatograms import readings_of
from metrology.run.progress import make_progress
from metrology.run.state import RunState


def take_chromatogram(
    *,
    actor: Person,
    run_id: uuid.UUID,
    curve: tuple[Sequence[float], Sequence[float]],
    label: str,
    typed: Mapping[str, str],
    expected_seq: int | None,
    now: datetime,
) -> tuple[Run, RunState]:
    """Read a curve (times in s, signal) for the injection that is next. typed: what was entered beside it, such as the leak test."""
    _, _, state = load_state(run_id)
    method = get_method(state.setup.method)
    step = make_progress(state, method).current
    if step is None or step.kind != "readings":
        raise Fault("not_reading", "No injection is due at this step. Nothing was stored.", field="file")
    first = NewEvent(uuid.uuid4(), "chromatogram_taken", {"step": step.key, "times": curve[0], "signal": curve[1], "label": label})
    with transaction.atomic():
        _, read = append_seen_all(actor=actor, run_id=run_id, events=[first], now=now, expected_seq=expected_seq)
        rows = readings_of(read, method, step, read.chromatograms[-1], typed={k: str(v) for k, v in typed.items()})
        return append_seen_all(actor=actor, run_id=run_id, events=[NewEvent(uuid.uuid4(), "reading_taken", row) for row in rows], now=now)
