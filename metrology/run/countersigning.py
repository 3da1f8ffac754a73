"""Countersigning: whoever did not sign a record adds their name to it, saying as what, between its signature and its review."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.run.fields import text_of

PART, WITNESS, ANSWERS = "part", "witness", "answers"
CAPACITIES: Mapping[str, str] = {
    PART: "who did part of the work",
    WITNESS: "who saw it done",
    ANSWERS: "who answers for it as supervisor",
}


def admit_countersignature(payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload; raises a Fault where it does not say as what."""
    capacity = str(payload.get("capacity", ""))
    if capacity not in CAPACITIES:
        raise Fault("unknown_choice", f"Say as what you countersign: {', '.join(CAPACITIES.values())}.", field="capacity")
    return {"capacity": capacity, "note": text_of(payload, "note", label="The note", required=False)}
