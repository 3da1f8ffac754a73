"""What a screen needs of gas, pairs and what must be flagged on the record."""

from __future__ import annotations

from metrology.methods.steps import Step
from metrology.quantities.words import number
from metrology.run.state import RunState
from metrology.run.view_types import GasRow, PairData

SETS = {"configure": "What was sent stands as it is", "read_after": "The device is left as it is"}


def flags_of(state: RunState) -> list[str]:
    """What nobody may overlook on the record: forced, refused, agreed to, doubted and confirmed, out of inhibit."""
    out: list[str] = []
    for a in state.adjustments:
        if a.forced:
            second = f", with {a.forced['name']}" if a.forced.get("name") else ""
            out.append(f"Forced: {a.screw} from {a.before} to {a.after} by {a.by}{second}. {a.forced['reason']}")
        elif a.outcome == "refused":
            out.append(f"The instrument refused {a.screw} at {a.before}; its old calibration stood.")
    for hold in state.holds.values():
        if hold.agreement:
            out.append(f"On hold together with another of its group or zone, agreed: {hold.agreement}")
        out += [f"Hold extended by {told}" for told in hold.extended]
    for done in state.confirmations.values():
        if done.step in SETS and done.values.get("reason"):
            out.append(f"{SETS[done.step]}, {done.by}: {done.values['reason']}")
    for r in state.readings:
        told = (r.extra.get("captured") or {}).get("indicated", {})
        out += [f"Reading {r.slot + 1}: {says}" for says in told.get("remarks", [])]
    return out


def gas_rows(state: RunState) -> list[GasRow]:
    """The gases in use, with what was said of them."""
    return [
        {
            "role": str(role),
            "label": str(p["label"]),
            "bottle": str(p["bottle"]["code"]),
            "name": str(p["bottle"]["name"]),
            "certificate": str(p["bottle"].get("certificate", "")),
            "expires_on": str(p["bottle"].get("expires_on", "")),
            "regulator": str((p.get("regulator") or {}).get("code", "")),
            "line": str((p.get("line") or {}).get("code", "")),
            "applied": f"{number(float(p['applied']), 3)} {p['unit']}" if p["applied"] else "zero gas",
            "litres": f"{p['litres']:g} l",
            "reason": str(p.get("reason", "")),
            "remarks": [{"rule": str(r["rule"]), "standing": str(r["standing"]), "says": str(r["says"])} for r in p["remarks"]],
        }
        for role, p in state.gases.items()
    ]


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
            }
        )
    return out
