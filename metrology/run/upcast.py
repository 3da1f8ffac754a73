"""Old payloads into today's shape, on reading only: what is stored is never rewritten."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any


def start_payload(payload: Mapping[str, Any]) -> Mapping[str, Any]:
    """The first event of a run: a detector's details once stood in a part of their own, beside the alarms; a signal had settled by its window alone."""
    policy = payload.get("policy")
    if isinstance(policy, Mapping) and "settle_horizon_s" not in policy:
        payload = {**payload, "policy": {**policy, "settle_horizon_s": 0.0}}
    instrument = payload["instrument"]
    details = instrument.get("details") or {}
    if not isinstance(details.get("detector"), Mapping):
        return payload
    flat = {k: v for k, v in details.items() if k != "detector"} | dict(details["detector"])
    return {**payload, "instrument": {**instrument, "details": flat}}
