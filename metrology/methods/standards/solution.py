"""Conductivity standards: in date, enough left for fresh portions, inside the range they are wanted for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from metrology.faults import Fault
from metrology.judgement.gas_kit import GOOD, REFUSE, WARN, Remark
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need
from metrology.methods.standards.liquid import judge_dates, judge_portions, judge_state, table_of, table_text
from metrology.quantities.conductivity import solution_conductivity
from metrology.quantities.tabulated import of_table

WEAK_US_CM = 100.0  # below it carbon dioxide of the air moves a standard while it stands open


@dataclass(frozen=True)
class SolutionNeed:
    """What is needed of a conductivity standard: uS/cm at 25 °C from low to high, so many fresh portions, U at most (%)."""

    low: float
    high: float
    portions: int
    u_percent: float


def judge_solution(setup: RunSetup, need: Need, item: Mapping[str, Any], today: date) -> tuple[tuple[Remark, ...], str, Mapping[str, str]]:
    """Remarks on a conductivity standard, it in words, and what the run knows of it from then on.

    item: code, us_cm (at 25 °C), table, points, u_percent (k = 2), lot, dates as of a buffer, portions_left, state.
    """
    want: SolutionNeed = need.detail
    code, value, u = str(item["code"]), float(item["us_cm"]), float(item["u_percent"])
    remarks = judge_state(item)
    if not want.low <= value <= want.high:
        told = f"{code} is {value:g} uS/cm; {need.words} lies between {want.low:g} and {want.high:g} uS/cm, where this analyzer reads it."
        remarks.append(Remark("value", REFUSE, told))
    else:
        remarks.append(Remark("value", GOOD, f"{value:g} uS/cm at 25 °C."))
    if u > want.u_percent:
        told = f"{code} is known to {u:g} %; a standard for this analyzer is known to {want.u_percent:g} % or better."
        remarks.append(Remark("u", REFUSE, told))
    if value < WEAK_US_CM:
        told = f"{code} is weak: air moves it while it stands open. Pour just before you read, and read at once."
        remarks.append(Remark("weak", WARN, told))
    remarks += [*judge_dates(item, today), *judge_portions(item, want.portions)]
    shows = f"{code}, {value:g} uS/cm at 25 °C, lot {item.get('lot', '')}"
    enters = {"us_cm": f"{value:g}", "table": str(item["table"]), "code": code, "u": f"{u:g}", "points": table_text(item)}
    return tuple(remarks), shows, enters


def solution_value(setup: RunSetup, role: str, temp_c: float) -> float:
    """Conductivity in uS/cm of the standard chosen for a role at its temperature, by its table; a Fault outside the table's temperatures."""
    entered = dict(setup.entered)
    own = table_of(entered.get(f"{role}.points", ""))
    if entered[f"{role}.table"] != "own":
        return solution_conductivity(entered[f"{role}.table"], temp_c)
    if not own:
        raise Fault("no_table", f"{entered[f'{role}.code']} has no table of its temperatures; put it in on the kit's page.")
    return of_table(own, temp_c)
