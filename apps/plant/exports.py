"""The register as a file that can be read in again unchanged."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import QuerySet

from apps.plant.columns import all_columns, get
from apps.plant.models import Instrument
from apps.plant.register import as_typed

MORE = ("Next due", "Last calibrated", "Last as found", "Last as left")


def export_header() -> list[str]:
    """Every column of the register, then what its runs have told; the latter are passed over when the file is read in."""
    return [c.label for c in all_columns()] + list(MORE)


def export_rows(instruments: QuerySet[Instrument]) -> Iterator[list[str]]:
    """One row an instrument, as text."""
    columns = all_columns()
    for i in instruments.select_related("area").iterator(chunk_size=1000):
        data = as_typed(i)
        more = [
            i.next_due.isoformat() if i.next_due else "",
            i.last_done_on.isoformat() if i.last_done_on else "",
            i.last_found,
            i.last_left,
        ]
        yield [get(data, c.key) for c in columns] + more
