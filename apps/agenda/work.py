"""All the work ahead: calibrations as they fall due, and what else must be done in time."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple
from urllib.parse import quote

from django.db.models import Q
from django.utils import timezone

from apps.accounts.models import Qualification
from apps.followups.models import FollowUp
from apps.kit.models import Buffer, GasBottle, Reference, Solution, Syringe, Trap
from apps.planning.jobs import setup_of
from apps.planning.models import PlannedWeek
from apps.plant.models import IN_USE, Instrument
from apps.runs.models import Duty
from metrology.judgement.consequence import STANDS_IN
from metrology.methods.effort import effort_of, effort_on_paper
from metrology.methods.registry import METHODS

WEEKS = 53
EARLY_SHARE = 0.2  # of its interval that a job may be done early, without asking anybody
MOST_EARLY_DAYS = 60
FOLLOW_UP_DAYS = 30  # in which what was found outside should be followed up
CALIBRATION, REPLACE, KIT, DUTY, FOLLOW_UP, STAND_IN, RENEWAL = (
    "calibration", "sensor", "kit", "duty", "follow-up", "stand-in", "qualification",
)  # fmt: skip
KINDS = {
    CALIBRATION: "Calibration", REPLACE: "Sensor to be replaced", KIT: "Kit to be renewed", DUTY: "Left to be done", FOLLOW_UP: "Follow-up",
    STAND_IN: "Stand-in to end", RENEWAL: "Qualification to be renewed",
}  # fmt: skip
AGEING: dict[str, Any] = {"buffer": Buffer, "solution": Solution, "syringe": Syringe, "trap": Trap}
HOURS = {REPLACE: 1.0, KIT: 0.5, DUTY: 0.25, FOLLOW_UP: 1.0, STAND_IN: 0.0, RENEWAL: 0.0}


class Job(NamedTuple):
    """Something to be done by a day. earliest, latest: its window, the day itself where it can't be moved; link: its page."""

    kind: str
    what: str
    says: str
    on: date
    hours: float
    link: str
    tag: str = ""
    earliest: date | None = None
    latest: date | None = None
    planned: date | None = None  # the week for which it was planned

    @property
    def is_movable(self) -> bool:
        """Whether it has a window."""
        return self.earliest is not None


def page_of(tag: str) -> str:
    """Where an instrument's page is; a tag may hold a slash."""
    return f"/plant/{quote(tag, safe='')}"


class Row(NamedTuple):
    """What of an instrument the year needs; a whole plant of whole instruments would take seconds."""

    pk: int
    tag: str
    service: str
    area__name: str
    next_due: date
    interval_days: int
    grace_days: int
    people: int
    work_min: int
    method: str
    cycles: int
    is_adjustable: bool
    warm_up_min: float
    points_percent: list[float]


@dataclass
class Efforts:
    """Hours that a calibration takes, worked out once for instruments that are alike."""

    known: dict[tuple[object, ...], float] = field(default_factory=dict)

    def hours(self, r: Row) -> float:
        """Of one instrument."""
        key = (r.work_min,) if r.work_min else (r.method, r.cycles, len(r.points_percent), r.is_adjustable, r.warm_up_min)
        if key not in self.known:
            i = Instrument.objects.select_related("area").get(pk=r.pk)
            method, setup = METHODS.get(i.method), setup_of(i)
            effort = effort_of(method, setup, attention_min=i.work_min) if method and setup else effort_on_paper(i.work_min)
            self.known[key] = effort.attention / 60
        return self.known[key] * r.people


def calibrations(today: date, until: date, area: str = "", tags: Collection[str] | None = None) -> Iterator[Job]:
    """Every calibration that falls due until a day; the first of each instrument may be moved, what follows it in its interval is told as it comes.

    tags: of these instruments alone.
    """
    rows = Instrument.objects.filter(state=IN_USE, next_due__lte=until).order_by("next_due", "tag")
    rows = rows.filter(area__code=area) if area else rows
    rows = rows.filter(tag__in=tags) if tags is not None else rows
    planned = {p.instrument_id: p for p in PlannedWeek.objects.all()}
    efforts = Efforts()
    for r in map(Row._make, rows.values_list(*Row._fields).iterator(chunk_size=2000)):
        week = p.standing(r.next_due, today) if (p := planned.get(r.pk)) else None
        hours, says, link = efforts.hours(r), f"{r.service}, {r.area__name}", page_of(r.tag)
        early = timedelta(days=min(MOST_EARLY_DAYS, int(EARLY_SHARE * r.interval_days)))
        latest = max(r.next_due + timedelta(days=r.grace_days), today)
        yield Job(CALIBRATION, r.tag, says, r.next_due, hours, link, r.tag, min(max(r.next_due - early, today), latest), latest, week)
        every = timedelta(days=r.interval_days)
        on = max(r.next_due, today) + every
        while on <= until:
            yield Job(CALIBRATION, r.tag, f"{says}, again", on, hours, link, r.tag)
            on += every


