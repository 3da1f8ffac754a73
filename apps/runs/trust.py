"""Whether a record is as it was written: its chain, and what the journal knows of it. Asked whenever one is opened, exported or printed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from apps.journal.anchoring import proof_of
from apps.journal.models import Entry
from apps.runs.models import Run
from apps.runs.store import find_broken_link

Proof = Mapping[str, Any]
LAST_WORD = ("signed", "voided")


def fault_of(run: Run) -> str:
    """What of a record does not hold, as a sentence; empty where all of it does."""
    broken = find_broken_link(run)
    if broken:
        return broken
    last = Entry.objects.filter(kind="run", subject=run.pk.hex).order_by("-place").values_list("place", "digest").first()
    if last is None:
        return ""  # of a plant from before there was a journal; looking the journal through tells of it
    if last != (run.events_count, run.head):
        return f"{run.label}: the journal knows {last[0]} events of it and {run.events_count} are there, or its last one is another."
    return ""


def proof_for(run: Run) -> Proof | None:
    """What shows that a record's signature stands in the journal, and that the journal was signed after it; None where it was not yet."""
    place = run.events.filter(type__in=LAST_WORD).order_by("-seq").values_list("seq", flat=True).first()
    return proof_of(run.pk.hex, place) if place else None
