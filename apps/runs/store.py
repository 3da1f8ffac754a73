"""The event store: rows to events and back, links of the chain."""

from __future__ import annotations

import uuid

from apps.runs.models import Run, RunEvent
from config.failures import Missing
from metrology.run.events import GENESIS, Event, link


def load_events(run: Run) -> list[Event]:
    """All events of a run in order."""
    rows = run.events.order_by("seq").values_list("seq", "event_id", "type", "payload", "author", "author_name", "at", "device_at")
    return [Event(seq, str(eid), kind, payload, author, name, at, device) for seq, eid, kind, payload, author, name, at, device in rows]


def load_run(run_id: uuid.UUID, *, lock: bool = False) -> tuple[Run, list[Event]]:
    """A run with its events."""
    rows = Run.objects.select_related("instrument__area", "technician")
    run = (rows.select_for_update(of=("self",)) if lock else rows).filter(pk=run_id).first()
    if run is None:
        raise Missing("unknown_run", "There is no such run.")
    return run, load_events(run)


def append_rows(run: Run, events: list[Event]) -> None:
    """Store new events at the end of the chain and move its head."""
    rows = []
    for event in events:
        previous = run.head
        run.head = link(event, run_id=str(run.id), previous=previous)
        run.events_count = event.seq
        rows.append(
            RunEvent(
                run=run,
                seq=event.seq,
                event_id=uuid.UUID(event.id),
                type=event.type,
                payload=event.payload,
                author=event.author,
                author_name=event.author_name,
                at=event.at,
                device_at=event.device_at,
                previous=previous,
                link=run.head,
            )
        )
    RunEvent.objects.bulk_create(rows)


def find_broken_link(run: Run) -> str:
    """A sentence naming the first broken link of a run's chain; empty when it is whole."""
    previous, count = GENESIS, 0
    rows = run.events.order_by("seq").values_list("previous", "link")
    for event, (stored_previous, stored_link) in zip(load_events(run), rows, strict=True):
        count += 1
        if event.seq != count:
            return f"{run.label}: event {count} is missing; the next one stored is {event.seq}."
        if stored_previous != previous or link(event, run_id=str(run.id), previous=previous) != stored_link:
            return f"{run.label}: event {event.seq} ({event.type}, {event.at:%Y-%m-%d %H:%M} UTC) does not match its link."
        previous = stored_link
    if count != run.events_count or previous != run.head:
        return (
            f"{run.label}: the chain ends at event {count}, but {run.events_count} were stored; events at its end are missing or changed."
        )
    return ""
