"""What is moved for a test and moved back: jumpers, selectors, test leads."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any

from metrology.faults import Fault
from metrology.methods.steps import Pair, Step
from metrology.quantities.words import letters_of
from metrology.run.state import RunState
from metrology.run.step_types import PairData


def admit_pair(state: RunState, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """One thing moved: out into the test at the first step, back at the last."""
    pair = next((p for p in step.pairs if p.key == payload.get("pair")), None)
    if pair is None:
        raise Fault("unknown_pair", "There is no such thing to move at this step.", field="pair")
    to = str(payload.get("to", ""))
    is_out = pair.key in state.pairs and state.pairs[pair.key].to == "out"
    if to not in ("out", "back") or (to == "out" and step.variant == "back"):
        raise Fault("wrong_way", f"At this step '{pair.label}' is only moved back to '{pair.normal}'.", field="pair")
    if (to == "out") == is_out:
        where = f"'{pair.test}'" if is_out else f"'{pair.normal}'"
        raise Fault("already_there", f"'{pair.label}' is at {where} already.", field="pair")
    moved = {"step": step.key, "pair": pair.key, "label": pair.label, "to": to}
    return {**moved, "terminal": _terminal(state, pair, payload, to)} if pair.has_terminal else moved


def _terminal(state: RunState, pair: Pair, payload: Mapping[str, Any], to: str) -> str:
    """The terminal of a wire; back it must be the one that it came from."""
    told = str(payload.get("terminal") or "").strip()[:40]
    if not told:
        raise Fault("no_terminal", f"Read the number at the terminal of '{pair.label}' and type it; nothing was stored.", field="terminal")
    came = state.pairs[pair.key].terminal if to == "back" else ""
    if came and letters_of(came) != letters_of(told):
        says = f"'{pair.label}' came from terminal {came}, not {told}. Put it back to {came}, then type it again; it still counts as out."
        raise Fault("other_terminal", says, field="terminal")
    taken = next(
        (
            p
            for p in state.pairs.values()
            if to == "out" and p.to == "out" and p.key != pair.key and letters_of(p.terminal) == letters_of(told)
        ),
        None,
    )
    if taken is not None:
        raise Fault(
            "same_terminal",
            f"Terminal {told} is where '{taken.label}' came from. Read the number again; nothing was stored.",
            field="terminal",
        )
    return told


def admit_pairs_done(state: RunState, step: Step) -> dict[str, Any]:
    """The step is done: going back, only when nothing is out."""
    still = {p.key for p in step.pairs} & {p.key for p in state.pairs_out}
    if step.variant == "back" and still:
        raise Fault("pairs_out", pairs_out_words(state, still), field="pairs")
    lacking = [p for p in step.pairs if not (p.key in state.pairs and state.pairs[p.key].to == "out")]
    if step.variant == "all" and lacking:
        raise Fault("pairs_lacking", f"Not yet at '{lacking[0].test}': {', '.join(p.label for p in lacking)}.", field="pairs")
    return {"step": step.key, "values": {}, "checks": []}


def pairs_out_words(state: RunState, keys: Collection[str] = ()) -> str:
    """What is still in its test position, all of it or those, and what to do."""
    names = ", ".join(f"'{p.label}' (moved by {p.by})" for p in state.pairs_out if not keys or p.key in keys)
    return f"Still in the test position: {names}. Move it back first."


def require_readable(state: RunState, steps: Iterable[Step]) -> None:
    """Nothing is read while something is out that makes what is shown count for nothing."""
    out = {p.key for p in state.pairs_out}
    bad = next((p for s in steps for p in s.pairs if p.unread and p.key in out), None)
    if bad is not None:
        raise Fault(
            "at_test", f"'{bad.label}' is at '{bad.test}'. {bad.unread} Move it to '{bad.normal}'; nothing was stored.", field="pairs"
        )


def pair_rows(state: RunState, step: Step) -> list[PairData]:
    """What is moved at a step, and where each stands now."""
    out: list[PairData] = []
    for p in step.pairs:
        moved = state.pairs.get(p.key)
        is_out = moved is not None and moved.to == "out"
        if step.variant == "back" and moved is None:
            continue
        out.append(
            {
                "key": p.key,
                "label": p.label,
                "normal": p.normal,
                "test": p.test,
                "is_out": is_out,
                "can_go_out": step.variant != "back",
                "by": moved.by if moved else "",
                "has_terminal": p.has_terminal,
                "terminal": moved.terminal if moved else "",
            }
        )
    return out
