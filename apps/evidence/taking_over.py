"""What is there and not yet in the journal, taken into it as it stands: a plant from before there was one."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from typing import TypeVar

from apps.journal.models import Entry
from apps.journal.registers import CHANGES, FILES, REGISTERS, states, write_changes
from apps.journal.writing import TAKEN_OVER, Told, is_taken_over, write
from apps.runs.models import RunEvent

T = TypeVar("T")
PART = 2_000


def take_over() -> int:
    """Write all that the journal does not know, once for all time; the number of entries.

    Only what was there before the journal is taken on trust: what appears in a table later, past the product, stays for the check to tell.
    """
    if is_taken_over():
        return 0
    before = Entry.objects.count()
    for register in REGISTERS:
        known = set(Entry.objects.filter(kind=register.kind, place=0).values_list("subject", flat=True))
        pks = register.table._base_manager.order_by("pk").values_list("pk", flat=True)
        for part in _parts(pks.iterator(PART)):
            write(t for t in states(register, part) if t.subject not in known)
    for register in (*CHANGES, *FILES):
        seen = set(Entry.objects.filter(kind=register.kind).values_list("place", flat=True))
        for rows in _parts(register.table._base_manager.order_by("pk").iterator(PART)):
            write_changes([row for row in rows if row.pk not in seen])
    places = set(Entry.objects.filter(kind="run").values_list("subject", "place"))
    events = RunEvent.objects.select_related("run").order_by("at", "run_id", "seq").iterator(PART)
    for part in _parts(e for e in events if (e.run_id.hex, e.seq) not in places):
        write(Told("run", e.run_id.hex, {"number": e.run.label, "type": e.type, "by": e.author}, place=e.seq, digest=e.link) for e in part)
    taken = Entry.objects.count() - before
    write([Told(*TAKEN_OVER, {"entries": taken})])
    return taken


def _parts(rows: Iterator[T]) -> Iterator[list[T]]:
    while part := list(islice(rows, PART)):
        yield part
