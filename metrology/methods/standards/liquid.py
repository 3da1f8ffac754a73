"""What holds for every bottle that portions are poured from: its state, its dates, enough of it left."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Any

from metrology.judgement.gas_kit import GOOD, REFUSE, WARN, Remark
from metrology.quantities.words import day_words

SOON_DAYS = 14


def judge_state(item: Mapping[str, Any]) -> list[Remark]:
    """Only what is in service serves."""
    if str(item.get("state", "in service")) == "in service":
        return []
    return [Remark("state", REFUSE, f"{item['code']} is {item['state']}.")]


def judge_dates(item: Mapping[str, Any], today: date) -> list[Remark]:
    """In date by its label, and not open for too long. item: code, expires_on, opened_on (ISO dates or empty), open_days."""
    out, code = [], item["code"]
    expires = date.fromisoformat(str(item["expires_on"]))
    opened = date.fromisoformat(str(item["opened_on"])) if item.get("opened_on") else None
    good_until = min(expires, opened + timedelta(days=int(item.get("open_days", 90)))) if opened else expires
    if expires < today:
        out.append(Remark("expiry", REFUSE, f"{code} expired on {day_words(expires)}."))
    elif opened and good_until < today:
        told = f"{code} was opened on {day_words(opened)} and is good for {item.get('open_days', 90)} days open: too old since {day_words(good_until)}."
        out.append(Remark("opened", REFUSE, told))
    elif (good_until - today).days <= SOON_DAYS:
        out.append(Remark("expiry", WARN, f"{code} is good until {day_words(good_until)}, {(good_until - today).days} days."))
    else:
        out.append(Remark("expiry", GOOD, f"Good until {day_words(good_until)}."))
    return out


def judge_portions(item: Mapping[str, Any], wanted: int) -> list[Remark]:
    """Enough fresh portions left."""
    left = float(item.get("portions_left", 0))
    if left < wanted:
        told = f"{item['code']} has {left:.0f} portions left and {wanted} fresh ones are needed; what was used is never poured back."
        return [Remark("portions", REFUSE, told)]
    return [Remark("portions", GOOD, f"{left:.0f} portions left, {wanted} needed.")]


def table_text(item: Mapping[str, Any]) -> str:
    """A bottle's own table as a run keeps it: temperature and value, joined by a colon."""
    return " ".join(f"{t:g}:{value:g}" for t, value in item.get("points") or ())


def table_of(text: str) -> list[tuple[float, float]]:
    """A table as a run keeps it."""
    pairs = [pair.partition(":") for pair in text.split()]
    return [(float(t), float(value)) for t, _, value in pairs]
