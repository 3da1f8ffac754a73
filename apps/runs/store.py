"""The event store: rows to events and back, links of the chain."""

from __future__ import annotations

import logging
import threading
import uuid
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

from apps.journal.writing import Told, take_turn, write
from apps.runs.models import Run, RunEvent
from config.failures import Missing
from config.prepared import Prepared
from metrology.faults import Fault
from metrology.run.events import GENESIS, Event, link
from metrology.run.folding import fold
from metrology.run.state import RunState
from metrology.run.view_types import RunView

log = logging.getLogger(__name__)
V = TypeVar("V")
RUN_COLUMNS = (*(f.name for f in Run._meta.concrete_fields), "technician__username", "technician__first_name", "technician__last_name")
COLUMNS = ("seq", "event_id", "type", "payload", "author", "author_name", "at", "device_at")


def load_events(run: Run, *, after: int = 0, until: int | None = None) -> list[Event]:
    """Events of a run in order, read from the database; between two places in it when asked."""
    rows = run.events.filter(seq__gt=after).order_by("seq").values_list(*COLUMNS)
    if until is not None:
        rows = rows.filter(seq__lte=until)
    return [_event(*row) for row in rows]


def _event(seq: int, event_id: uuid.UUID, *rest: Any) -> Event:
    return Event(seq, str(event_id), *rest)


class EventCache:
    """Events of the runs worked on lately, so that each append reads only what is new.

    The head of the chain is the key: what is kept is used only while it leads to the head that the database holds,
    or to the event before the first new one.
    """

    def __init__(self, size: int = 64) -> None:
        self._size = size
        self._kept: OrderedDict[uuid.UUID, tuple[str, tuple[Event, ...]]] = OrderedDict()
        self._states: OrderedDict[uuid.UUID, tuple[str, RunState]] = OrderedDict()
        self._views: OrderedDict[uuid.UUID, RunView] = OrderedDict()
        self._lock = threading.Lock()

    def events(self, run: Run) -> list[Event]:
        """All events of a run, those already known not read again."""
        with self._lock:
            head, known = self._kept.get(run.id, (GENESIS, ()))
        if head != run.head:
            fresh = list(run.events.filter(seq__gt=len(known)).order_by("seq").values_list("previous", flat=True)[:1])
            if known and fresh != [head]:
                known = ()
            known = (*known, *load_events(run, after=len(known), until=run.events_count))
            self.keep(run, known)
        return list(known)

    def state(self, run: Run, events: Sequence[Event]) -> RunState:
        """What the events add up to, not folded again while the head is the one it was folded to. It is only read: who goes on branches it."""
        with self._lock:
            head, state = self._states.get(run.id, ("", None))
        if state is None or head != run.head:
            state = folded(run, events)
            self.keep_state(run, state)
        return state

    def view(self, run: Run, seq: int) -> RunView | None:
        """The view of a run at a place of its chain, where that is the one made last."""
        with self._lock:
            view = self._views.get(run.id)
        return view if view is not None and view["seq"] == seq else None

    def keep_view(self, run: Run, view: RunView) -> None:
        """Remember the view made last of a run."""
        with self._lock:
            _put(self._views, run.id, view, self._size)

    def forget(self) -> None:
        """Remember nothing any more, as after a start of the server."""
        with self._lock:
            for kept in (self._kept, self._states, self._views):
                kept.clear()

    def keep_state(self, run: Run, state: RunState) -> None:
        """Remember what led to the run's head; from now on nobody changes it."""
        with self._lock:
            _put(self._states, run.id, (run.head, state), self._size)

    def keep(self, run: Run, events: Sequence[Event]) -> None:
        """Remember the events that lead to the run's head."""
        with self._lock:
            _put(self._kept, run.id, (run.head, tuple(events)), self._size)


def _put(kept: OrderedDict[uuid.UUID, V], run: uuid.UUID, value: V, size: int) -> None:
    kept[run] = value
    kept.move_to_end(run)
    while len(kept) > size:
        kept.popitem(last=False)


CACHE = EventCache()


_RUN = Prepared(lambda pk: Run.objects.select_related("technician").only(*RUN_COLUMNS).filter(pk=pk), Run._meta.get_field("id"))
_RUN_HELD = Prepared(
    lambda pk: Run.objects.select_related("technician").only(*RUN_COLUMNS).select_for_update(of=("self",)).filter(pk=pk),
    Run._meta.get_field("id"),
)


def load_run(run_id: uuid.UUID, *, lock: bool = False, fresh: bool = False) -> tuple[Run, list[Event]]:
    """A run with its events; `fresh` reads them all from the database, for what is evidence."""
    if lock:
        take_turn()
    run = (_RUN_HELD if lock else _RUN).first(run_id)
    if run is None:
        raise Missing("unknown_run", "There is no such run.")
    return run, load_events(run) if fresh else CACHE.events(run)


def load_state(run_id: uuid.UUID, *, lock: bool = False) -> tuple[Run, list[Event], RunState]:
    """A run with its events and what they add up to; the state is only read, who carries it on branches it."""
    run, events = load_run(run_id, lock=lock)
    return run, events, CACHE.state(run, events)


def append_rows(run: Run, events: list[Event], asked: Mapping[str, str] | None = None) -> None:
    """Store new events at the end of the chain and move its head. asked: by id, the hash of what a client sent."""
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
                asked=(asked or {}).get(event.id, ""),
            )
        )
    RunEvent.objects.bulk_create(rows)
    write(
        Told("run", run.id.hex, {"number": run.label, "type": row.type, "by": row.author}, place=row.seq, digest=row.link) for row in rows
    )


def folded(run: Run, events: Sequence[Event]) -> RunState:
    """What the events add up to; a Fault where they don't follow from each other, as after somebody wrote in the database."""
    try:
        return fold(events)
    except (KeyError, TypeError, ValueError, AttributeError, StopIteration) as error:
        log.exception("%s can't be folded", run.label)
        why = find_broken_link(run) or "Its events do not follow from each other."
        told = f"{run.label} can't be read. {why} Nothing was changed; have the evidence looked through, and compare with the last backup."
        raise Fault("unreadable", told) from error


def find_broken_link(run: Run) -> str:
    """A sentence naming the first broken link of a run's chain; empty when it is whole."""
    previous, count = GENESIS, 0
    for *row, stored_previous, stored_link in run.events.order_by("seq").values_list(*COLUMNS, "previous", "link"):
        event = _event(*row)
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
