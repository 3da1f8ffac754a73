"""What can happen in a run, and the chain that shows tampering."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from metrology.run.event_types import KEPT

TYPES = tuple(KEPT)
GENESIS = "0" * 64


@dataclass(frozen=True)
class Event:
    """One thing that happened. `at` is the server's time, `device_at` what the device said, both UTC."""

    seq: int
    id: str
    type: str
    payload: Any  # of the shape that `event_types.KEPT` gives for its type
    author: str
    author_name: str
    at: datetime
    device_at: datetime | None = None


def canonical(event: Event, *, run_id: str, previous: str) -> str:
    """Canonical JSON of an event: sorted keys, no blanks, UTF-8, times in UTC with microseconds."""
    body = {
        "run": run_id,
        "seq": event.seq,
        "id": event.id,
        "type": event.type,
        "payload": event.payload,
        "author": event.author,
        "author_name": event.author_name,
        "at": moment_text(event.at),
        "device_at": moment_text(event.device_at) if event.device_at else None,
        "previous": previous,
    }
    return json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def moment_text(moment: datetime) -> str:
    """UTC text of a moment, always with microseconds, so that it hashes the same wherever it was stored."""
    return moment.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def link(event: Event, *, run_id: str, previous: str) -> str:
    """SHA-256 of the canonical event, which holds the hash of the one before: a link of the chain."""
    return hashlib.sha256(canonical(event, run_id=run_id, previous=previous).encode()).hexdigest()
