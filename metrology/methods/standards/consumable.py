"""Syringes and traps: in service, within their own life; a trap that stands open is spent in days."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from metrology.judgement.gas_kit import GOOD, REFUSE, WARN, Remark
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.standards.liquid import SOON_DAYS, judge_state
from metrology.quantities.words import day_words


def judge_consumable(
    setup: RunSetup, need: Need, item: Mapping[str, Any], today: date
) -> tuple[tuple[Remark, ...], str, Mapping[str, str]]:
    """Remarks on a syringe or a trap, it in words, and what the run knows of it from then on.

    item: code, name, good_until (ISO date), is_capped ("no" of a trap that stands open), state.
    """
    remarks, code = judge_state(item), str(item["code"])
    until = date.fromisoformat(str(item["good_until"]))
    is_open = item.get("is_capped") == "no"
    why = "it was left without its caps, and open air spends it in days" if is_open else "its life is over"
    if until < today:
        remarks.append(Remark("life", REFUSE, f"{code} was good until {day_words(until)}: {why}. Take a fresh one."))
    elif is_open:
        remarks.append(Remark("caps", WARN, f"{code} stands open and is good until {day_words(until)} only: cap it at both ends."))
    elif (until - today).days <= SOON_DAYS:
        remarks.append(Remark("life", WARN, f"{code} is good until {day_words(until)}, {(until - today).days} days."))
    else:
        remarks.append(Remark("life", GOOD, f"Good until {day_words(until)}."))
    return tuple(remarks), f"{code}, {item['name']}", {"code": code}
