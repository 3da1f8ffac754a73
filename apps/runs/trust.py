"""Whether a record is as it was written: its chain, and what the journal knows of it. Asked whenever one is opened, exported or printed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from apps.journal.anchoring import proof_of, seal_of
from apps.journal.models import Entry
from apps.journal.writing import is_taken_over
from apps.runs.models import Run
from apps.runs.store import find_broken_link

ANCHORED = ("signed", "countersigned", "reviewed", "voided")  # after which the head of the journal is signed


@dataclass(frozen=True)
class Trust:
    """broken: what of a record does not hold. proof: that its last word stands in the journal, which was signed after it; None where it was not yet."""

    broken: str = ""
    proof: Mapping[str, Any] | None = None


UNASKED = Trust()


def fault_of(run: Run) -> str:
    """What of a record does not hold, as a sentence; empty where all of it does."""
    broken = find_broken_link(run)
    if broken:
        return broken
    last = Entry.objects.filter(kind="run", subject=run.pk.hex).order_by("-place").values_list("place", "digest").first()
    if last is None:
        return f"{run.label} is not in the journal." if is_taken_over() else ""
    if last != (run.events_count, run.head):
        return f"{run.label}: the journal knows {last[0]} events of it and {run.events_count} are there, or its last one is another."
    return ""


def trust_of(run: Run) -> Trust:
    """All that an export of a record says of it: who holds it can follow the way through the journal by themselves."""
    return _trust(run, proof_of)


def printed_trust_of(run: Run) -> Trust:
    """All that a print of a record says of it."""
    return _trust(run, seal_of)


def _trust(run: Run, proved: Callable[[str, int], dict[str, Any] | None]) -> Trust:
    place = run.events.filter(type__in=ANCHORED).order_by("-seq").values_list("seq", flat=True).first()
    return Trust(fault_of(run), proved(run.pk.hex, place) if place else None)
