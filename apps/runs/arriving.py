"""Events on their way in: what a client may say, whether it was said before, and what happened meanwhile."""

from __future__ import annotations

import hashlib
import json
import uuid
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from django.db import IntegrityError

from apps.accounts.models import Person
from apps.runs.gas import gas_snapshot
from apps.runs.holds import receiver_name
from apps.runs.models import RunEvent
from apps.runs.outside import describe_signal
from metrology.faults import Fault
from metrology.run.events import Event
from metrology.run.narrate import describe


@dataclass(frozen=True)
class NewEvent:
    """An event as a client sends it. asked: a hash of all that was sent, kept so that a repeat can be told from another event of its number."""

    id: uuid.UUID
    type: str
    payload: Mapping[str, Any]
    device_at: datetime | None = None
    asked: str = ""


CLAIMS = {  # what a client may not say: it comes from the server's own look at the kit or the devices
    "reading_taken": ("captured", "source", "chromatogram"),
    "step_confirmed": ("captured",),
    "parameters_captured": ("source",),
    "source_chosen": ("label", "unit", "stimulus", "role", "wired_to"),
    "adjustment_made": ("second",),
    "decision_made": ("second",),
    "hold_placed": ("others",),
    "hold_handed_over": ("to_name",),
    "hold_accepted": ("who",),
    "hold_released": ("who", "seen", "alarms_on"),
}


def without_claims(event: NewEvent) -> NewEvent:
    """A client names a reference or a signal by its code only; what it is, and what was captured, come from here."""
    payload = {k: v for k, v in event.payload.items() if k not in CLAIMS.get(event.type, ())}
    if event.type == "reference_assigned":
        payload = {k: event.payload.get(k) for k in ("role", "code", "reason")}
    elif event.type == "source_chosen":
        payload |= describe_signal(str(payload.get("signal") or ""), str(payload.get("quantity") or ""))
    elif event.type == "gas_assigned":
        payload = gas_snapshot(payload)
    elif event.type == "standard_assigned":
        payload = {k: event.payload.get(k) for k in ("role", "code", "reason")}
    elif event.type == "hold_handed_over":
        payload |= {"to_name": receiver_name(str(payload.get("to") or ""))}
    return replace(event, payload=payload)


OLDEST_YEAR = 2000
TRUST = timedelta(minutes=30)  # between the events of a batch, by the clock of the device


def require_a_time(event: NewEvent, now: datetime) -> None:
    """Refuse a device's time that can't be: before 2000, or after next year. One that is merely off is kept, and flagged."""
    at = event.device_at
    if at is not None and not OLDEST_YEAR <= at.year <= now.year + 1:
        told = f"The clock of this device says {at:%Y-%m-%d}, which can't be. Nothing was stored, what you typed is kept: set its clock and send it again."
        raise Fault("impossible_time", told, field="device_at")


def moments(events: Sequence[NewEvent], now: datetime, stored: datetime) -> list[datetime]:
    """When each event of a batch happened: the last one now, those before it as much earlier as the device's own clock tells.

    So a warm-up that was begun without a connection and the reading after it are judged by the time between them, however the device's clock is set.
    Steps of that clock are believed forward and up to TRUST; nothing happened before what is stored already (stored: the last event's moment).
    """
    ago, out = timedelta(0), []
    last = events[-1].device_at if events else None
    for event in reversed(events):
        if last is not None and event.device_at is not None and ago <= (told := last - event.device_at) <= TRUST:
            ago = told
        out.append(max(min(stored, now), now - ago))  # a clock of the server that was set back says what it says
    return out[::-1]


def hash_of(event: NewEvent) -> str:
    """Of what a client sent but for the moment, which is another with each sending."""
    return hashlib.sha256(json.dumps([event.type, event.payload], sort_keys=True, default=str).encode()).hexdigest()


def pass_over_known(past: Sequence[Event], events: Sequence[NewEvent], actor: Person) -> list[NewEvent]:
    """The events that are not stored yet. One that is must be the same: of its kind, by the same person, with the same in it."""
    known = {e.id: e for e in past}
    again = [e.id for e in events if str(e.id) in known]
    was_asked = dict(RunEvent.objects.filter(event_id__in=again).values_list("event_id", "asked")) if again else {}
    for e in events:
        held = known.get(str(e.id))
        differs = (
            bool(e.asked and was_asked.get(e.id)) and e.asked != was_asked[e.id]
        )  # of what was stored before that was kept nothing is known
        if held is not None and (held.type != e.type or held.author != actor.username or differs):
            other = f"{describe(held)}, by {held.author_name}"
            told = f"An event of this number is stored already, and it is another one ({other}). Nothing was stored; reload the page."
            raise Fault("another_event", told, field="events")
    new = [e for e in events if str(e.id) not in known]
    if len({e.id for e in new}) != len(new):
        raise Fault("doubled_event", "The batch holds the same event twice.", field="events")
    return new


@contextmanager
def no_foreign_events(run_id: uuid.UUID, events: Sequence[NewEvent]) -> Iterator[None]:
    """No event is in two runs: the database refuses it, and this says so."""
    try:
        yield
    except IntegrityError:
        if RunEvent.objects.filter(event_id__in=[e.id for e in events]).exclude(run=run_id).exists():
            raise Fault("foreign_event", "An event of this batch belongs to another run.", field="events") from None
        raise


def stale(past: Sequence[Event], expected_seq: int) -> Fault:
    if not 0 <= expected_seq <= len(past):
        return Fault("stale", "This page is ahead of the record. Reload it; what you typed is kept.", meanwhile=[], seq=len(past))
    meanwhile = [{"by": e.author_name, "what": describe(e), "at": e.at.isoformat()} for e in past if e.seq > expected_seq]
    told = "; ".join(f"{m['by']} {m['what']}" for m in meanwhile[-5:])
    return Fault(
        "stale",
        f"Meanwhile: {told}. Nothing of yours was lost; look at what is asked now, then enter it again.",
        meanwhile=meanwhile,
        seq=len(past),
    )
