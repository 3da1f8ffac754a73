"""How each sensor of a detector ages: its signals from finished runs, and when it should be replaced."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from apps.plant.models import Instrument
from apps.plant.policies import policy_for
from apps.runs.models import Result
from metrology.judgement.sensor_life import SignalPoint, forecast, relative_percent
from metrology.methods.condition import register_life_ends
from metrology.methods.detector import DetectorSettings
from metrology.methods.settings import read_settings

DONE = ("signed", "accepted")
Row = dict[str, Any]


def sensor_life(instrument: Instrument) -> dict[str, Any]:
    """The present life of each sensor with its forecast, and the lives before it."""
    found = Result.objects.filter(instrument=instrument, run__status__in=DONE, name="exposure").order_by("at").select_related("run")
    rows = [r for r in found if r.more.get("sensitivity") is not None]
    end = policy_for(instrument).life_end_percent
    settings = read_settings(DetectorSettings, instrument.details)
    channels = []
    for channel in sorted({r.channel for r in rows}):
        mine = [r for r in rows if r.channel == channel]
        unit = next((c.unit for c in settings.channels if c.name == channel), instrument.unit)
        channels.append(_channel(channel, mine, end, settings, unit))
    return {"tag": instrument.tag, "end_percent": end, "life_months": settings.life_months, "channels": channels}


def _points(rows: list[Result]) -> list[Result]:
    """One point a calibration: the last exposure of each run, which is how the sensor was left."""
    return list({r.run_id: r for r in rows}.values())


def _signals(points: list[Result]) -> list[SignalPoint]:
    start = points[0].at
    return [SignalPoint((r.at - start).total_seconds() / 86400, float(r.more["sensitivity"])) for r in points]


def _channel(name: str, rows: list[Result], end: float, settings: DetectorSettings, unit: str) -> Row:
    life = rows[-1].life
    mine = [r for r in rows if r.life == life]
    points = _points(mine)
    days = _signals(points)
    base = settings.new_sensitivity if len(mine) == len(rows) else 0.0
    told = forecast(days, end_percent=end, first=base)
    relative = relative_percent(days, base)
    poisons = sorted({str(r.more["poison"]) for r in mine if r.more.get("poison")})
    says = told.says + (f" It was exposed to {', '.join(poisons)}: half of the time that would be left is counted on." if poisons else "")
    by_signal = _left(points, told.earliest_day, is_poisoned=bool(poisons))
    ends = _ends(mine, settings, by_signal=by_signal)
    return {
        "channel": name,
        "unit": unit,
        "life": life,
        "lives_before": len({r.life for r in rows} - {life}),
        "as_of": points[-1].at,
        "relative_percent": told.relative_percent,
        "remaining_percent": told.remaining_percent,
        "model": told.model,
        "criterion": told.criterion,
        "says": says,
        "ends": [{"by": by, "on": on} for by, on in ends],
        "replace_by": ends[0][1] if ends else None,
        "ends_on": _left(points, told.ends_day, is_poisoned=bool(poisons)),
        "dose": sum(r.more["dose"] for r in mine),
        "hours": sum(r.more["hours"] for r in mine),
        "points": [
            {
                "day": d.day,
                "at": r.at,
                "run": r.run_id,
                "number": r.run.label,
                "signal": f"{r.more['signal']:g} {settings.signal_unit}",
                "relative": rel,
                "t90_s": r.more["t90_s"],
            }
            for r, d, rel in zip(points, days, relative, strict=True)
        ],
        "earlier": _earlier([r for r in rows if r.life != life]),
        "band": [{"day": d, "low": low, "fit": fit, "high": high} for d, low, fit, high in told.band],
    }


def _left(points: list[Result], day: float | None, *, is_poisoned: bool) -> date | None:
    """The date of a day of the forecast; a poisoned sensor is given half of what would be left."""
    if day is None:
        return None
    last, end = points[-1].at, points[0].at + timedelta(days=day)
    return ((last + (end - last) / 2) if is_poisoned and end > last else end).date()


def _ends(rows: list[Result], settings: DetectorSettings, *, by_signal: date | None) -> list[tuple[str, date]]:
    """When it ends, by its signal, by its date and by its dose, the first of them first. The register's date is of the sensor it names."""
    found: list[tuple[str, date]] = [("its signal", by_signal)] if by_signal else []
    by_date = register_life_ends(settings)
    if by_date and by_date > rows[0].at.date():
        found.append(("its date", by_date))
    dose, elapsed = sum(r.more["dose"] for r in rows), (rows[-1].at - rows[0].at).total_seconds() / 86400
    if settings.dose_limit and dose > 0 and elapsed > 0:
        found.append(("its dose", (rows[0].at + timedelta(days=min(36500.0, elapsed * settings.dose_limit / dose))).date()))
    return sorted(found, key=lambda e: e[1])


def _earlier(rows: list[Result]) -> list[Row]:
    """The courses of the lives before, oldest first."""
    out = []
    for life in dict.fromkeys(r.life for r in rows):
        points = _points([r for r in rows if r.life == life])
        days = _signals(points)
        course = [{"day": d.day, "relative": rel} for d, rel in zip(days, relative_percent(days, 0.0), strict=True)]
        out.append({"life": life, "since": points[0].at, "until": points[-1].at, "points": course})
    return out
