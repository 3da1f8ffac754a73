"""What is proposed at a judge step: what the method advises, of what can be chosen there."""

from __future__ import annotations

from metrology.judgement.decision import FAIL
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.steps import Step
from metrology.run.state import RunState

# Where what is advised is not offered: what comes nearest to it, in this order.
NEAREST = {
    "adjust": ("trim_sensor", "trim_output", "repair", "replace"),
    "trim_sensor": ("adjust", "trim_output", "repair", "replace"),
    "trim_output": ("adjust", "trim_sensor", "repair", "replace"),
    "repeat": ("repair",),
    "repair": ("replace", "repeat"),
    "replace": ("repair", "repeat"),
}


SAME_END = (("exchange", "replace"),)  # done at once what else would be marked to be done


def reason_asked(choice: str, proposed: str) -> str:
    """What the reason for a choice is called; empty where none is asked, since it is what was proposed."""
    if choice != proposed and (choice, proposed) not in SAME_END:
        return "Why not as proposed"
    return "Why it is to be replaced" if choice == "replace" else ""


def proposal_at(state: RunState, method: Method, step: Step, result: Outcome) -> Proposal:
    """The proposal for a judge step, always one that can be chosen at it; where the advice itself can't, its reason says what stands for it."""
    advised = method.advice.propose(state.setup, result, is_as_left=step.phase == "as left")
    offered = dict(step.options)
    if advised.choice in offered:
        return advised
    passed = ("leave",) if result.verdict != FAIL else ()  # what failed is never proposed to be left
    choice = next((c for c in (*NEAREST.get(advised.choice, ()), *passed) if c in offered), "")
    if not choice:
        return advised
    return Proposal(choice, f"{advised.reason} Of what can be done here, '{offered[choice]}' comes nearest.")
