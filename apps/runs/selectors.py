"""Reading runs and holds."""

from __future__ import annotations

import uuid
from collections.abc import Iterable
from datetime import datetime
from functools import lru_cache
from typing import Any

from apps.accounts.models import Person
from apps.kit.models import GasBottle, GasFitting, Reference
from apps.runs.items import ITEMS
from apps.runs.models import OPEN, Hold, Run
from apps.runs.store import CACHE, load_state
from apps.runs.trust import fault_of
from config.prepared import Prepared
from metrology.methods.registry import get_method
from metrology.run.events import Event
from metrology.run.narrate import describe
from metrology.run.state import RunState
from metrology.run.view import changed_parts, make_view


def run_data(run: Run, state: RunState, now: datetime) -> dict[str, Any]:
    """A run with its view, as the API gives it."""
    view = make_view(state, get_method(state.setup.method), now)
    CACHE.keep_view(run, view)
    return {**_about(run, state), "view": view}


def run_changes(run: Run, state: RunState, now: datetime, since: int) -> dict[str, Any]:
    """A run with the parts of its view that changed since the one with that number; with the whole view where that is not known any more."""
    before = CACHE.view(run, since)
    told = run_data(run, state, now)
    if before is None:
        return {**told, "changed": None}
    return {**told, "view": None, "changed": changed_parts(before, told["view"])}


def _about(run: Run, state: RunState) -> dict[str, Any]:
    return {
        "id": run.id,
        "number": run.label,
        "head": run.head,
        "technician": run.technician.username,
        "kit_out": kit_out(state) if run.status in OPEN else [],
        "broken": "" if run.status in OPEN else fault_of(run),
    }


def kit_out(state: RunState) -> list[str]:
    """What a run counts on that was taken out of service since it was chosen, as sentences."""
    counted: tuple[tuple[Any, set[str]], ...] = (
        (Reference, {str(p["reference"]["code"]) for p in state.references.values()}),
        (GasBottle, {str(p["bottle"]["code"]) for p in state.gases.values()}),
        (GasFitting, {str(p[k]["code"]) for p in state.gases.values() for k in ("regulator", "line") if p.get(k)}),
        *(
            (model, {str(p["item"]["code"]) for p in state.items.values() if p.get("kind", "buffer") == kind})
            for kind, (model, _) in ITEMS.items()
        ),
    )
    out = []
    for model, codes in counted:
        if not codes:
            continue
        for code, is_now in _out_of_service(model, len(codes)).all(*sorted(codes)):
            out.append(f"{code} is {is_now} since it was chosen here: what was read with it is in doubt. Note it, and take another.")
    return out


@lru_cache
def _out_of_service(model: Any, count: int) -> Prepared[Any, tuple[str, str]]:
    """The query for those of so many items of the kit that are out of service: code and state."""
    code = model._meta.get_field("code")
    return Prepared(
        lambda *codes: model._default_manager.filter(code__in=codes).exclude(state="in service").values_list("code", "state"),
        *[code] * count,
    )


def get_run_data(run_id: uuid.UUID, now: datetime) -> dict[str, Any]:
    """A run with its view, by id."""
    run, _, state = load_state(run_id)
    return run_data(run, state, now)


def log_of(events: Iterable[Event]) -> list[dict[str, Any]]:
    """The events as sentences."""
    return [{"seq": e.seq, "at": e.at, "by": e.author_name, "what": describe(e)} for e in events]


def _subject(r: Run) -> dict[str, str]:
    """What a run is about: an instrument of an area, or an item of the kit."""
    if r.instrument:
        return {"tag": r.instrument.tag, "service": r.instrument.service, "area": r.instrument.area.name}
    named = Reference.objects.filter(code=r.item).values_list("name", flat=True).first()
    return {"tag": r.item, "service": named or "", "area": "Kit"}


def run_row(r: Run) -> dict[str, Any]:
    """What lists show of a run."""
    return {
        "id": r.id,
        "number": r.label,
        **_subject(r),
        "method": r.method,
        "status": r.status,
        "technician": r.technician.name,
        "started_at": r.started_at,
        "signed_at": r.signed_at,
        "closed": r.closed,
        "at_step": r.at_step,
        "found_verdict": r.found_verdict,
        "left_verdict": r.left_verdict,
        "found_error": r.found_error,
        "left_error": r.left_error,
        "decision": r.decision,
    }


def holds_answered_for(person: Person) -> list[str]:
    """The open holds that somebody answers for, in words."""
    mine = Hold.objects.filter(holder=person.username, released_at=None).select_related("instrument")
    return [f"the {h.kind} on {h.instrument.tag}" for h in mine]
