"""What is counted off one by one, and what is timed from one press to the next."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from metrology.faults import Fault
from metrology.methods.steps import Step
from metrology.run.state import RunState
from metrology.run.step_types import ClockStepData, CountStepData


def admit_count(state: RunState, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """One more, told by its number so that a press sent twice counts once; the last enters how many there were."""
    done = state.counts.get(step.key, 0)
    told = payload.get("count")
    if told != done + 1:
        says = f"{done} of {len(step.counts) - 1} are counted; '{told}' is not the next one. Nothing was stored."
        raise Fault("not_next", says, field="count")
    is_last = told == len(step.counts) - 1
    return {"step": step.key, "count": told, "says": step.counts[told], **({"enters": {step.key: str(told)}} if is_last else {})}


def admit_clock_end(state: RunState, step: Step, *, now: datetime) -> dict[str, Any]:
    """The clock stopped: the seconds it ran count from then on."""
    timer = state.timers.get(step.key)
    if timer is None:
        raise Fault("not_started", f"The clock of '{step.title}' was not started.", field="step")
    if timer.ended_at is not None:
        raise Fault("already_ended", "This clock was stopped already.", field="step")
    seconds = f"{(now - timer.started_at).total_seconds():.0f}"
    return {"step": step.key, "minutes": step.minutes, "reason": "", "enters": {step.key: seconds}}


def count_step(state: RunState, step: Step) -> CountStepData:
    """How far the counting is, and what stands after each."""
    done = state.counts.get(step.key, 0)
    return {"done": done, "total": len(step.counts) - 1, "told": list(step.counts[: done + 1]), "last": step.counts[-1]}


def clock_step(state: RunState, step: Step) -> ClockStepData:
    """Since when the clock runs, and what it should stay under."""
    timer = state.timers.get(step.key)
    return {"started_at": timer.started_at.isoformat() if timer else None, "target_s": round(60 * step.minutes, 1)}
