"""The rules of each kind of kit that is chosen as an item: whether an offered one will do for a need."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from metrology.judgement.gas_kit import GOOD, REFUSE, Remark
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import BUFFER, SOLUTION, SYRINGE, TRAP, Need
from metrology.methods.standards.buffer import judge_buffer
from metrology.methods.standards.consumable import judge_consumable
from metrology.methods.standards.solution import judge_solution


@dataclass(frozen=True)
class Fitness:
    """What the rules say of an offered item. shows: it in words; enters: what the run knows of it from then on."""

    remarks: tuple[Remark, ...]
    shows: str = ""
    enters: Mapping[str, str] = field(default_factory=dict)

    @property
    def will_do(self) -> bool:
        """Whether no rule refuses it."""
        return all(r.standing != REFUSE for r in self.remarks)

    @property
    def standing(self) -> str:
        """The worst of the remarks."""
        all_of = {r.standing for r in self.remarks}
        return REFUSE if REFUSE in all_of else "warn" if "warn" in all_of else GOOD

    @property
    def reasons(self) -> tuple[str, ...]:
        """Why it can't be used."""
        return tuple(r.says for r in self.remarks if r.standing == REFUSE)


Told = tuple[tuple[Remark, ...], str, Mapping[str, str]]
Judge = Callable[[RunSetup, Need, Mapping[str, Any], date], Fitness]


def _by(rules: Callable[[RunSetup, Need, Mapping[str, Any], date], Told]) -> Judge:
    def judge(setup: RunSetup, need: Need, item: Mapping[str, Any], today: date) -> Fitness:
        return Fitness(*rules(setup, need, item, today))

    return judge


OFFERED: dict[str, Judge] = {
    BUFFER: _by(judge_buffer),
    SOLUTION: _by(judge_solution),
    SYRINGE: _by(judge_consumable),
    TRAP: _by(judge_consumable),
}
