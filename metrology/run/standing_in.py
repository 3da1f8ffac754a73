"""What stands in for an instrument that people rely on to be warned, while it stays in service outside its limits."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from metrology.faults import Fault
from metrology.judgement.decision import FAIL
from metrology.methods.method import Method
from metrology.quantities.typed import parse_typed

STAYS = ("leave", "replace")  # decisions with which it goes back into service as it is
MOST_HOURS = 30 * 24.0


def stand_in_for(method: Method, verdict: str, choice: str, payload: Mapping[str, Any], *, now: datetime) -> dict[str, Any]:
    """The measure with its end and the second person who agreed; nothing where none is needed. Raises a Fault while it is not complete.

    payload["second"]: who agreed with their password, as the server saw it.
    """
    if verdict != FAIL or choice not in STAYS or not method.traits.guards:
        return {}
    faults: list[Fault] = []
    measure = str(payload.get("stand_in") or "").strip()
    if len(measure) < 5:
        faults.append(Fault("missing", "Write what stands in for it: who or what watches meanwhile.", field="stand_in"))
    hours = 0.0
    try:
        hours = parse_typed(str(payload.get("stand_in_hours") or ""), name="For how long", unit="h", field="stand_in_hours").value
        if not 0 < hours <= MOST_HOURS:
            faults.append(
                Fault("out_of_range", f"For how long is {hours:g} h; accepted is up to {MOST_HOURS:g} h.", field="stand_in_hours")
            )
    except Fault as fault:
        faults.append(fault)
    second = payload.get("second")
    if not isinstance(second, Mapping):
        faults.append(Fault("missing", "A second person agrees to it with their password.", field="second"))
    if faults:
        told = "It would stay in service outside its limits, and people rely on it to be warned."
        raise Fault(
            "needs_stand_in",
            f"{told} {' '.join(f.message for f in faults)} Nothing was stored.",
            field="stand_in",
            needs_stand_in=True,
            faults=[f.as_dict() for f in faults],
        )
    until = (now + timedelta(hours=hours)).isoformat()
    return {"stand_in": {"measure": measure, "until": until, "second": dict(second) if isinstance(second, Mapping) else {}}}


def stand_in_words(told: Mapping[str, Any]) -> str:
    """It in words; empty where there is none."""
    if not told:
        return ""
    until = datetime.fromisoformat(told["until"])
    return f"{told['measure']}, until {until:%-d %b %Y %H:%M} UTC, agreed by {told['second'].get('name', '')}"
