"""Steps that are asked for on one screen: what is confirmed before the first reading needs no screen for every line of it."""

from __future__ import annotations

from metrology.methods.method import Method
from metrology.methods.steps import CHOSEN, Step
from metrology.run.progress import DONE, LEFT_OUT, Progress
from metrology.run.state import RunState

PHASES_OF_SHEETS = ("prepare", "make safe", "restore")


def steps_beside(state: RunState, method: Method, progress: Progress) -> list[Step]:
    """The steps after the current one that stand on its screen: of its phase, confirmed only, up to one that shapes what follows.

    Nothing is asked for together whose order protects somebody: a hold ends its screen, so that what is done under it comes after it. It comes
    off on the screen on which everything is put back, where nothing else stands between them.
    """
    current = progress.current
    if current is None or current.phase not in PHASES_OF_SHEETS or not _is_plain(state, method, current) or _ends(current):
        return []
    if any(f.kind in CHOSEN for f in current.fields):  # chosen one by one, each judged before the next
        return []
    found: list[Step] = []
    at = next(n for n, p in enumerate(progress.steps) if p.step.key == current.key)
    for p in progress.steps[at + 1 :]:
        if p.status == LEFT_OUT:
            continue
        if p.step.phase != current.phase or p.status == DONE or not _is_plain(state, method, p.step):
            break
        found.append(p.step)
        if _ends(p.step):
            break
    return found


def _ends(step: Step) -> bool:
    return step.kind in ("hold", "release") or step.enters


def names_screen(step: Step) -> bool:
    """Whether the last step of a screen says what its button does: one that ends it, with words of its own."""
    return _ends(step) and step.confirm_label != Step.confirm_label


def _is_plain(state: RunState, method: Method, step: Step) -> bool:
    """Confirmed by what is typed and ticked, with nothing that runs, reads or moves beside it."""
    if step.kind not in ("confirm", "hold", "condition", "release"):
        return False
    if any(f.kind in CHOSEN and f.kind != "reference" for f in step.fields):
        return False
    runs = (
        step.needs_timer
        or step.keys
        or step.readouts
        or step.pairs
        or step.duty
        or step.takes
        or step.vouches
        or step.needs_hold
        or step.if_needed
        or step.of
    )
    return not runs and method.watching.watched(state.setup, step) is None
