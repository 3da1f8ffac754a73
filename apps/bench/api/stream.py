"""The live stream of a run as server-sent events: first the trace so far, then a frame ten times a second."""

from __future__ import annotations

import asyncio
import json
import time
import uuid
from collections.abc import AsyncIterator, Callable, Iterator
from typing import Any

from asgiref.sync import sync_to_async
from django.contrib.sessions.models import Session
from django.core.handlers.asgi import ASGIRequest
from django.http import HttpRequest, HttpResponseBase, JsonResponse, StreamingHttpResponse
from django.utils import timezone
from django.views.decorators.http import require_GET

from apps.accounts.models import Person
from apps.accounts.policy import is_allowed
from apps.bench.capture import CAME_TO, live_of
from apps.bench.live import RunLive
from apps.runs.store import load_state
from config.failures import Missing

PERIOD_S = 0.1
ALIVE_S = 2.0
DOOR_S = 5.0  # after which a watcher is asked for again


def _event(name: str, data: object) -> bytes:
    return f"event: {name}\ndata: {json.dumps(data, separators=(',', ':'), allow_nan=False)}\n\n".encode()


def _plain(frame: dict[str, Any]) -> dict[str, Any]:
    """Numbers that JSON can't hold become nothing."""
    for row in frame["rows"].values():
        for key in ("v", "mean"):
            if row[key] is not None and not abs(row[key]) < 1e300:
                row[key] = None
    return frame


class Stream:
    """What one watcher is sent: the trace again whenever the sources changed, else the next frame."""

    def __init__(self, live: RunLive) -> None:
        self.live = live
        self.shown: object = None

    def next(self) -> bytes:
        """The next piece."""
        frame = self.live.frame()
        if self.live.told[0] is not frame:  # written once for all who watch
            key = sorted((n, r["label"]) for n, r in frame["rows"].items())
            self.live.told = frame, key, _event("frame", _plain(frame))
        _, rows, told = self.live.told
        if rows == self.shown:
            return told
        self.shown = rows
        return _event("trace", self.live.backlog()) + told


class Watch:
    """What a page with nothing live is sent: how far the run has come, in the moment it moves on, and a sign of life now and then."""

    def __init__(self, run_id: uuid.UUID, seq: int) -> None:
        self.run_id, self.seq = run_id, seq
        self.shown, self.sent_at = -1, 0.0

    def next(self) -> bytes:
        """The next piece; nothing while there is nothing new."""
        now = time.monotonic()
        seq = max(self.seq, CAME_TO.get(self.run_id, 0))
        if seq != self.shown:
            self.shown, self.sent_at = seq, now
            return _event("seq", seq)
        if now - self.sent_at >= ALIVE_S:
            self.sent_at = now
            return b":\n\n"
        return b""


class Door:
    """Whether whoever watches may go on: their session stands, and they are still here."""

    def __init__(self, session: str | None, person: Person) -> None:
        self.session, self.person = session, person.pk
        self.asked_at = time.monotonic()

    def is_due(self) -> bool:
        """Whether it is time to ask again."""
        return time.monotonic() - self.asked_at >= DOOR_S

    def is_open(self) -> bool:
        """Ask."""
        self.asked_at = time.monotonic()
        here = Person.objects.filter(pk=self.person, is_active=True).exists()
        return here and Session.objects.filter(session_key=self.session, expire_date__gt=timezone.now()).exists()


async def _async(stream: Stream | Watch, door: Door) -> AsyncIterator[bytes]:
    due = time.monotonic()
    while not door.is_due() or await sync_to_async(door.is_open)():
        if piece := stream.next():
            yield piece
        due = max(due + PERIOD_S, time.monotonic())
        await asyncio.sleep(max(0.0, due - time.monotonic()))


def _sync(stream: Stream | Watch, door: Door) -> Iterator[bytes]:
    while not door.is_due() or door.is_open():
        if piece := stream.next():
            yield piece
        time.sleep(PERIOD_S)


@require_GET
def live_stream(request: HttpRequest, run_id: uuid.UUID) -> HttpResponseBase:
    """Trace and frames for the signed-in; 401 and 404 as everywhere."""
    return _stream(request, lambda: Stream(live_of(run_id)[0]))


@require_GET
def watch_stream(request: HttpRequest, run_id: uuid.UUID) -> HttpResponseBase:
    """How far a run has come, for the signed-in; 401 and 404 as everywhere."""
    return _stream(request, lambda: Watch(run_id, load_state(run_id)[2].seq))


def _stream(request: HttpRequest, make: Callable[[], Stream | Watch]) -> HttpResponseBase:
    person = request.user
    if not isinstance(person, Person) or not is_allowed(person, "read"):
        return JsonResponse({"code": "not_signed_in", "message": "Sign in to watch."}, status=401)
    try:
        stream = make()
    except Missing as missing:
        return JsonResponse({"code": missing.code, "message": missing.message}, status=404)
    door = Door(request.session.session_key, person)
    body = _async(stream, door) if isinstance(request, ASGIRequest) else _sync(stream, door)
    response = StreamingHttpResponse(body, content_type="text/event-stream")
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response