def others(now: datetime, until: date, area: str = "") -> list[Job]:
    """What else must be done until a day, the nearest first: of an area what hangs on its instruments, else all."""
    today = timezone.localdate(now)
    of_area = Q(instrument__area__code=area) if area else Q()
    found = [*_sensors(until, area), *_duties(until, of_area), *_follow_ups(until, area), *_stand_ins(today, until, area)]
    if not area:
        found += [*_kit(until), *_renewals(until)]
    return sorted(found, key=lambda j: (j.on, j.kind, j.what))


def _sensors(until: date, area: str) -> Iterable[Job]:
    ends = Q(life_ends_on__lte=until) | Q(signal_ends_on__lte=until)
    rows = Instrument.objects.filter(ends, state=IN_USE)
    for i in rows.filter(area__code=area) if area else rows:
        if i.replace_by:
            yield _job(REPLACE, i.tag, f"{i.service}: its sensor is at its end", i.replace_by, f"{page_of(i.tag)}/sensor")


def _duties(until: date, of_area: Q) -> Iterable[Job]:
    for d in Duty.objects.filter(of_area, outcome="").select_related("instrument"):
        if timezone.localdate(d.due_at) <= until:
            yield _job(DUTY, d.instrument.tag, f"{d.title}: {d.instruction}", timezone.localdate(d.due_at), "/")


def _follow_ups(until: date, area: str) -> Iterable[Job]:
    rows = FollowUp.objects.filter(closed_at=None).select_related("run__instrument")
    for f in rows.filter(run__instrument__area__code=area) if area else rows:
        on = timezone.localdate(f.opened_at) + timedelta(days=FOLLOW_UP_DAYS)
        if on <= until and f.run.instrument:
            yield _job(FOLLOW_UP, f.run.instrument.tag, f"Found outside in {f.run.label}: {f.estimate}", on, f"/follow-ups/{f.pk}")


def _stand_ins(today: date, until: date, area: str) -> Iterable[Job]:
    """What is in service in doubt with something else watching for it: until it is put right, which is due at once."""
    rows = Instrument.objects.filter(state=IN_USE, doubt__contains=STANDS_IN)
    for i in rows.filter(area__code=area) if area else rows:
        yield _job(STAND_IN, i.tag, f"{i.doubt[:1].upper()}{i.doubt[1:]}", min(max(i.next_due or today, today), until), page_of(i.tag))


def _kit(until: date) -> Iterable[Job]:
    for r in Reference.objects.filter(state="in service", due_on__lte=until):
        yield _job(KIT, r.code, f"{r.name}: its certificate ends", r.due_on, f"/kit/reference/{quote(r.code, safe='')}")
    for b in GasBottle.objects.filter(state="in service", expires_on__lte=until):
        if b.expires_on:
            yield _job(KIT, b.code, f"{b.name}: good until then", b.expires_on, f"/kit/bottle/{quote(b.code, safe='')}")
    for group, model in AGEING.items():
        for item in model.objects.filter(state="in service"):
            if (end := item.good_until()) <= until:
                yield _job(KIT, item.code, "Used up by age", end, f"/kit/{group}/{quote(item.code, safe='')}")


def _renewals(until: date) -> Iterable[Job]:
    for q in Qualification.objects.filter(ended_at=None, until__lte=until, person__is_active=True).select_related("person"):
        if q.until:
            yield _job(RENEWAL, q.person.name, f"Qualified for {q.name} until then", q.until, "/people")


def _job(kind: str, what: str, says: str, on: date, link: str) -> Job:
    return Job(kind, what, says[:300], on, HOURS[kind], link)
