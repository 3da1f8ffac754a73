"""Where a run stands: which steps are done, which one is current, what blocks signing."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from metrology.methods.flow.common import is_again
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome, join
from metrology.methods.slots import Slot
from metrology.methods.steps import Step
from metrology.run.done import DONE as DONE_BY_KIND
from metrology.run.kept import kept
from metrology.run.raw import raw_readings
from metrology.run.state import RunState

DONE, CURRENT, LATER, LEFT_OUT, IF_NEEDED = "done", "current", "later", "left out", "if needed"


@dataclass(frozen=True)
class StepProgress:
    """A step with its status."""

    step: Step
    status: str


@dataclass(frozen=True)
class Progress:
    """All steps with their status, and the current one (None when the run has ended)."""

    steps: tuple[StepProgress, ...]
    current: Step | None

    def find(self, key: str) -> StepProgress | None:
        """The step of that key, or None."""
        return next((p for p in self.steps if p.step.key == key), None)

    @property
    def closed(self) -> float:
        """How far the loop is closed, 0 to 1: steps done among all that may be needed.

        It never falls because more turns out to be needed: what may be needed counts from the beginning, and what is done again counts once.
        """
        keys = {p.step.key for p in self.steps}
        first = [p for p in self.steps if p.status != LEFT_OUT and not is_again(p.step.key, keys)]
        return sum(p.status == DONE for p in first) / len(first)


def choices(state: RunState) -> dict[str, str]:
    """What was chosen at each judge step."""
    return {key: d.choice for key, d in state.decisions.items()}


def make_progress(state: RunState, method: Method) -> Progress:
    """Where the run stands after its last event; asked for many times between two of them, and walked once."""
    return kept(state, "progress", (method, state.seq), lambda: _make_progress(state, method))


def _make_progress(state: RunState, method: Method) -> Progress:
    """Walk the method's steps; the first that is neither done nor left out is current."""
    out: list[StepProgress] = []
    current: Step | None = None
    for step in method.steps(state.setup, choices(state)):
        if step.left_out:
            status = LEFT_OUT
        elif is_done(step, state, method):
            status = DONE
        elif current is None and not state.voided:
            status, current = CURRENT, step
        else:
            status = IF_NEEDED if step.if_needed else LATER
        out.append(StepProgress(step, status))
    return Progress(tuple(out), current)


def is_done(step: Step, state: RunState, method: Method) -> bool:
    """Whether the events so far complete a step."""
    return DONE_BY_KIND[step.kind](step, state, method)


def current_slot(state: RunState, method: Method, step_key: str) -> Slot | None:
    """The first slot of a set without a reading that counts."""
    taken = state.active_readings(step_key)
    plan = method.trial.plan(state.setup, step_key, raw_readings(state, method, step_key))
    return next((s for s in plan.slots if s.index not in taken), None)


def ready_at(state: RunState, slot: Slot | None) -> datetime | None:
    """When a slot may be read: so long after the reading before it that nothing of that is left; None where it need not wait."""
    last = max((r.at for r in state.readings), default=None)
    return last + timedelta(minutes=slot.after_min) if slot is not None and slot.after_min and last is not None else None


def evaluate_set(state: RunState, method: Method, step_key: str) -> Outcome:
    """Judge the readings of one step that count."""
    counting = state.active_readings(step_key).values()
    made_of = (method, state.setup, *counting)
    return kept(
        state, f"judged {step_key}", made_of, lambda: method.trial.judge(state.setup, raw_readings(state, method, step_key), step_key)
    )


def sets_together(state: RunState, method: Method, step_key: str) -> tuple[str, ...]:
    """The sets that are judged together with one, in their order, itself among them; those not taken yet are left out."""
    judges = (s for s in method.steps(state.setup, choices(state)) if s.kind == "judge")
    keys = next(((*s.joins, s.set_name) for s in judges if step_key in (s.set_name, *s.joins)), (step_key,))
    return tuple(k for k in keys if k == step_key or state.active_readings(k))


def evaluate_together(state: RunState, method: Method, step_key: str) -> Outcome:
    """The outcome of all sets that are judged together with one: the worst of any of them."""
    outcomes = [evaluate_set(state, method, k) for k in sets_together(state, method, step_key)]
    return outcomes[0] if len(outcomes) == 1 else join(outcomes)


def passes_of(state: RunState, step_key: str) -> list[tuple[str, str, str]]:
    """(screw, before, after) of an adjust step so far."""
    return [(a.screw, a.before, a.after) for a in state.adjustments if a.step == step_key]


def find_blocks(state: RunState, method: Method, now: datetime) -> tuple[str, ...]:
    """Everything that keeps the run from being signed, a sentence each; empty when it can be."""
    blocks = [f"'{p.label}' is still in its test position. Move it back." for p in state.pairs_out]
    blocks += [f"The {h.kind} placed by {h.placed_by} is still on. Release it." for h in state.open_holds]
    for p in make_progress(state, method).steps:
        if p.step.kind not in ("sign", "release") and p.status in (CURRENT, LATER):
            blocks.append(f"'{p.step.title}' is not finished.")
        if p.step.kind == "release" and p.status in (CURRENT, LATER) and not state.open_holds:
            blocks.append("The normal reading has not been seen yet ('Release the hold').")
    blocks += [
        f"The timer of '{t.step.replace('_', '-')}' is still running."
        for t in state.timers.values()
        if not t.is_over(now) and not state.readings
    ]
    return tuple(blocks)


def final_readings_step(state: RunState, method: Method) -> str:
    """The set that tells how the instrument is left: the last as-left set taken, else the last as-found set."""
    done = [
        p.step
        for p in make_progress(state, method).steps
        if p.step.kind == "readings" and (p.status == DONE or state.active_readings(p.step.key))
    ]
    left = [s.key for s in done if s.phase == "as left"]
    found = [s.key for s in done if s.phase == "as found"]
    return (left or found or ["as_found"])[-1]


def found_step(state: RunState, method: Method) -> str:
    """The as-found set that counts: the last one taken."""
    keys = [p.step.key for p in make_progress(state, method).steps if p.step.phase == "as found" and state.active_readings(p.step.key)]
    return (keys or ["as_found"])[-1]
