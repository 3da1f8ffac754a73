"""What lists, intervals and drift know of a run: its verdicts, its largest errors, its last decision."""

from __future__ import annotations

from typing import Any

from metrology.methods.flow.common import NEW_SERIAL
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome
from metrology.methods.parameters import TRIMS
from metrology.run.progress import evaluate_together, final_readings_step, found_step, make_progress
from metrology.run.state import Confirmation, RunState

NOTHING: dict[str, Any] = {"verdict": "", "error": None, "share": None}


def results_of(state: RunState, method: Method) -> dict[str, Any]:
    """As found and as left, each with verdict, signed largest error and its share of the tolerance (%), and the last decision.

    Empty until something was decided.
    """
    if not state.decisions:
        return {"found": NOTHING, "left": NOTHING, "decision": ""}
    return {
        "found": _of(evaluate_together(state, method, found_step(state, method))),
        "left": _of(evaluate_together(state, method, final_readings_step(state, method))),
        "decision": list(state.decisions.values())[-1].choice,
    }


def was_set(state: RunState) -> bool:
    """Whether something was set in it: turned, trimmed, or accepted as zero or span."""
    return bool(state.adjustments) or any(a["act"] in TRIMS for a in state.acts)


def exchange_of(state: RunState) -> Confirmation | None:
    """The step in which another instrument was put in its place, the last one; None where it is the one that it was."""
    done = [c for c in state.confirmations.values() if c.values.get(NEW_SERIAL)]
    return max(done, key=lambda c: c.at, default=None)


def was_touched(state: RunState, method: Method) -> bool:
    """Whether the instrument may no longer be as it was found: something was set, sent to it, or done at a step of adjusting."""
    adjusting = {p.step.key for p in make_progress(state, method).steps if p.step.phase == "adjust"}
    done = {*state.confirmations, *(str(a["step"]) for a in state.acts)}
    return bool(state.adjustments or adjusting & done) or any(p.kind == "sent" for p in state.parameters)


def _of(result: Outcome) -> dict[str, Any]:
    if not result.is_judged:
        return NOTHING
    error = result.worst.point.error_percent if result.worst else None
    return {"verdict": result.verdict, "error": error, "share": 100 * result.signed_share}
