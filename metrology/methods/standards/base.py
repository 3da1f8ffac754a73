"""Needs of a run, role by role, and the standards of a method as a value."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from metrology.judgement.reference import ReferenceStandard
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot

REFERENCE, GAS, BUFFER, SOLUTION = "reference", "gas", "buffer", "solution"
SYRINGE, TRAP = "syringe", "trap"


@dataclass(frozen=True)
class Need:
    """What one role of a run needs.

    kind: of kit. low, high, unit: what a reference must cover. is_informative: its TUR is shown, not demanded.
    detail: what the rules of that kind of kit judge by. at_start: asked for before the hold. amount: litres or portions it takes.
    apart_from: roles that the same item can't have as well, since one would be measured by itself.
    """

    role: str
    label: str
    kind: str = REFERENCE
    unit: str = ""
    low: float = 0.0
    high: float = 0.0
    is_required: bool = True
    is_informative: bool = False
    detail: Any = None
    at_start: bool = True
    amount: float = 0.0
    apart_from: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """Its label inside a sentence."""
        return self.label[:1].lower() + self.label[1:]


def _no_tur(_setup: RunSetup, _role: str, _reference: ReferenceStandard) -> float:
    return math.inf


def _no_item(_setup: RunSetup, _slot: Slot) -> str:
    return ""


@dataclass(frozen=True)
class Standards:
    """What a method needs. tur: smallest tolerance-to-uncertainty ratio of a reference over the points.

    role_at: the role of the standard that is on at a slot, where it changes from slot to slot; empty where all of them stand by.
    """

    needs: Callable[[RunSetup], tuple[Need, ...]]
    tur: Callable[[RunSetup, str, ReferenceStandard], float] = _no_tur
    role_at: Callable[[RunSetup, Slot], str] = _no_item

    def of(self, setup: RunSetup, role: str) -> Need | None:
        """The need of a role; None where the run has none."""
        return next((n for n in self.needs(setup) if n.role == role), None)
