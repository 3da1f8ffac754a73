"""What stands for the truth, what stood before it was changed, and what was taken back, for screen and record."""

from __future__ import annotations

from metrology.methods.method import Method
from metrology.quantities.words import iso
from metrology.run.progress import DONE, Progress
from metrology.run.reopening import may_reopen
from metrology.run.state import RunState
from metrology.run.view_types import EarlierData, ItemData, ReopenedData


def item_rows(state: RunState) -> list[ItemData]:
    """The items in use that are neither references nor bottles, with what was said of them."""
    return [
        {
            "role": str(role),
            "label": str(p["label"]),
            "kind": str(p["kind"]),
            "code": str(p["item"]["code"]),
            "shows": str(p["shows"]),
            "certificate": str(p["item"].get("certificate", "")),
            "good_until": str(p["item"].get("good_until", "")),
            "reason": str(p.get("reason", "")),
            "remarks": [{"rule": str(r["rule"]), "standing": str(r["standing"]), "says": str(r["says"])} for r in p["remarks"]],
        }
        for role, p in state.items.items()
    ]


def earlier_rows(state: RunState, method: Method) -> list[EarlierData]:
    """Assignments that were replaced, with the readings taken against them; those that nothing was read against are left out."""
    titles = {s.key: s.title for s in method.steps(state.setup, {k: d.choice for k, d in state.decisions.items()})}
    out: list[EarlierData] = []
    for event, p in state.assigned.items():
        if state.standing.get(p["role"]) == event:
            continue
        used = [f"{titles.get(r.step, r.step).lower()} {r.slot + 1}" for r in state.readings if event in r.standards.values()]
        held = p.get("reference") or p.get("bottle") or p.get("item") or {}
        if used:
            out.append(
                {
                    "role": str(p["role"]),
                    "code": str(held.get("code", "")),
                    "name": str(held.get("name", "")),
                    "certificate": str(held.get("certificate", "")),
                    "used_for": ", ".join(used),
                }
            )
    return out


def reopened_rows(state: RunState, progress: Progress) -> list[ReopenedData]:
    """Steps that were opened again, with what had been entered in them."""
    titles = {p.step.key: p.step.title for p in progress.steps}
    return [
        {
            "title": titles.get(r.step, r.step),
            "values": ", ".join(f"{k.replace('_', ' ')} {v}" for k, v in r.values.items() if v),
            "reason": r.reason,
            "by": r.by,
            "at": iso(r.at),
        }
        for r in state.reopened
    ]


def reopenable(state: RunState, progress: Progress) -> list[str]:
    """The steps that can be opened again now."""
    return [p.step.key for p in progress.steps if p.status == DONE and not may_reopen(state, progress, p.step)]
