"""What earlier runs of an instrument gave that is followed from run to run: frozen into a new run, and shown on its page."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.utils import timezone

from apps.plant.models import Instrument
from apps.runs.models import Result
from metrology.judgement.trend import find_step, meeting_words, meets_limit
from metrology.methods.setup import Past
from metrology.quantities.words import day_words

KEPT = 60  # results of one instrument that a run takes with it


def followed(instrument: Instrument) -> list[Result]:
    """The followed results of an instrument's signed runs, oldest first."""
    rows = Result.objects.filter(instrument=instrument, kind="set", run__status__in=("signed", "accepted"), value__isnull=False)
    return list(rows.order_by("-at", "-pk")[:KEPT])[::-1]


def history_of(instrument: Instrument) -> tuple[Past, ...]:
    """They as a run freezes them."""
    return tuple(
        Past(r.name, timezone.localdate(r.at).isoformat(), float(r.value), r.unit, r.phase, r.life)
        for r in followed(instrument)
        if r.value is not None
    )


def trends_of(instrument: Instrument) -> list[dict[str, Any]]:
    """Each followed value with its points, its limits, and what its course says, for the instrument's page."""
    by_name: dict[tuple[str, str], list[Result]] = {}
    for r in followed(instrument):
        if r.phase == "as found" and r.more.get("is_shown", True):
            by_name.setdefault((r.name, r.channel), []).append(r)
    return [_trend(rows) for rows in by_name.values()]


def _trend(rows: Sequence[Result]) -> dict[str, Any]:
    last = rows[-1]
    mine = [r for r in rows if r.life == last.life]  # a new part is a new course
    low, high = last.more.get("low"), last.more.get("high")
    return {
        "name": last.name,
        "label": str(last.more.get("label", last.name)),
        "unit": last.unit,
        "low": low,
        "high": high,
        "life": last.life,
        "says": _says(mine, low, high),
        "points": [{"on": timezone.localdate(r.at), "value": r.value, "life": r.life, "run": r.run_id} for r in rows],
    }


def _says(rows: Sequence[Result], low: float | None, high: float | None) -> str:
    """Whether it creeps or has stepped, and when it meets its limit."""
    values = [float(r.value) for r in rows if r.value is not None]
    days = [timezone.localdate(r.at) for r in rows]
    room = (high - low) if low is not None and high is not None else 0.0
    step = find_step(values, least=0.1 * room)
    if step:
        before, after = day_words(days[step.at - 1]), day_words(days[step.at])
        size = f"{step.size:+.3g} {rows[-1].unit}"
        return f"It stepped by {size} between {before} and {after}: something happened there; a slow change looks otherwise."
    met = meets_limit([float((d - days[-1]).days) for d in days], values, low=low, high=high)
    if met.has_met:
        return f"It is past its limit of {met.limit:g} {rows[-1].unit}."
    if not met.points:
        return "Three results are needed to tell a trend."
    return meeting_words(met, days[-1], rows[-1].unit, of="results")
