"""The whole journal looked through: its chain, every run against it, every register and file against how it stands there, every anchor."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from typing import Any, cast

from django.db import DatabaseError, connection
from django.utils import timezone

from apps.evidence.models import LookThrough
from apps.journal.anchoring import anchor_data, folders, keys, plant, written_anchors
from apps.journal.models import Anchor, Entry
from apps.journal.registers import CHANGES, FILES, REGISTERS, file_digest, state_of, subject_of
from apps.journal.verify import COLUMNS, find_anchor_fault, find_journal_fault, find_lost_anchor
from apps.journal.writing import head
from apps.runs.models import Run, RunEvent
from apps.runs.store import find_broken_link

PART = 5_000
MOST = 200  # sentences that are kept
Progress = Callable[[int], None]


def look_through(progress: Progress = lambda done: None) -> list[str]:
    """What does not hold, as sentences, the first wrong entry first; empty where all of it does. A damaged database is told, not raised."""
    out: list[str] = []
    for part in (_database, lambda: _chain(progress), _runs, _registers, _changes, _written):
        try:
            for fault in part():
                out.append(fault)
                if len(out) >= MOST:
                    return [*out, "There is more; the rest was not looked at."]
        except DatabaseError as error:
            out.append(f"Part of the database can't be read ({error}). Restore the last backup beside it and compare; nothing was changed.")
    return out


def start(now: datetime) -> LookThrough:
    """One that begins now; how far it is stands in it."""
    return LookThrough.objects.create(began_at=now, total=Entry.objects.count())


def finish(made: LookThrough) -> None:
    """Look through and keep what it came to."""

    def tell(done: int) -> None:
        LookThrough.objects.filter(pk=made.pk).update(done=done)

    found = look_through(tell)
    LookThrough.objects.filter(pk=made.pk).update(findings=found, ended_at=timezone.now(), done=made.total)


def _database() -> Iterator[str]:
    if connection.vendor != "sqlite":
        return
    with connection.cursor() as cursor:
        for row in cursor.execute("PRAGMA integrity_check(20)").fetchall():
            if row[0] != "ok":
                yield f"The database is damaged: {row[0]}. Keep this file, restore the last backup into another place, and compare."
        for table, number, other, _ in cursor.execute("PRAGMA foreign_key_check").fetchall():
            yield f"A row of {table} ({number}) belongs to one of {other} that is not there."


def _chain(progress: Progress) -> Iterator[str]:
    def rows() -> Iterator[tuple[Any, ...]]:
        for row in Entry.objects.order_by("seq").values_list(*COLUMNS).iterator(PART):
            yield row
            if row[0] % PART == 0:
                progress(row[0])

    anchors = list(Anchor.objects.order_by("seq"))
    fault, _, links = find_journal_fault(rows(), [a.seq for a in anchors])
    if fault:
        yield f"{fault} From here on nothing can be relied on."
    name, known = plant(), keys()
    for a in anchors:
        told = anchor_data(a, name)
        wrong = find_anchor_fault(told, known) or find_lost_anchor(told, links)
        if wrong:
            yield wrong


def _runs() -> Iterator[str]:
    """Both lists are read in the order of runs and places, side by side."""
    numbers = {pk.hex: number for pk, number in Run.objects.values_list("pk", "number")}

    def named(run: str) -> str:
        return f"VL-{numbers[run]:06d}" if run in numbers else f"Run {run}"

    told = Entry.objects.filter(kind="run").order_by("subject", "place", "seq").values_list("subject", "place", "digest").iterator(PART)
    there = ((r.hex, s, k) for r, s, k in RunEvent.objects.order_by("run_id", "seq").values_list("run_id", "seq", "link").iterator(PART))
    wrong: dict[str, str] = {}
    known, event = next(told, None), next(there, None)
    while known or event:
        if event is None or (known is not None and known[:2] < event[:2]):
            known = cast(tuple[str, int, str], known)
            wrong.setdefault(known[0], f"event {known[1]} stands in the journal and is gone.")
            known = next(told, None)
        elif known is None or event[:2] < known[:2]:
            wrong.setdefault(event[0], f"event {event[1]} is not in the journal.")
            event = next(there, None)
        else:
            if known[2] != event[2]:
                wrong.setdefault(known[0], f"event {known[1]} is not the one that the journal knows.")
            known, event = next(told, None), next(there, None)
    yield from (f"{named(run)}: {says}" for run, says in wrong.items())
    for run in Run.objects.order_by("number").iterator(PART):
        broken = "" if run.pk.hex in wrong else find_broken_link(run)
        if broken:
            yield broken


def _last(kind: str) -> dict[str, str]:
    """The digest under which each row of a kind stands in the journal now."""
    return dict(Entry.objects.filter(kind=kind, place=0).order_by("seq").values_list("subject", "digest").iterator(PART))


def _registers() -> Iterator[str]:
    for register in REGISTERS:
        known = _last(register.kind)
        for row in register.table._base_manager.iterator(PART):
            digest = known.pop(subject_of(register, row), None)
            if digest is None:
                yield f"{register.kind.capitalize()} {row} is not in the journal: it was put into the register past the product."
            elif digest != state_of(register, row):
                yield f"{register.kind.capitalize()} {row} is not as it stands in the journal: it was changed past the product."
        yield from (
            f"{register.kind.capitalize()} {subject} stands in the journal and is gone." for subject, digest in known.items() if digest
        )


def _changes() -> Iterator[str]:
    for register in (*CHANGES, *FILES):
        known: dict[int, str] = {}
        for place, digest in Entry.objects.filter(kind=register.kind).order_by("seq").values_list("place", "digest").iterator(PART):
            known[place] = digest
        for row in register.table._base_manager.iterator(PART):
            kept: str | None = known.pop(row.pk, None)
            now = file_digest(row) if register in FILES else state_of(register, row)
            what = f"A {register.kind} {getattr(row, 'name', '') or subject_of(register, row)}"
            if kept is None:
                yield f"{what} is not in the journal."
            elif not now:
                yield f"{what} can't be found in the folder of files."
            elif kept != now:
                yield f"{what} was changed past the product."
        yield from (f"A {register.kind} ({place}) stands in the journal and is gone." for place, digest in known.items() if digest)


def _written() -> Iterator[str]:
    """The newest anchor of each folder: what is outside of the database tells when its end is lost."""
    name, last = plant(), head()[0]
    for path, told in written_anchors(folders()):
        link = Entry.objects.filter(seq=told.get("seq", 0)).values_list("link", flat=True).first()
        if told.get("seq", 0) > last:
            lost = f"{path} was signed at entry {told['seq']}, but the journal ends at {last}: what was written last is lost."
            yield f"{lost} Look for the database's -wal file."
        elif link != told.get("link") and told.get("plant") == name:
            yield f"{path} was signed for another journal: entries were changed or are lost."
