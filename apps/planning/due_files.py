"""The due list as a file and on paper: all of what is chosen, not only the page that is shown."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime

from django.db.models import QuerySet
from django.utils import timezone

from apps.planning.printing import TITLE, p, printed, table
from apps.plant.models import Instrument
from apps.runs.due import due_words, standing

HEADER = ("Tag", "Service", "Area", "Work", "Due", "Days left", "How it stands", "Why")
MOST_PRINTED = 2000


def due_rows(found: QuerySet[Instrument], today: date) -> Iterator[list[str]]:
    """A row an instrument, as text."""
    for i in found.iterator(chunk_size=500):
        on = i.next_due
        yield [
            i.tag, i.service, i.area.name, i.method_title, on.isoformat() if on else "", str((on - today).days) if on else "",
            standing(on, i.grace_days, today), due_words(i, today),
        ]  # fmt: skip


def print_due(found: QuerySet[Instrument], title: str, now: datetime) -> bytes:
    """The list as a PDF, to be ticked off."""
    today = timezone.localdate(now)
    rows = [[*row[:3], row[4], row[7], ""] for row in due_rows(found[:MOST_PRINTED], today)]
    total = found.count()
    left = [] if total <= MOST_PRINTED else [p(f"The first {MOST_PRINTED} of {total}.")]
    story = [
        p(title, TITLE),
        p("1 instrument." if total == 1 else f"{total} instruments."),
        *left,
        table(["Tag", "Service", "Area", "Due", "Why", "Done"], rows, [24, 40, 30, 20, 50, 14]),
    ]
    return printed(title, f"{title}, printed {timezone.localtime(now):%-d %b %Y %H:%M}", story)
