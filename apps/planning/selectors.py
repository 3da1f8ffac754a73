"""What is due, overdue and open, and why."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.kit.selectors import standing
from apps.planning.following import job_rows
from apps.planning.models import Round
from apps.plant.models import Instrument
from apps.plant.selectors import instrument_row
from apps.runs.due import due_words, open_run
from apps.runs.gas import list_bottles
from apps.runs.models import OPEN, Run
from apps.runs.selectors import run_row
from metrology.methods.registry import METHODS

HORIZON_DAYS = 30
SHOWN = 40


def get_today(person: Person, now: datetime) -> dict[str, Any]:
    """Everything the Today page shows."""
    today = timezone.localdate(now)
    # Prefetched: joined, the planner walks the plant to find the few runs that are open.
    runs = Run.objects.filter(status__in=OPEN).prefetch_related("instrument__area", "technician").order_by("started_at")
    mine = [r for r in runs if r.technician_id == person.pk]
    others = [r for r in runs if r.technician_id != person.pk]
    due = Instrument.objects.filter(method__in=list(METHODS)).select_related("area")
    overdue = due.filter(next_due__lt=today).order_by("next_due", "tag")
    coming = due.filter(next_due__gte=today, next_due__lte=today + timedelta(days=HORIZON_DAYS)).order_by("next_due", "tag")
    elsewhere = Instrument.objects.exclude(method__in=list(METHODS)).filter(next_due__lte=today + timedelta(days=HORIZON_DAYS))
    return {
        "date": today,
        "open_mine": [run_row(r) for r in mine],
        "open_others": [run_row(r) for r in others],
        "overdue_total": overdue.count(),
        "due_total": coming.count(),
        "on_paper_total": elsewhere.count(),
        "overdue": [_due_row(i, today) for i in overdue[:SHOWN]],
        "due": [_due_row(i, today) for i in coming[:SHOWN]],
        "first": _first(today),
        "round": my_round(person, now),
        "to_review": Run.objects.filter(status="signed").count() if person.role == "reviewer" else 0,
    }


def my_round(person: Person, now: datetime) -> dict[str, Any] | None:
    """The round of today that somebody is on: its jobs in order, with the next one told."""
    for found in Round.objects.filter(day=timezone.localdate(now), status="under way"):
        if all(c["username"] != person.username for c in found.crew):
            continue
        mine = [r for r in job_rows(found, now) if any(person.username in t["people"] for t in r["tasks"])]
        mine.sort(key=lambda r: r["tasks"][0]["start"])
        late = max((r["late_min"] for r in mine if r["state"] != "done"), default=0)
        return {"id": found.id, "name": found.name, "late_min": late, "jobs": mine}
    return None


def _due_row(i: Instrument, today: date) -> dict[str, Any]:
    run = open_run(i)
    return {**instrument_row(i), "why": due_words(i, today), "open_run": run.id if run else None}


def _first(today: date) -> list[str]:
    """What must happen before the work: certificates that have run out or soon will."""
    out = []
    soon = Reference.objects.filter(due_on__lte=today + timedelta(days=HORIZON_DAYS), state="in service").order_by("due_on")
    for r in soon[:10]:
        if standing(r, today) == "expired":
            out.append(f"{r.code} {r.name}: the certificate ran out on {r.due_on:%-d %b %Y}. Send it in; use another.")
        else:
            out.append(f"{r.code} {r.name}: the certificate runs out on {r.due_on:%-d %b %Y}.")
    return [*out, *_bottles_first(today), *_sensors_first(today)]


def _bottles_first(today: date) -> list[str]:
    """Bottles to change before a round: expired, empty or nearly so, or suspected by what several detectors read of them."""
    out = []
    for b in list_bottles(today):
        left = f"{b['litres_left']:g} l left"
        told = {
            "expired": "expired; change it.",
            "empty": f"{left}; change it.",
            "nearly empty": f"{left}; nearly empty.",
            "due soon": "expires soon.",
        }
        if b["standing"] in told:
            out.append(f"{b['code']} {b['name']}: {told[b['standing']]}")
        if b["suspicion"]:
            out.append(f"{b['code']} {b['name']}: {b['suspicion']}")
    return out


def _sensors_first(today: date) -> list[str]:
    """Sensors whose end is near, by their date, signal or dose, whichever is first."""
    until = today + timedelta(days=HORIZON_DAYS)
    found = Instrument.objects.filter(Q(life_ends_on__lte=until) | Q(signal_ends_on__lte=until)).order_by("tag")
    ends = sorted((i.replace_by, i.tag) for i in found[:SHOWN] if i.replace_by)
    return [
        f"{tag}: its sensor {'should have been' if on < today else 'is to be'} replaced by {on:%-d %b %Y}. Have a new one at hand."
        for on, tag in ends[:10]
    ]
