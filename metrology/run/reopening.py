"""Whether a step can be taken back: asked by the rules that admit it and by the view that offers it."""

from __future__ import annotations

from metrology.methods.steps import CHOSEN, Step
from metrology.run.progress import DONE, Progress
from metrology.run.state import RunState

REOPENED = ("confirm", "condition", "compute")


def may_reopen(state: RunState, progress: Progress, step: Step) -> str:
    """Why a step can't be opened again, as a sentence; empty when it can.

    A step that chooses what stands for the truth can be opened while the hold is on: what is chosen then counts from then on. So can one at which
    no hold was placed, to place one after all. Any other only until something was judged, since that may rest on it.
    """
    is_hold = step.kind == "hold" and step.key in state.hold_steps
    if is_hold and any(h.step == step.key for h in state.holds.values()):
        return "A hold was placed there: it is released, handed over or extended, not taken back."
    if not is_hold and (step.kind not in REOPENED or step.key not in state.confirmations):
        return "Only a step that was confirmed can be opened again."
    if state.signed or state.voided:
        return "This run has ended."
    if any(p.step.kind == "release" and p.status == DONE for p in progress.steps):
        return "The hold is off and the loop is back in service: this can't be opened again."
    if state.decisions and not is_hold and not any(f.kind in CHOSEN for f in step.fields):
        return (
            f"Something has been judged since '{step.title}' was confirmed, so it stays as it is. Note what is wrong with it, or take the "
            "points again where the decision allows."
        )
    return ""
