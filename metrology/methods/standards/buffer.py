"""Buffer solutions: of one table, in date, enough left for fresh portions, near enough to where they are wanted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from metrology.judgement.gas_kit import GOOD, REFUSE, Remark
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.standards.liquid import judge_dates, judge_portions, judge_state, table_of, table_text
from metrology.quantities.acidity import buffer_ph
from metrology.quantities.tabulated import of_table


@dataclass(frozen=True)
class BufferNeed:
    """What one role needs of its buffer: pH at 25 °C from low to high, so many fresh portions; away_from: the role of the other buffer.

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

    item: code, ph (at 25 °C), table, lot, expires_on, opened_on (ISO dates or empty), open_days, portions_left, portion_ml, state.
    """
    want: BufferNeed = need.detail
    remarks = judge_state(item)
    code, ph, table = str(item["code"]), float(item["ph"]), str(item["table"])
    entered = dict(setup.entered)
    if not want.low <= ph <= want.high:
        remarks.append(Remark("value", REFUSE, f"{code} is pH {ph:g}; {need.words} lies between pH {want.low:g} and {want.high:g}."))
    else:
        remarks.append(Remark("value", GOOD, f"pH {ph:g} at 25 °C, table {table_words(table)}."))
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
    remarks += judge_dates(item, today)
    remarks += judge_portions(item, want.portions)
    shows = f"{code}, pH {ph:g} ({table_words(table)}), lot {item.get('lot', '')}"
    enters = {"ph": f"{ph:g}", "table": table, "code": code, "u": f"{float(item.get('u_ph', 0.02)):g}", "points": table_text(item)}
    return tuple(remarks), shows, enters


def table_words(table: str) -> str:
    """A buffer table in words."""
    return {"nist": "NIST / DIN 19266", "technical": "technical, rounded", "own": "its own"}.get(table, table)


def buffer_value(setup: RunSetup, role: str, temp_c: float) -> float:
    """pH of the buffer chosen for a role at its own temperature, by its table; raises a Fault outside the table's temperatures."""
    entered = dict(setup.entered)
    ph, table = float(entered[f"{role}.ph"]), entered[f"{role}.table"]
    own = table_of(entered.get(f"{role}.points", ""))
    return of_table(own, temp_c) if table == "own" and own else buffer_ph(table, ph, temp_c)
