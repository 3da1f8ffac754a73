"""Making a round: its day, its people with their hours, its permits, and what is due and free."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.accounts.qualifications import held_by
from apps.journal.registers import write_states
from apps.planning.across import jobs_elsewhere, require_free_jobs, require_free_people
from apps.planning.models import Round, RoundJob, monday
from apps.plant.models import Area, Instrument
from apps.runs.models import OPEN
from metrology.faults import Fault, Faults

MOST_JOBS = 120
MOST_TOLD = 60
AHEAD_DAYS = 14
LUNCH = (11 * 60 + 30, 13 * 60, 30)


def read_clock(text: Any, field: str) -> int:
    """Minutes from midnight of a time like 07:30."""
    hours, _, minutes = str(text).strip().partition(":")
    if not (hours.isdecimal() and minutes.isdecimal() and int(hours) < 24 and int(minutes) < 60 and len(minutes) == 2):
        raise Fault("bad_time", f"'{str(text)[:20]}' is no time of day; write it like 07:30.", field=field)
    return 60 * int(hours) + int(minutes)


@transaction.atomic
def make_round(*, actor: Person, data: Mapping[str, Any], now: datetime) -> Round:
    """A round of a day with what is due in its areas until two weeks later, and what must be done whatever its date."""
    require(actor, "plan the work")
    faults: list[Fault] = []
    day = _day(data, now, faults)
    crew = _crew(data, day, faults)
    areas = [str(a) for a in data.get("areas") or []]
    unknown = set(areas) - set(Area.objects.values_list("code", flat=True))
    if unknown:
        faults.append(Fault("unknown_area", f"There is no area {', '.join(sorted(unknown))}.", field="areas"))
    permits = _permits(data, faults)
    musts = _tags(data, faults)
    elsewhere = jobs_elsewhere(timezone.localdate(now))
    faults += require_free_jobs(musts, elsewhere)
    faults += require_free_people(day, crew) if day else []
    if faults:
        raise Faults(faults)
    assert day is not None
    name = str(data.get("name") or "").strip()[:80] or f"Round of {day:%-d %B}"
    found = _to_be_done(day)
    if areas:
        found = found.filter(area__code__in=areas)
    begun = set(found.filter(runs__status__in=OPEN).values_list("pk", flat=True))
    chosen, not_taken = {i.pk: i for i in musts}, []
    for i in found.order_by("next_due", "tag"):
        if i.pk in chosen:
            continue
        if i.pk in elsewhere or i.pk in begun:
            not_taken.append(f"{i.tag} is on '{elsewhere[i.pk]}'" if i.pk in elsewhere else f"{i.tag} is under way and not signed")
        elif len(chosen) >= MOST_JOBS:
            break
        else:
            chosen[i.pk] = i
    if not chosen:
        raise Fault("nothing_due", "Nothing is due there until two weeks after that day. Choose other areas, or name what must be done.")
    result = {"not_taken": not_taken[:MOST_TOLD]}
    made = Round.objects.create(name=name, day=day, made_by=actor, made_at=now, crew=crew, areas=areas, permits=permits, result=result)
    write_states(RoundJob.objects.bulk_create(RoundJob(round=made, instrument=i, is_must=i in musts) for i in chosen.values()))
    return made


def _to_be_done(day: date) -> QuerySet[Instrument]:
    """What is due until two weeks after a day, and what was planned for its week; what was planned for a later week is left to that."""
    holds, week = Q(planned_week__due_on=F("next_due")), monday(day)
    due = Q(next_due__lte=day + timedelta(days=AHEAD_DAYS))
    return Instrument.objects.filter(due | (holds & Q(planned_week__week=week))).exclude(holds & Q(planned_week__week__gt=week))


def _day(data: Mapping[str, Any], now: datetime, faults: list[Fault]) -> date | None:
    try:
        day = date.fromisoformat(str(data.get("day") or ""))
    except ValueError:
        faults.append(Fault("bad_date", "Choose the day of the round.", field="day"))
        return None
    if day < timezone.localdate(now):
        faults.append(Fault("in_the_past", "That day is over; choose today or later.", field="day"))
    return day


def _crew(data: Mapping[str, Any], day: date | None, faults: list[Fault]) -> list[dict[str, Any]]:
    out, rows = [], data.get("crew") or []
    people = {p.username: p for p in Person.objects.filter(role="technician", is_active=True)}
    skills = held_by(people.values(), day or timezone.localdate())
    for row in rows if isinstance(rows, list) else []:
        person = people.get(str(row.get("username", "")))
        if person is None:
            faults.append(Fault("unknown_person", f"{str(row.get('username', ''))[:40]} is not a technician here.", field="crew"))
            continue
        try:
            start, end = read_clock(row.get("start"), "crew"), read_clock(row.get("end"), "crew")
        except Fault as fault:
            faults.append(fault)
            continue
        if not 60 <= end - start <= 14 * 60:
            faults.append(Fault("bad_shift", f"{person.name}'s shift must last between 1 and 14 hours.", field="crew"))
        lunch = list(LUNCH) if row.get("lunch", True) else None
        out.append(
            {"username": person.username, "name": person.name, "start": start, "end": end, "lunch": lunch, "skills": skills[person.pk]}
        )
    if not out and not faults:
        faults.append(Fault("nobody", "Choose at least one person.", field="crew"))
    if len({c["username"] for c in out}) < len(out):
        faults.append(Fault("twice", "A person stands twice on the round.", field="crew"))
    return out


def _permits(data: Mapping[str, Any], faults: list[Fault]) -> dict[str, list[int]]:
    out = {}
    for row in data.get("permits") or []:
        try:
            window = [read_clock(row.get("start"), "permits"), read_clock(row.get("end"), "permits")]
        except Fault as fault:
            faults.append(fault)
            continue
        if window[1] <= window[0]:
            faults.append(Fault("bad_window", "A permit must end after it starts.", field="permits"))
        out[str(row.get("area", ""))] = window
    return out


def _tags(data: Mapping[str, Any], faults: list[Fault]) -> list[Instrument]:
    tags = [str(t).strip() for t in data.get("musts") or [] if str(t).strip()]
    found = list(Instrument.objects.filter(tag__in=tags))
    missing = set(tags) - {i.tag for i in found}
    if missing:
        faults.append(Fault("unknown_tag", f"There is no instrument {', '.join(sorted(missing))}.", field="musts"))
    return found
