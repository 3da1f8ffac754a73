"""The gas of a round: which of its bottles serves which detector, by the rules that judge every bottle."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from apps.checks.models import CheckRound
from apps.runs.gas import gas_snapshot
from metrology.judgement.gas_kit import AMBIENT, REFUSE, GasNeed, judge_kit
from metrology.judgement.policy import Policy
from metrology.run.gases import bottle_from, fitting_from

Kit = tuple[Mapping[str, str], Mapping[str, Any]]  # a gas as the round names it, and what that is


def kits_of(found: CheckRound) -> list[Kit]:
    """The gases of a round with their bottles and fittings as they are now."""
    return [(gas, gas_snapshot({"role": "", **gas})) for gas in found.gases]


def first_that_suits(kits: Sequence[Kit], need: GasNeed, policy: Policy, today: date) -> tuple[Mapping[str, str] | None, list[str]]:
    """The first gas that serves a need, None where none does; with what is wrong with each before it."""
    told: list[str] = []
    for gas, kit in kits:
        regulator, line = fitting_from(kit["regulator"]), fitting_from(kit["line"])
        verdict = judge_kit(need, bottle_from(kit["bottle"]), regulator=regulator, line=line, today=today, policy=policy)
        if verdict.standing != REFUSE:
            return gas, told
        told.append(f"{gas['bottle']}: {verdict.reasons[0]}")
    return None, told


def reason_for(found: CheckRound, gas: Mapping[str, str]) -> str:
    """Why ambient air will do, as the round says it; nothing is asked of a bottle."""
    return str(found.said.get("air_why", "")) if gas["bottle"] == AMBIENT else ""
