"""What a screen needs of gas."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from metrology.judgement.gas_kit import OTHERS
from metrology.quantities.words import number
from metrology.run.set_types import SetData
from metrology.run.state import RunState
from metrology.run.view_types import GasRow


def applied_words(p: Mapping[str, Any]) -> str:
    """What a gas stands for: its value, or each component of a mixture by name."""
    parts = p.get("parts") or []
    if parts:
        return ", ".join(f"{name} {float(value):g} {unit}" for name, value, unit in parts)
    return f"{number(float(p['applied']), 3)} {p['unit']}" if p["applied"] else "zero gas"


SAME_BOTTLE = "same-bottle"


def gas_rows(state: RunState, evidence: Sequence[SetData] = ()) -> list[GasRow]:
    """The gases in use, with what was said of them; what others read of a bottle belongs to this run only where it reads so itself."""
    is_so = any(s["code"] == SAME_BOTTLE for each in evidence for s in each["signatures"])
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
            "applied": applied_words(p),
            "litres": f"{p['litres']:g} l",
            "reason": str(p.get("reason", "")),
            "remarks": [
                {"rule": str(r["rule"]), "standing": str(r["standing"]), "says": str(r["says"])}
                for r in p["remarks"]
                if is_so or r["rule"] != OTHERS
            ],
        }
        for role, p in state.gases.items()
    ]
