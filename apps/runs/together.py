"""Several runs of one person ended in one go."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import datetime

from apps.accounts.models import Person
from apps.runs.services import sign_run
from apps.runs.store import load_state
from metrology.methods.registry import get_method
from metrology.run.progress import make_progress


def sign_ready(actor: Person, run_ids: Iterable[uuid.UUID], note: str, now: datetime) -> int:
    """Sign each run that waits for nothing but its signature, a record each; how many that were. The password was confirmed at the door."""
    signed = 0
    for run_id in run_ids:
        _, _, state = load_state(run_id)
        step = make_progress(state, get_method(state.setup.method)).current
        if step is not None and step.kind == "sign":
            sign_run(actor=actor, run_id=run_id, expected_seq=state.seq, note=note, now=now)
            signed += 1
    return signed
