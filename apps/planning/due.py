"""The due list: what is due, by which rule, how urgent, and what was put off."""

from __future__ import annotations

import secrets
from collections import Counter, defaultdict
from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import Count, QuerySet
from django.utils import timezone
from icalendar import Calendar, Event

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.journal.writing import digest_of
from apps.planning.models import Feed, PlannedWeek, Round
from apps.plant.models import Area, Deferral, Instrument
from apps.plant.once import once
from apps.plant.selectors import instrument_row
from apps.runs.due import deferral_row, due_words, open_run, standing
from config.failures import Missing
from metrology.faults import Fault

AHEAD_DAYS = 120
CALENDAR_WEEKS = 5
MOST_FEEDS = 10  # of one person


def planned_week(i: Instrument, today: date) -> date | None:
    """The week for which it was planned, where that still holds; looked up once while a page is read."""
    found = once("planned weeks", lambda: {p.instrument_id: p for p in PlannedWeek.objects.all()}).get(i.pk)
    return found.standing(i.next_due, today) if found else None


def due_list(*, today: date, area: str = "", search: str = "", days: int = 30, on: date | None = None) -> QuerySet[Instrument]:
    """Instruments due within so many days, or on one day, the most overdue first; those with an open run stay until it is signed.

    on: a day; what is overdue stands at today.
    """
    found = Instrument.objects.select_related("area")
    if on is None:
        found = found.filter(next_due__lte=today + timedelta(days=days))
    else:
        found = found.filter(next_due__lte=on) if on == today else found.filter(next_due=on)
    if area:
        found = found.filter(area__code=area)
    if search:
        found = found.filter(search_key__contains=search.casefold())
    return found.order_by("next_due", "tag")


def due_days(*, today: date, area: str = "", weeks: int = CALENDAR_WEEKS) -> list[dict[str, Any]]:
    """The days from this Monday on, each with how many instruments are due, how many of them overdue (at today), and the rounds of that day."""
    first = today - timedelta(days=today.weekday())
    last = first + timedelta(days=7 * weeks - 1)
    found = Instrument.objects.filter(next_due__lte=last)
    if area:
        found = found.filter(area__code=area)
    due: Counter[date] = Counter()
    overdue = 0
    for day, count in found.values_list("next_due").annotate(n=Count("pk", distinct=True)):
        due[max(day, today)] += count
        overdue += count if day < today else 0
    rounds = defaultdict[date, list[dict[str, str]]](list)
    for made in Round.objects.filter(day__range=(first, last)).exclude(status="closed"):
        rounds[made.day].append({"id": str(made.id), "name": made.name})
    days = [first + timedelta(days=n) for n in range(7 * weeks)]
    return [{"day": d, "due": due[d], "overdue": overdue if d == today else 0, "rounds": rounds[d]} for d in days]


def due_row(i: Instrument, today: date) -> dict[str, Any]:
    """What the due list shows of an instrument."""
    return {
        **instrument_row(i),
        "why": due_words(i, today),
        "open_run": run.id if (run := open_run(i)) else None,
        "standing": standing(i.next_due, i.grace_days, today),
        "rule": i.due_rule,
        "replace_by": i.replace_by,
        "planned": planned_week(i, today),
        "days_left": (i.next_due - today).days if i.next_due else None,
    }


def waiting_deferrals() -> list[dict[str, Any]]:
    """Deferrals that wait for approval, then those in force."""
    rows = Deferral.objects.filter(is_over=False).select_related("instrument", "asked_by", "decided_by").order_by("decided_at", "asked_at")
    return [dict(deferral_row(d)) for d in rows[:100]]


def make_feed(*, actor: Person, area: str, now: datetime, person: str = "") -> tuple[Feed, str]:
    """A new private link: of an area, of somebody's rounds for who plans them, or of one's own. With the secret in it, which is told this once."""
    require(actor, "read")
    found, whose = None, None
    if person and person != actor.username:
        require(actor, "plan the work")
        whose = Person.objects.filter(username=person, is_active=True).first()
        if whose is None:
            raise Missing("unknown_person", f"There is nobody called {person[:40]} here.", field="person")
    if area:
        found = Area.objects.filter(code=area).first()
        if found is None:
            raise Missing("unknown_area", f"There is no area {area}.", field="area")
    if Feed.objects.filter(owner=actor, revoked_at=None).count() >= MOST_FEEDS:
        raise Fault(
            "too_many", f"You have {MOST_FEEDS} calendar links. Revoke one that is not used any more, then make this one.", field="area"
        )
    secret = secrets.token_urlsafe(32)
    return Feed.objects.create(token=digest_of(secret), owner=actor, area=found, person=whose, made_at=now), secret


def revoke_feed(*, actor: Person, feed_id: int, now: datetime) -> None:
    """End a link of one's own; whoever has it sees nothing from now on."""
    if not Feed.objects.filter(pk=feed_id, owner=actor, revoked_at=None).update(revoked_at=now):
        raise Missing("unknown_feed", "That link is not yours, or is revoked already.")


def calendar_of(secret: str, now: datetime) -> bytes:
    """The calendar of a link by the secret in it; a revoked one, or one of somebody who left, is as if it had never been."""
    feed = (
        Feed.objects.select_related("owner", "area", "person")
        .filter(token=digest_of(secret), revoked_at=None, owner__is_active=True)
        .first()
    )
    if feed is None:
        raise Missing("unknown_feed", "There is no such calendar.")
    calendar = Calendar()
    calendar.add("prodid", "-//Verify Loop//EN")
    calendar.add("version", "2.0")
    whose = feed.person or feed.owner
    calendar.add("x-wr-calname", f"Due in {feed.area.name}" if feed.area else f"Rounds of {whose.name}")
    for event in _area_events(feed.area, now) if feed.area else _round_events(whose, now):
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def _event(uid: str, now: datetime, summary: str, start: Any, end: Any, more: str) -> Event:
    event = Event()
    event.add("uid", f"{uid}@verify-loop")
    event.add("dtstamp", now)
    event.add("dtstart", start)
    event.add("dtend", end)
    event.add("summary", summary)
    event.add("description", more)
    return event


def _area_events(area: Area, now: datetime) -> list[Event]:
    today = timezone.localdate(now)
    rows = Instrument.objects.filter(area=area, next_due__lte=today + timedelta(days=AHEAD_DAYS)).order_by("next_due")[:1000]
    out = []
    for i in rows:
        day = max(i.next_due, today) if i.next_due else today  # what is overdue stands at today, where it is seen
        out.append(_event(f"due-{i.pk}", now, f"{i.tag} due: {i.service}", day, day + timedelta(days=1), due_words(i, today)))
    return out


def _round_events(person: Person, now: datetime) -> list[Event]:
    today = timezone.localdate(now)
    out = []
    for found in Round.objects.filter(day__gte=today - timedelta(days=14)).prefetch_related("jobs__instrument__area"):
        midnight = timezone.make_aware(datetime.combine(found.day, datetime.min.time()))
        for job in found.jobs.all():
            mine = [t for t in job.tasks if person.username in t["people"]]
            for n, task in enumerate(mine):
                start, end = (midnight + timedelta(minutes=task[k]) for k in ("start", "end"))
                what = f"{job.instrument.tag}: {job.instrument.service}"
                out.append(_event(f"job-{job.pk}-{n}", now, what, start, end, f"{found.name}, {job.instrument.area.name}"))
    return out
