"""Several runs that one person does together: whose they are, and one signature for all that are ready."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import datetime

from apps.accounts.models import Person
from apps.runs.services import sign_run
from apps.runs.store import load_state
from config.failures import NotAllowed
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.run.progress import make_progress


def require_own(owner: Person, actor: Person, what: str) -> None:
    """Refuse who did not make it. what: a round, a batch."""
    if owner.pk != actor.pk:
        raise NotAllowed("not_yours", f"This is the {what} of {owner.name}. Its runs can be gone on with one by one; the {what} is theirs.")


def sign_ready(actor: Person, run_ids: Iterable[uuid.UUID], note: str, now: datetime, *, nothing: str) -> int:
    """Sign each run that waits for nothing but its signature, a record each; how many that were. The password was confirmed at the door.

    nothing: what to say where none does; raised as a Fault.
    """
    signed = 0
    for run_id in run_ids:
        _, _, state = load_state(run_id)
        step = make_progress(state, get_method(state.setup.method)).current
        if step is not None and step.kind == "sign":
            sign_run(actor=actor, run_id=run_id, expected_seq=state.seq, note=note, now=now)
            signed += 1
    if not signed:
        raise Fault("nothing_ready", nothing, field="password")
    return signed
