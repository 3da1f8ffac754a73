"""What lists, intervals and drift know of a run: its verdicts, its largest errors, its last decision."""

from __future__ import annotations

from typing import Any

from metrology.judgement.decision import FAIL
from metrology.methods.flow.common import NEW_SERIAL
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome
from metrology.methods.parameters import TRIMS
from metrology.methods.proof_test import FOUND, LEFT, Proof, proofs_of
from metrology.run.entries import Confirmation
from metrology.run.progress import evaluate_together, final_readings_step, found_step, make_progress
from metrology.run.state import RunState

NOTHING: dict[str, Any] = {"verdict": "", "error": None, "share": None}


def results_of(state: RunState, method: Method) -> dict[str, Any]:
    """As found and as left, each with verdict, signed largest error and its share of the tolerance (%), and the last decision.

    Empty until something was decided, but for the proof tests: a trip that is not as required fails what it was found or left with.
    """
    proofs = proofs_in(state) if state.decisions or LEFT in state.confirmations else ()
    found, left, decision = NOTHING, NOTHING, ""
    if state.decisions:
        found = _of(evaluate_together(state, method, found_step(state, method)))
        left = _of(evaluate_together(state, method, final_readings_step(state, method)))
        decision = list(state.decisions.values())[-1].choice
    if any(p.found.verdict == FAIL for p in proofs):
        found = {**found, "verdict": FAIL}
    if any(p.left and p.left.verdict == FAIL for p in proofs):
        left = {**left, "verdict": FAIL}
    return {"found": found, "left": left, "decision": decision, **({"proofs": [proof_numbers(p) for p in proofs]} if proofs else {})}


def proofs_in(state: RunState) -> tuple[Proof, ...]:
    """The proof tests of a run, by what was confirmed."""
    found, left = state.confirmations.get(FOUND), state.confirmations.get(LEFT)
    return proofs_of(state.setup, found.values if found else None, left.values if left else None)


def proof_numbers(p: Proof) -> dict[str, Any]:
    """A proof test as plain data."""
    return {
        "code": p.point.code,
        "path": p.path,
        "trip": p.point.trip,
        "found": p.found.at,
        "found_verdict": p.found.verdict,
        "is_dangerous": p.found.is_dangerous,
        "left": p.left.at if p.left else None,
        "left_verdict": p.left.verdict if p.left else "",
        "bypass_min": p.bypass_min,
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
