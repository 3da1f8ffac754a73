"""Old payloads into today's shape, on reading only: what is stored is never rewritten."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any


def start_payload(payload: Mapping[str, Any]) -> Mapping[str, Any]:
    """The first event of a run: a detector's details once stood in a part of their own, beside the alarms."""
    instrument = payload["instrument"]
    details = instrument.get("details") or {}
    if not isinstance(details.get("detector"), Mapping):
        return payload
    flat = {k: v for k, v in details.items() if k != "detector"} | dict(details["detector"])
    return {**payload, "instrument": {**instrument, "details": flat}}
