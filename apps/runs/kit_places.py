"""Kit that can be in one place at a time: a reference probe stands in the block of one open run, and in no other block."""

from __future__ import annotations

import uuid
from collections.abc import Iterator, Mapping
from typing import Any

from apps.runs.models import OPEN, Run
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.registry import batch_methods, get_method
from metrology.run.onward import AFTER
from metrology.run.progress import make_progress
from metrology.run.state import RunState

PROBE, BLOCK = "applied", "block"
IS_BACK = (*AFTER, "sign")  # phases in which it is out of the block again


def require_one_place(run_id: uuid.UUID, state: RunState, payload: Mapping[str, Any]) -> None:
    """Refuse a probe that stands in another block in an open run; only of what may share blocks at all."""
    role = str(payload.get("role"))
    if role not in (PROBE, BLOCK) or not get_method(state.setup.method).traits.in_batches:
        return
    here = {PROBE: _code(state, PROBE), BLOCK: _code(state, BLOCK), role: str((payload.get("reference") or {}).get("code", ""))}
    if not here[PROBE] or not here[BLOCK]:
        return
    for tag, block in _standing(here[PROBE], run_id):
        if block != here[BLOCK]:
            told = (
                f"{here[PROBE]} stands in {block}, in the run of {tag}: a probe is in one place at a time. Choose another one, or {block} for "
                "this run too. Nothing was stored."
            )
            raise Fault("probe_twice", told, field="reference")


def _code(state: RunState, role: str) -> str:
    return str(((state.references.get(role) or {}).get("reference") or {}).get("code", ""))


def _standing(probe: str, but: uuid.UUID) -> Iterator[tuple[str, str]]:
    """Tag and block of each other open run in which the probe stands."""
    for run in Run.objects.filter(status__in=OPEN, method__in=batch_methods()).exclude(pk=but).select_related("instrument"):
        _, _, state = load_state(run.id)
        step = make_progress(state, get_method(state.setup.method)).current
        block = _code(state, BLOCK)
        if _code(state, PROBE) == probe and block and step is not None and step.phase not in IS_BACK:
            yield run.tag, block
