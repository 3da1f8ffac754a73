"""The year week by week: load beside the hours there, what can be moved to level it, and the jobs of a week."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.utils import timezone

from apps.accounts.models import Person
from apps.agenda.levelling import Load, level
from apps.agenda.models import WeekHours
from apps.agenda.work import CALIBRATION, KINDS, WEEKS, Job, calibrations, others
from apps.planning.models import monday
from apps.plant.models import Area
from metrology.quantities.words import day_words

USUAL_HOURS = 20.0  # of a technician's week, where nothing is entered: the rest is repairs, projects, holidays
MOST_MOVES = 60
MOST_JOBS = 300


@dataclass(frozen=True)
class Year:
    """The work of the weeks to come, week by week. there: hours there in each."""

    first: date
    weeks: tuple[tuple[Job, ...], ...]
    there: tuple[float, ...]
    usual: float
    is_assumed: bool

    @classmethod
    def of(cls, now: datetime, area: str = "") -> Year:
        """The year from this week on; of an area its work alone, beside the hours of the whole plant."""
        today = timezone.localdate(now)
        first = monday(today)
        until = first + timedelta(weeks=WEEKS, days=-1)
        jobs = [*calibrations(today, until, area), *others(now, until, area)]
        usual, is_assumed, named = _hours()
        there = tuple(named.get(first + timedelta(weeks=n), usual) for n in range(WEEKS))
        placed: list[list[Job]] = [[] for _ in range(WEEKS)]
        for j in jobs:
            placed[_week_of(j, first, today)].append(j)
        return cls(first, tuple(map(tuple, placed)), there, usual, is_assumed)

    def monday_of(self, week: int) -> date:
        """When a week begins."""
        return self.first + timedelta(weeks=week)

    def load(self, week: int) -> float:
        """Hours of work of a week."""
        return sum(j.hours for j in self.weeks[week])


def _week_of(j: Job, first: date, today: date) -> int:
    """In which week a job stands: the one for which it was planned, else that in which it is due; what is overdue in this one."""
    on = j.planned or max(j.on, today)
    return max(0, min(WEEKS - 1, (monday(on) - first).days // 7))


def _hours() -> tuple[float, bool, dict[date, float]]:
    rows = list(WeekHours.objects.all())
    usual = next((r.hours for r in rows if r.week is None), None)
    named = {r.week: r.hours for r in rows if r.week is not None}
    if usual is None:
        return USUAL_HOURS * Person.objects.filter(role="technician", is_active=True).count(), True, named
    return usual, False, named


def area_name(code: str) -> str:
    """What an area is called; empty where there is none of that code."""
    return Area.objects.filter(code=code).values_list("name", flat=True).first() or ""


def year_data(now: datetime, area: str = "") -> dict[str, Any]:
    """The weeks with their load, and what could be moved."""
    year = Year.of(now, area)
    weeks = []
    for n in range(WEEKS):
        mine = year.weeks[n]
        hours = sum(j.hours for j in mine)
        weeks.append(
            {
                "monday": year.monday_of(n), "hours": round(hours, 2), "there": year.there[n], "over": round(max(0.0, hours - year.there[n]), 2),
                "calibrations": sum(j.kind == CALIBRATION for j in mine), "others": sum(j.kind != CALIBRATION for j in mine),
                "planned": sum(j.planned is not None for j in mine),
            }
        )  # fmt: skip
    moves = proposals(year)
    return {
        "weeks": weeks,
        "usual": year.usual,
        "assumed": f"No usual week is entered: {USUAL_HOURS:g} h a technician are assumed." if year.is_assumed else "",
        "moves": moves[:MOST_MOVES],
        "more_moves": max(0, len(moves) - MOST_MOVES),
        "left_over": round(_left_over(year, moves), 2),
    }


def proposals(year: Year) -> list[dict[str, Any]]:
    """What could be moved, each inside its window, so that fewer hours are over."""
    by_key = {j.tag: j for jobs in year.weeks for j in jobs if j.is_movable}
    loads, fixed = [], [0.0] * len(year.there)
    for n, j in ((n, j) for n, jobs in enumerate(year.weeks) for j in jobs):
        if j.is_movable and j.planned is None and j.earliest and j.latest:
            loads.append(Load(j.tag, n, j.hours, _index(j.earliest, year.first), _index(j.latest, year.first)))
        else:
            fixed[n] += j.hours  # what somebody has planned stays
    return [
        {
            "tag": m.key, "says": by_key[m.key].says, "due_on": by_key[m.key].on, "hours": round(by_key[m.key].hours, 2),
            "before": year.monday_of(m.before), "after": year.monday_of(m.after), "index": [m.before, m.after],
        }
        for m in level(loads, fixed, year.there)
    ]  # fmt: skip


def _index(day: date, first: date) -> int:
    return (monday(day) - first).days // 7


def _left_over(year: Year, moves: Sequence[dict[str, Any]]) -> float:
    total = [year.load(n) for n in range(WEEKS)]
    for m in moves:
        before, after = m["index"]
        total[before] -= m["hours"]
        total[after] += m["hours"]
    return sum(max(0.0, t - there) for t, there in zip(total, year.there, strict=True))


def week_jobs(now: datetime, week: date, area: str = "") -> dict[str, Any]:
    """The jobs of one week, the nearest first."""
    year = Year.of(now, area)
    n = _index(week, year.first)
    mine = sorted(year.weeks[n], key=lambda j: (j.on, j.kind, j.what))
    return {
        "monday": week, "hours": round(year.load(n), 2), "total": len(mine),
        "there": year.there[n], "jobs": [job_data(j) for j in mine[:MOST_JOBS]],
    }  # fmt: skip


def job_data(j: Job) -> dict[str, Any]:
    """A job as a list shows it."""
    window = f"{day_words(j.earliest)} to {day_words(j.latest)}" if j.earliest and j.latest and j.earliest != j.latest else ""
    return {
        "kind": j.kind, "title": KINDS[j.kind], "what": j.what, "says": j.says, "on": j.on, "hours": round(j.hours, 2), "link": j.link, "tag": j.tag,
        "window": window, "planned": j.planned,
    }  # fmt: skip


def others_within(now: datetime, days: int, area: str = "") -> list[dict[str, Any]]:
    """What is to be done within so many days beside the calibrations."""
    until = timezone.localdate(now) + timedelta(days=days)
    return [job_data(j) for j in others(now, until, area)[:MOST_JOBS]]


HEADER = ("Week of", "Kind", "What", "Details", "By", "Hours", "May be done", "Planned for the week of")


def year_rows(now: datetime, area: str = "") -> Iterator[list[str]]:
    """Every job of the year as text, week by week."""
    year = Year.of(now, area)
    for n, j in ((n, j) for n, jobs in enumerate(year.weeks) for j in sorted(jobs, key=lambda j: (j.on, j.kind, j.what))):
        told = job_data(j)
        yield [
            year.monday_of(n).isoformat(), told["title"], told["what"], told["says"], j.on.isoformat(), f"{j.hours:.2f}", told["window"],
            j.planned.isoformat() if j.planned else "",
        ]  # fmt: skip
