"""The year on paper: each week's load as a bar beside the hours there, then its jobs to be ticked off."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.utils import timezone
from reportlab.graphics.shapes import Drawing, Line, Rect
from reportlab.lib import colors
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, KeepTogether

from apps.agenda.selectors import Year, job_data
from apps.agenda.work import CALIBRATION
from apps.planning.printing import HEADING, TITLE, p, printed, table
from metrology.quantities.words import day_words

MOST_PRINTED = 2000
BAR_MM = 60.0


def print_year(now: datetime, area: str = "", area_name: str = "") -> bytes:
    """The year as a PDF."""
    year = Year.of(now, area)
    title = f"The year ahead{f': {area_name}' if area_name else ''}"
    most = max(1.0, *year.there, *(year.load(n) for n in range(len(year.weeks))))
    rows = [_week_row(year, n, most) for n in range(len(year.weeks))]
    story: list[Flowable] = [
        p(title, TITLE),
        p("Hours of work as a bar, the line is the hours there. All work, in the week for which it is planned or in which it is due."),
        table(["Week of", "Hours", "There", "Over", "Calibrations", "Other", "Load"], rows, [24, 14, 14, 13, 26, 14, BAR_MM + 4]),
    ]
    left = MOST_PRINTED
    for n in range(len(year.weeks)):
        story += _week_jobs(year, n, left)
        left -= len(year.weeks[n])
        if left <= 0 and n + 1 < len(year.weeks):
            story.append(p(f"The first {MOST_PRINTED} jobs; all of them are in the file."))
            break
    return printed(title, f"{title}, printed {timezone.localtime(now):%-d %b %Y %H:%M}", story)


def _week_row(year: Year, n: int, most: float) -> list[object]:
    jobs, hours, there = year.weeks[n], year.load(n), year.there[n]
    calibrations = sum(j.kind == CALIBRATION for j in jobs)
    over = f"{hours - there:.1f}" if hours > there else ""
    return [
        day_words(year.monday_of(n)),
        f"{hours:.1f}",
        f"{there:g}",
        over,
        calibrations,
        len(jobs) - calibrations,
        _bar(hours / most, there / most),
    ]


def _bar(load: float, there: float) -> Drawing:
    """The load, black where it is more than the hours there, told by number as well."""
    out = Drawing(BAR_MM * mm, 8)
    inside = min(load, there)
    out.add(Rect(0, 1, inside * BAR_MM * mm, 6, fillColor=colors.lightgrey, strokeColor=colors.grey, strokeWidth=0.3))
    if load > there:
        out.add(
            Rect(
                inside * BAR_MM * mm, 1, (load - inside) * BAR_MM * mm, 6, fillColor=colors.black, strokeColor=colors.black, strokeWidth=0.3
            )
        )
    out.add(Line(there * BAR_MM * mm, -1, there * BAR_MM * mm, 9, strokeColor=colors.black, strokeWidth=1))
    return out


def _week_jobs(year: Year, n: int, most: int) -> list[Flowable]:
    jobs = sorted(year.weeks[n], key=lambda j: (j.on, j.kind, j.what))[:most]
    if not jobs:
        return []
    first = year.monday_of(n)
    heading = p(f"Week of {day_words(first)} to {day_words(first + timedelta(days=6))}", HEADING)
    told = [job_data(j) for j in jobs]
    rows = [[t["title"], t["what"], t["says"], day_words(t["on"]), f"{t['hours']:g}", t["window"], ""] for t in told]
    made = table(["Kind", "What", "Details", "By", "Hours", "May be done", "Done"], rows, [22, 22, 56, 23, 14, 27, 13])
    return [KeepTogether([heading, made])] if len(rows) < 12 else [heading, made]
