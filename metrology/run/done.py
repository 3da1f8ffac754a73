"""When a step is done, by its kind."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from metrology.methods.method import Method
from metrology.methods.slots import RawReading
from metrology.methods.steps import Step
from metrology.run.raw import raw_readings
from metrology.run.state import RunState

Done = Callable[[Step, RunState, Method], bool]


def confirmed(step: Step, state: RunState, method: Method) -> bool:
    """Somebody confirmed it."""
    return step.key in state.confirmations


def all_taken(step: Step, state: RunState, method: Method) -> bool:
    """Its plan is closed and every slot of it has a reading that counts."""
    taken: Sequence[RawReading] = raw_readings(state, method, step.key)
    plan = method.trial.plan(state.setup, step.key, taken)
    return plan.is_closed and len(taken) == len(plan.slots)


def let_go(step: Step, state: RunState, method: Method) -> bool:
    """The holds of its own were released when their time had come, or the normal reading was seen where there was none."""
    mine = state.holds_of(step.of)
    released = any(h.released_at and not h.early for h in mine) or step.key in state.confirmations
    return released and not any(h.released_at is None for h in mine)


DONE: dict[str, Done] = {
    **dict.fromkeys(("confirm", "adjust", "condition", "compute", "compare", "checkpairs"), confirmed),
    "timer": lambda step, state, _: step.key in state.timers,
    "clock": lambda step, state, _: step.key in state.timers and state.timers[step.key].ended_at is not None,
    "count": lambda step, state, _: state.counts.get(step.key, 0) >= len(step.counts) - 1,
    "hold": lambda step, state, _: step.key in state.hold_steps,
    "readings": all_taken,
    "judge": lambda step, state, _: step.key in state.decisions,
    "release": let_go,
    "sign": lambda _step, state, _method: state.signed is not None,
}
