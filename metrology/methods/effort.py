"""How long a method takes: minutes that need somebody, and minutes that pass by themselves, from its own steps."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from metrology.methods.setup import RunSetup
from metrology.methods.steps import Step

if TYPE_CHECKING:
    from metrology.methods.method import Method

LONG_WAIT_MIN = 8.0  # a shorter timer is waited for on the spot
EACH_STEP_MIN = 1.5  # a step read, done and confirmed
EACH_READING_MIN = 1.5  # a point brought, settled and read
ADJUST_MIN = 6.0  # spared for adjusting, since not all are found good
ON_PAPER = (5, 25)  # a method that can't be run here yet


@dataclass(frozen=True)
class Effort:
    """tasks: minutes of attention, one after the other; waits: minutes between them when nobody is needed; hold_from: index of the task
    with which the hold begins. All whole minutes of 1 or more (waits of 0 or more)."""

    tasks: tuple[int, ...]
    waits: tuple[int, ...]
    hold_from: int

    @property
    def attention(self) -> int:
        """Minutes that need somebody."""
        return sum(self.tasks)


def effort_of(method: Method, setup: RunSetup, *, attention_min: int = 0) -> Effort:
    """The effort when all goes as it should. attention_min: what the register says it takes in all, 0 to estimate it."""
    spent, tasks, waits, hold_from = 0.0, list[float](), list[int](), 0
    for step in method.steps(setup, {}):
        if step.left_out or step.if_needed:
            continue
        if step.kind == "hold":
            hold_from = len(tasks)
        if step.kind == "timer" and step.minutes >= LONG_WAIT_MIN:
            tasks.append(spent)
            waits.append(math.ceil(step.minutes))
            spent = 0.0
        elif step.kind == "readings" and method.watching.dwell_s(setup) / 60 >= LONG_WAIT_MIN:
            for _ in method.plan(setup, step.key):
                tasks.append(spent)
                waits.append(math.ceil(method.watching.dwell_s(setup) / 60))
                spent = EACH_READING_MIN
        else:
            spent += _minutes(method, setup, step)
    tasks.append(spent)
    if setup.instrument.is_adjustable:
        tasks[-1] += ADJUST_MIN
    return _whole(tasks, waits, hold_from, attention_min)


def _whole(tasks: list[float], waits: list[int], hold_from: int, attention_min: int) -> Effort:
    factor = attention_min / sum(tasks) if attention_min else 1.0
    return Effort(tuple(max(1, round(t * factor)) for t in tasks), tuple(waits), hold_from)


def effort_on_paper(attention_min: int = 0, *, warm_up_min: float = 0.0) -> Effort:
    """The effort of a method that is done on paper: switched on, left to warm up where that takes long, then worked on under the hold."""
    if warm_up_min >= LONG_WAIT_MIN:
        return _whole([float(t) for t in ON_PAPER], [math.ceil(warm_up_min)], 1, attention_min)
    return _whole([sum(ON_PAPER) + warm_up_min], [], 0, attention_min)


def _minutes(method: Method, setup: RunSetup, step: Step) -> float:
    if step.kind == "timer":
        return step.minutes
    if step.kind != "readings":
        return EACH_STEP_MIN
    return sum(method.minutes(setup, slot) for slot in method.plan(setup, step.key))
