"""Writing into the journal: entries at its end, in the transaction of what they are about."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from django.conf import settings
from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, transaction
from django.utils import timezone

from apps.journal.models import Entry
from apps.journal.verify import GENESIS, content_of, entry_link
from config.prepared import Prepared

BATCH = 500
JOURNAL_LOCK = 0x56_4C_4A_31  # of PostgreSQL's advisory locks
TAKEN_OVER = ("journal", "taken over")
CLOCK_STEP = timedelta(seconds=5)  # by which a clock may be put right without a word


@dataclass(frozen=True)
class Told:
    """What is to be written. body: any plain data."""

    kind: str
    subject: str
    body: Any
    place: int = 0
    digest: str = ""


def canonical(data: Any) -> str:
    """Data as JSON text that is the same whenever the data is."""
    return json.dumps(data, sort_keys=True, separators=(",", ":"), ensure_ascii=False, cls=DjangoJSONEncoder)


def digest_of(text: str) -> str:
    """SHA-256 of a text, as hex."""
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()


def moment(at: datetime) -> str:
    """A moment as it stands in the journal."""
    return at.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%S.%fZ")


def is_taken_over() -> bool:
    """Whether what was there before the journal stands in it, so that whatever does not is foreign to it."""
    kind, subject = TAKEN_OVER
    return Entry.objects.filter(kind=kind, subject=subject).exists()


def head() -> tuple[int, str]:
    """Number and link of the last entry; 0 and zeros of an empty journal."""
    return _last()[:2]


def take_turn() -> None:
    """One writes at a time, to the end of the transaction that goes on; asked for before anything else is held, nobody waits in a circle.

    SQLite sees to that by itself.
    """
    if connection.vendor == "postgresql":
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_xact_lock(%s)", [JOURNAL_LOCK])


_LAST = Prepared(lambda: Entry.objects.order_by("-seq").values_list("seq", "link", "at")[:1])


def _last() -> tuple[int, str, str]:
    return _LAST.first() or (0, GENESIS, "")


def write(told: Iterable[Told], now: datetime | None = None) -> None:
    """Append entries, in order, in the transaction that goes on; the first entry of all names the plant."""
    rows = list(told)
    if not rows:
        return
    with transaction.atomic(savepoint=False):
        take_turn()
        seq, link, before = _last()
        at = moment(now or timezone.now())
        if before > moment((now or timezone.now()) + CLOCK_STEP):
            rows.insert(0, Told("clock", "set back", {"from": before, "to": at}))
        if seq == 0:
            rows.insert(0, Told("journal", "begun", {"plant": settings.PLANT_NAME or "", "format": 1}))
        made = []
        for t in rows:
            seq += 1
            body = canonical(t.body)
            subject = t.subject[:80]
            content = content_of(seq, at, t.kind, subject, t.place, t.digest, body)
            link = entry_link(link, content)
            made.append(
                Entry(seq=seq, at=at, kind=t.kind, subject=subject, place=t.place, digest=t.digest, body=body, content=content, link=link)
            )
        Entry.objects.bulk_create(made, batch_size=BATCH)
