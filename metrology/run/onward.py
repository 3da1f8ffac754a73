"""What takes a run on where nothing needs a decision: the event of its current step, made of what is known once for many instruments.

A round of function checks says permit, operator, air and gas once, and by one tap that what is usual was found usual. Each of it is stored as the
event of its own step, by the rules that hold for one typed alone; where something must be said first, nothing is made up.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any

from metrology.judgement.decision import FAIL
from metrology.methods.method import Method
from metrology.methods.steps import CHOSEN, Field, Step
from metrology.run.progress import evaluate_together, make_progress
from metrology.run.raw import raw_readings
from metrology.run.state import RunState

Said = Mapping[str, str]
Event = tuple[str, dict[str, Any]]


def onward(state: RunState, method: Method, said: Said, *, now: datetime) -> Event | None:
    """The event, as (type, payload), that the current step takes; None where the run waits for somebody, for time, or has ended.

    said: texts by the name of a field; a field of a channel may be said for all channels. "hold" and its "minutes" and "agreement" place the hold.
    """
    step = make_progress(state, method).current
    make = _BY_KIND.get(step.kind) if step else None
    return make(state, method, step, said, now) if make and step else None


def waits_for(state: RunState, method: Method, said: Said) -> tuple[Field, ...]:
    """What the current step asks that nobody has said yet."""
    step = make_progress(state, method).current
    offered = _offered(state, method, step) if step else {}
    return tuple(f for f in step.fields if f.required and _text(f, said, offered) is None) if step else ()


def _offered(state: RunState, method: Method, step: Step) -> Mapping[str, str]:
    """What was seen live of what the step asks."""
    return method.trial.suggest(state.setup, raw_readings(state, method, step.set_name), step) if step.set_name else {}


def _text(field: Field, said: Said, offered: Said) -> str | None:
    """What is said of a field; None where it is asked and nothing is known."""
    if field.kind in CHOSEN:
        return ""
    for known in (said.get(field.name), offered.get(field.name), said.get(field.name.partition(":")[0]), field.usual or None):
        if known is not None:
            return known
    return None if field.required else ""


def _values(state: RunState, method: Method, step: Step, said: Said) -> dict[str, str] | None:
    offered = _offered(state, method, step)
    texts = {f.name: _text(f, said, offered) for f in step.fields}
    asked = [texts[f.name] for f in step.fields if f.kind not in CHOSEN]
    is_silent = bool(asked) and not any(asked)  # all of it may be left empty, which says something too: nobody has said it
    return None if is_silent or any(t is None for t in texts.values()) else {name: t or "" for name, t in texts.items()}


def _confirm(state: RunState, method: Method, step: Step, said: Said, now: datetime) -> Event | None:
    timer = state.timers.get(step.needs_timer) if step.needs_timer else None
    values = _values(state, method, step, said)
    if values is None or (timer and not timer.is_over(now)) or any(f.kind in CHOSEN and f.name not in state.standing for f in step.fields):
        return None
    return "step_confirmed", {"step": step.key, "values": values, "checks": [c.key for c in step.checks]}


def _hold(_state: RunState, _method: Method, step: Step, said: Said, _now: datetime) -> Event | None:
    if "hold" not in said:
        return None
    told = {k: said[k] for k in ("minutes", "agreement", "approval") if k in said}
    return "hold_placed", {"step": step.key, **dict(step.usual), "reason": said["hold"], **told}


def _release(state: RunState, method: Method, step: Step, said: Said, now: datetime) -> Event | None:
    timer = state.timers.get(step.needs_timer) if step.needs_timer else None
    values = _values(state, method, step, said)
    still = [h for h in state.holds_of(step.of) if h.released_at is None]
    if values is None or not still or (timer and not timer.is_over(now)):
        return None
    return "hold_released", {"step": step.key, "hold": still[0].id, "values": values}


def _leave(state: RunState, method: Method, step: Step, _said: Said, _now: datetime) -> Event | None:
    """A set that passed is left as it is, where that is proposed; anything else is somebody's decision."""
    result = evaluate_together(state, method, step.set_name)
    proposal = method.advice.propose(state.setup, result, is_as_left=step.phase == "as left")
    if result.verdict == FAIL or proposal.choice != "leave":
        return None
    return "decision_made", {"step": step.key, "choice": "leave"}


def _start(_state: RunState, _method: Method, step: Step, _said: Said, _now: datetime) -> Event | None:
    return "timer_started", {"step": step.key}


_BY_KIND: dict[str, Callable[[RunState, Method, Step, Said, datetime], Event | None]] = {
    "confirm": _confirm,
    "condition": _confirm,
    "timer": _start,
    "hold": _hold,
    "release": _release,
    "judge": _leave,
}
