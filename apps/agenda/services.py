"""Writing the year: hours of a week, and jobs planned for another week inside their windows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.agenda.models import WeekHours
from apps.agenda.work import WEEKS, Job, calibrations
from apps.planning.models import PlannedWeek, monday
from apps.plant.models import Instrument
from metrology.faults import Fault, Faults, require_range
from metrology.quantities.typed import parse_typed

MOST_HOURS = 2000.0
MOST_MOVES = 500


def read_week(text: str, today: date, *, field: str = "week") -> date:
    """The Monday of a day that is written, of this week or one of the year to come."""
    try:
        week = monday(date.fromisoformat(text.strip()))
    except ValueError:
        raise Fault("bad_date", "Write a day of the week like 2027-03-01.", field=field) from None
    if not monday(today) <= week < monday(today) + timedelta(weeks=WEEKS):
        raise Fault("out_of_range", "Choose this week, or one of the year to come.", field=field)
    return week


@transaction.atomic
def set_hours(*, actor: Person, week: str, hours: str, now: datetime) -> None:
    """Hours there in one week, or in a usual one (week empty); hours empty: a week is as usual again."""
    require(actor, "plan the work")
    on = read_week(week, timezone.localdate(now)) if week.strip() else None
    if not hours.strip() and on is not None:
        WeekHours.objects.filter(week=on).delete()
        return
    value = parse_typed(hours, name="Hours there", unit="h", field="hours").value
    require_range(value, 0, MOST_HOURS, field="hours", unit="h")
    WeekHours.objects.update_or_create(week=on, defaults={"hours": value, "by": actor, "at": now})


@transaction.atomic
def plan_weeks(*, actor: Person, moves: Sequence[Mapping[str, Any]], now: datetime) -> int:
    """Plan jobs for weeks inside their windows, all or none; an empty week gives a job back to the week in which it is due."""
    require(actor, "plan the work")
    today = timezone.localdate(now)
    if len(moves) > MOST_MOVES:
        raise Fault("too_many", f"At most {MOST_MOVES} jobs are planned at once; these are {len(moves)}.", field="moves")
    wanted = {str(m.get("tag") or ""): str(m.get("week") or "") for m in moves}
    known = {i.tag: i for i in Instrument.objects.filter(tag__in=wanted)}
    last = max((i.next_due for i in known.values() if i.next_due), default=today)
    jobs = {j.tag: j for j in calibrations(today, last, tags=wanted) if j.is_movable}
    faults = []
    for tag, week in wanted.items():
        try:
            _plan(actor, known.get(tag), jobs.get(tag), tag, week, now)
        except Fault as fault:
            faults.append(fault)
    if faults:
        raise Faults(faults)
    return len(wanted)


def _plan(actor: Person, i: Instrument | None, job: Job | None, tag: str, week: str, now: datetime) -> None:
    if i is None or job is None or i.next_due is None or job.earliest is None or job.latest is None:
        raise Fault("not_due", f"{tag[:40]} has no due date that could be planned.", field="moves")
    if not week:
        PlannedWeek.objects.filter(instrument=i).delete()
        return
    on = read_week(week, timezone.localdate(now), field="moves")
    if not monday(job.earliest) <= on <= monday(job.latest):
        told = (
            f"{tag} may be done from {job.earliest:%-d %b %Y} to {job.latest:%-d %b %Y}: a fifth of its interval early at most, and not past its grace. "
            "Nothing was stored. To put it off further is asked for on the Plan."
        )
        raise Fault("outside_window", told, field="moves")
    PlannedWeek.objects.update_or_create(instrument=i, defaults={"week": on, "due_on": i.next_due, "by": actor, "at": now})
