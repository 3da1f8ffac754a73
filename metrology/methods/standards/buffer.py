"""Buffer solutions: of one table, in date, enough left for fresh portions, near enough to where they are wanted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise
from typing import Any

from metrology.faults import require_range
from metrology.judgement.gas_kit import GOOD, REFUSE, WARN, Remark
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.quantities.acidity import buffer_ph

SOON_DAYS = 14


@dataclass(frozen=True)
class BufferNeed:
    """What one role needs of its buffer: pH at 25 C from low to high, so many fresh portions; away_from: the role of the other buffer.

    table: the set the analyzer is set to, empty where any will do. apart: how far the two must lie apart, pH.
    """

    low: float
    high: float
    portions: int
    away_from: str = ""
    apart: float = 2.0
    table: str = ""


def judge_buffer(setup: RunSetup, need: Need, item: Mapping[str, Any], today: date) -> tuple[tuple[Remark, ...], str, Mapping[str, str]]:
    """Remarks on a buffer, it in words, and what the run knows of it from then on.

    item: code, ph (at 25 C), table, lot, expires_on, opened_on (ISO dates or empty), open_days, portions_left, portion_ml, state.
    """
    want: BufferNeed = need.detail
    remarks: list[Remark] = []
    code, ph, table = str(item["code"]), float(item["ph"]), str(item["table"])
    entered = dict(setup.entered)
    if str(item.get("state", "in service")) != "in service":
        remarks.append(Remark("state", REFUSE, f"{code} is {item['state']}."))
    if not want.low <= ph <= want.high:
        remarks.append(Remark("value", REFUSE, f"{code} is pH {ph:g}; {need.words} lies between pH {want.low:g} and {want.high:g}."))
    else:
        remarks.append(Remark("value", GOOD, f"pH {ph:g} at 25 C, table {table_words(table)}."))
    if want.table and table != want.table:
        told = f"{code} is of the {table_words(table)} table; the analyzer is set to {table_words(want.table)}: it would take it for another pH."
        remarks.append(Remark("table", REFUSE, told))
    other, other_table = entered.get(f"{want.away_from}.ph"), entered.get(f"{want.away_from}.table")
    if other and abs(float(other) - ph) < want.apart:
        told = f"{code} is pH {ph:g} and the other buffer pH {float(other):g}: a slope needs them {want.apart:g} pH apart."
        remarks.append(Remark("apart", REFUSE, told))
    if other_table and other_table != table:
        told = f"{code} is of the {table_words(table)} table and the other buffer of {table_words(other_table)}: two tables make a wrong slope."
        remarks.append(Remark("table", REFUSE, told))
    remarks += _dates(code, item, today)
    left = float(item.get("portions_left", 0))
    if left < want.portions:
        told = f"{code} has {left:.0f} portions left and {want.portions} fresh ones are needed; what was used is never poured back."
        remarks.append(Remark("portions", REFUSE, told))
    else:
        remarks.append(Remark("portions", GOOD, f"{left:.0f} portions left, {want.portions} needed."))
    shows = f"{code}, pH {ph:g} ({table_words(table)}), lot {item.get('lot', '')}"
    own = " ".join(f"{t:g}:{value:g}" for t, value in item.get("points") or ())
    enters = {"ph": f"{ph:g}", "table": table, "code": code, "u": f"{float(item.get('u_ph', 0.02)):g}", "points": own}
    return tuple(remarks), shows, enters


def table_words(table: str) -> str:
    """A buffer table in words."""
    return {"nist": "NIST / DIN 19266", "technical": "technical, rounded", "own": "its own"}.get(table, table)


def _dates(code: str, item: Mapping[str, Any], today: date) -> list[Remark]:
    out = []
    expires = date.fromisoformat(str(item["expires_on"]))
    opened = date.fromisoformat(str(item["opened_on"])) if item.get("opened_on") else None
    good_until = min(expires, opened + timedelta(days=int(item.get("open_days", 90)))) if opened else expires
    if expires < today:
        out.append(Remark("expiry", REFUSE, f"{code} expired on {expires}."))
    elif good_until < today:
        told = (
            f"{code} was opened on {opened} and is good for {item.get('open_days', 90)} days once open: since {good_until} it is too old."
        )
        out.append(Remark("opened", REFUSE, told))
    elif (good_until - today).days <= SOON_DAYS:
        out.append(Remark("expiry", WARN, f"{code} is good until {good_until}, {(good_until - today).days} days."))
    else:
        out.append(Remark("expiry", GOOD, f"Good until {good_until}."))
    return out


def buffer_value(setup: RunSetup, role: str, temp_c: float) -> float:
    """pH of the buffer chosen for a role at its own temperature, by its table; raises a Fault outside the table's temperatures."""
    entered = dict(setup.entered)
    ph, table = float(entered[f"{role}.ph"]), entered[f"{role}.table"]
    own = [tuple(float(v) for v in pair.split(":")) for pair in entered.get(f"{role}.points", "").split()]
    if table != "own" or not own:
        return buffer_ph(table, ph, temp_c)
    require_range(temp_c, own[0][0], own[-1][0], field="temp_c", unit="C")
    for (t1, p1), (t2, p2) in pairwise(own):
        if t1 <= temp_c <= t2:
            return p1 + (p2 - p1) * (temp_c - t1) / (t2 - t1)
    return own[0][1]
