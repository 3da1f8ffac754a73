"""What a run came to, on its row: verdicts, largest errors, the decision, and what stands in where it was left outside."""

from __future__ import annotations

from apps.runs.models import Run
from metrology.methods.registry import get_method
from metrology.run.results import results_of
from metrology.run.standing_in import stand_in_words
from metrology.run.state import RunState


def take_results(run: Run, state: RunState) -> None:
    """Put what the state came to onto the run, without storing it; those of the seal where the run has one."""
    told = state.seal["summary"] if state.seal else results_of(state, get_method(state.setup.method))
    found, left = told["found"], told["left"]
    run.found_verdict, run.found_error, run.found_share = found["verdict"], found["error"], found["share"]
    run.left_verdict, run.left_error, run.left_share = left["verdict"], left["error"], left["share"]
    run.decision = told["decision"] or run.decision
    last = max((d for d in state.decisions.values() if d.stand_in), key=lambda d: d.at, default=None)
    run.stand_in = stand_in_words(last.stand_in)[:400] if last else ""
