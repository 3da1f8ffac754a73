"""How the evidence stands, and the journal as people read it: who, when, what, from what to what."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection
from django.db.models import Q, QuerySet
from django.utils import timezone

from apps.accounts.models import Person
from apps.bench.hub import HUB
from apps.evidence.backup import free_bytes, is_overdue, last_good
from apps.evidence.models import Backup, LookThrough
from apps.followups.models import FollowUp
from apps.journal.keys import public_key
from apps.journal.models import Anchor, Entry
from apps.journal.registers import CHANGES, FILES, REGISTERS
from apps.journal.writing import moment
from apps.plant.models import Instrument
from apps.plant.sheets import guarded

LOW_BYTES = 2 * 2**30
SILENT_S = 60.0
CLOCK_TOLD = timedelta(days=7)
EXPORTED = 100_000
GROUPS: dict[str, tuple[str, ...]] = {
    "changes": (
        *(r.kind for r in (*CHANGES, *FILES)),
        "plan",
        "clock",
        "key",
        "report",
        "deferral",
        "area",
        "job of a round",
        "qualification",
    ),
    "registers": tuple(r.kind for r in REGISTERS),
    "runs": ("run",),
}
OF_INSTRUMENTS = ("instrument", "change of instrument", "file of instrument")
UNTOLD = frozenset(
    (
        "id",
        "at",
        "by_id",
        "reason",
        "values",
        "instrument_id",
        "person_id",
        "function_id",
        "follow_up_id",
        "round_id",
        "group",
        "code",
        "what",
    )
)


def status(now: datetime) -> dict[str, Any]:
    """Journal, anchors, backups, the last look through, room; and what of it is wrong, in sentences."""
    last = Entry.objects.order_by("-seq").values("seq", "at").first()
    anchor = Anchor.objects.order_by("-seq", "-pk").first()
    backup, looked = last_good(), LookThrough.objects.order_by("-began_at").first()
    ended = LookThrough.objects.exclude(ended_at=None).order_by("-began_at").first()
    free = free_bytes(Path(settings.BACKUP_FOLDER))
    return {
        "entries": last["seq"] if last else 0,
        "last_at": last["at"] if last else None,
        "key": public_key(),
        "anchor": {"seq": anchor.seq, "at": anchor.at, "why": anchor.why} if anchor else None,
        "anchor_folder": str(settings.ANCHOR_FOLDER),
        "anchor_mail": settings.ANCHOR_MAIL,
        "backup": {"at": backup.at, "name": backup.name, "size": backup.size, "seq": backup.seq, "is_encrypted": backup.is_encrypted} if backup else None,
        "backup_folder": str(settings.BACKUP_FOLDER),
        "looked": {
            "began_at": looked.began_at, "ended_at": looked.ended_at, "done": looked.done, "total": looked.total,
        } if looked else None,
        "findings": ended.findings if ended else [],
        "free_gb": round(free / 2**30, 1),
        "wrong": wrong(now),
    }  # fmt: skip


def wrong(now: datetime) -> list[str]:
    """What whoever looks after the plant must know today; empty where all is well."""
    out = []
    ended = LookThrough.objects.exclude(ended_at=None).order_by("-began_at").first()
    if ended and ended.findings:
        many = f"{len(ended.findings)} things that do" if len(ended.findings) > 1 else "one thing that does"
        out.append(f"Looking the journal through found {many} not hold. The first: {ended.findings[0]}")
    tried, good = Backup.objects.order_by("-at").first(), last_good()
    if settings.KEEPS_WATCH and is_overdue(now):
        age = f"The last backup is {(now - good.at).days} days old" if good and (now - good.at).days else "The last backup is too old"
        out.append(
            f"{age if good else 'There is no backup yet'}. Make one on the page of the evidence, and see why it was not made by itself."
        )
    if tried and tried.problem:
        out.append(f"The last backup was not made: {tried.problem}")
    anchor = Anchor.objects.order_by("-seq", "-pk").first()
    if anchor and anchor.problem:
        out.append(f"The last anchor did not reach every folder: {anchor.problem}")
    stepped = Entry.objects.filter(kind="clock", at__gte=moment(now - CLOCK_TOLD)).order_by("-seq").first()
    if stepped:
        at = stepped.at[:16].replace("T", " ")
        out.append(f"The server's clock was {stepped.subject} ({at} UTC). Entries stay in their order; see that it keeps time.")
    places = {"the plant's data is": data_folder(), "the backups go": Path(settings.BACKUP_FOLDER)}
    for place, folder in places.items():
        if free_bytes(folder) < LOW_BYTES:
            out.append(f"Less than 2 GB are free where {place}. Make room before nothing can be stored any more.")
    out += [
        f"{code} does not answer since {timezone.localtime(datetime.fromtimestamp(since, UTC)):%H:%M}: somebody waits for what it reads. "
        "See its cable, its power and its address."
        for code, since in HUB.silent().items()
        if now.timestamp() - since > SILENT_S
    ]
    return out


def data_folder() -> Path:
    """Where what is entered is kept: beside the database where that is a file, else where files are."""
    return Path(connection.settings_dict["NAME"]).parent if connection.vendor == "sqlite" else Path(settings.MEDIA_ROOT)


def find_entries(*, group: str = "changes", search: str = "", since: str = "", until: str = "") -> QuerySet[Entry]:
    """Entries, the newest first: of a group (changes, registers, runs; any other: all), by what stands in them, between two days (UTC)."""
    rows = Entry.objects.order_by("-seq")
    if group in GROUPS:
        rows = rows.filter(kind__in=GROUPS[group])
    for word in search.split()[:5]:
        tags = list(Instrument.objects.filter(search_key__contains=word.casefold()).values_list("pk", flat=True)[:200])
        mine = Q(kind__in=OF_INSTRUMENTS, subject__in=[str(pk) for pk in tags])
        rows = rows.filter(Q(body__icontains=word) | Q(subject__icontains=word) | Q(kind__icontains=word) | mine)
    if since:
        rows = rows.filter(at__gte=since)
    if until:
        rows = rows.filter(at__lte=f"{until}T99")
    return rows


class Names:
    """People and instruments by their numbers, looked up once for a page."""

    def __init__(self, entries: Iterable[Entry]) -> None:
        self.people: dict[object, str] = {}
        for p in Person.objects.all():
            self.people[p.pk] = self.people[p.username] = p.name
        told = [self._told(e) for e in entries]
        pks = {str(t.get("instrument_id") or t.get("id")) for t in told if "instrument_id" in t or "search_key" in t or "tag" in t}
        self.tags: dict[object, str] = dict(Instrument.objects.filter(pk__in=[p for p in pks if p.isdigit()]).values_list("pk", "tag"))
        followed = [e.subject for e in entries if e.kind == "follow-up"]
        self.followed = {
            str(f.pk): f"{f.run.tag}, {f.run.label}" for f in FollowUp.objects.filter(pk__in=followed).select_related("run__instrument")
        }

    @staticmethod
    def _told(e: Entry) -> dict[str, Any]:
        body = json.loads(e.body)
        told: dict[str, Any] = body.get("row") or body.get("gone") or body
        return told

    def row(self, e: Entry) -> dict[str, Any]:
        """An entry as it is shown."""
        body, told = json.loads(e.body), self._told(e)
        by = self.people.get(told.get("by_id")) or self.people.get(body.get("by"), str(body.get("by") or ""))
        about = told.get("instrument_id") or (told.get("id") if e.kind == "instrument" else None)
        subject = self.tags.get(about) or told.get("tag") or self.followed.get(e.subject, e.subject)
        if e.kind == "run":
            subject, says = str(body["number"]), str(body["type"]).replace("_", " ")
        elif e.kind in ("change of person", "qualification"):
            subject = self.people.get(told.get("person_id"), e.subject)
            says = str(told.get("what", "")) or _says(told)
        else:
            says = _says(told)
        if "gone" in body:
            says = f"taken away: {says}"
        shown = {"seq": e.seq, "at": e.at, "kind": e.kind, "link": e.link}
        return {**shown, "subject": str(subject), "by": by, "says": says, "reason": str(told.get("reason", ""))}


def _says(told: dict[str, Any]) -> str:
    values = told.get("values")
    if isinstance(values, dict) and values:
        return "; ".join(f"{name.replace('_', ' ')}: {_step(change).rstrip('.')}" for name, change in values.items())
    plain = {k: v for k, v in told.items() if k not in UNTOLD and v not in ("", None, [], {})}
    return "; ".join(f"{k.removesuffix('_id').replace('_', ' ')} {_plain(v)}" for k, v in plain.items())


def _step(change: Any) -> str:
    if isinstance(change, Sequence) and not isinstance(change, str) and len(change) == 2:
        old, new = _plain(change[0]), _plain(change[1])
        return f"{old} → {new or 'none'}" if old else new
    return _plain(change)


def _plain(value: Any) -> str:
    if value is None:
        return ""
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def export_entries(rows: QuerySet[Entry]) -> str:
    """The entries as CSV, the newest first."""
    found = list(rows[:EXPORTED])
    names, out = Names(found), io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["entry", "at (UTC)", "kind", "subject", "by", "what", "reason", "link"])
    for e in found:
        r = names.row(e)
        writer.writerow([guarded(str(r[k])) for k in ("seq", "at", "kind", "subject", "by", "says", "reason", "link")])
    return out.getvalue()
