"""How each sensor of a detector ages: its signals from finished runs, and when it should be replaced."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from apps.plant.models import Instrument
from apps.plant.services import policy_for
from apps.runs.models import Result
from metrology.judgement.sensor_life import SignalPoint, forecast, relative_percent
from metrology.methods.detector import DetectorSettings
from metrology.methods.settings import read_settings

DONE = ("signed", "accepted")


def sensor_life(instrument: Instrument) -> dict[str, Any]:
    """The present life of each sensor with its forecast, and the lives before it."""
    found = Result.objects.filter(instrument=instrument, run__status__in=DONE, name="exposure").order_by("at").select_related("run")
    rows = [r for r in found if r.more.get("sensitivity") is not None]
    end = policy_for(instrument).life_end_percent
    first = read_settings(DetectorSettings, instrument.details)
    channels = []
    for channel in sorted({r.channel for r in rows}):
        mine = [r for r in rows if r.channel == channel]
        unit = next((c.unit for c in first.channels if c.name == channel), instrument.unit)
        channels.append(_channel(channel, mine, end, new=first.new_sensitivity, unit=first.signal_unit, channel_unit=unit))
    return {"tag": instrument.tag, "end_percent": end, "life_months": first.life_months, "channels": channels}


def _channel(name: str, rows: list[Result], end: float, *, new: float, unit: str, channel_unit: str) -> dict[str, Any]:
    life = rows[-1].life
    # One point a calibration: the last exposure of each run, which is how the sensor was left.
    last_of = {(r.run_id, r.life): r for r in rows if r.life == life}
    points = list(last_of.values())
    start = points[0].at
    days = [SignalPoint((r.at - start).total_seconds() / 86400, float(r.more["sensitivity"])) for r in points]
    base = new if not any(r.life != life for r in rows) else 0.0
    told = forecast(days, end_percent=end, first=base)
    relative = relative_percent(days, base)
    poisons = sorted({str(r.more["poison"]) for r in rows if r.life == life and r.more.get("poison")})
    says = told.says + (f" It was exposed to {', '.join(poisons)}: half of the time that would be left is counted on." if poisons else "")
    last = points[-1].at

    def left(day: float | None) -> date | None:
        """The date of a day of the forecast; a poisoned sensor is given half of what would be left."""
        if day is None:
            return None
        end = start + timedelta(days=day)
        return ((last + (end - last) / 2) if poisons and end > last else end).date()

    return {
        "channel": name,
        "unit": channel_unit,
        "life": life,
        "lives_before": len({r.life for r in rows} - {life}),
        "as_of": points[-1].at,
        "relative_percent": told.relative_percent,
        "remaining_percent": told.remaining_percent,
        "model": told.model,
        "criterion": told.criterion,
        "says": says,
        "replace_by": left(told.earliest_day),
        "ends_on": left(told.ends_day),
        "dose": sum(r.more["dose"] for r in rows if r.life == life),
        "hours": sum(r.more["hours"] for r in rows if r.life == life),
        "points": [
            {
                "day": d.day,
                "at": r.at,
                "run": r.run_id,
                "number": r.run.label,
                "signal": f"{r.more['signal']:g} {unit}",
                "relative": rel,
                "t90_s": r.more["t90_s"],
            }
            for r, d, rel in zip(points, days, relative, strict=True)
        ],
        "band": [{"day": d, "low": low, "fit": fit, "high": high} for d, low, fit, high in told.band],
    }
