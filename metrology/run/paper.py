"""Readings that were written on paper and typed in afterwards: when they were read, and what is asked about such a time."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from metrology.faults import Fault
from metrology.run.state import RunState

PAPER_DAYS = 31
APART_MIN = 120.0  # further from the reading before it, a time on the paper is asked about


def paper_time(state: RunState, step: str, payload: Mapping[str, Any], now: datetime) -> str:
    """When a reading was read, as written on paper; empty for one that is typed as it is read.

    Raises a Fault for a time it can't be, and asks about one of before the run or its hold, before the reading that comes before it, or far from that.
    """
    text = str(payload.get("read_at") or "").strip()
    if not text:
        return ""
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        raise Fault("bad_time", "Write the time on the paper like 10:32.", field="read_at") from None
    if at.tzinfo is None:
        raise Fault("bad_time", "The time on the paper lacks its zone; nothing was stored.", field="read_at")
    if not now - timedelta(days=PAPER_DAYS) <= at <= now + timedelta(minutes=1):
        raise Fault(
            "out_of_range", f"The time on the paper must lie in the last {PAPER_DAYS} days and not ahead. Check it.", field="read_at"
        )
    if payload.get("captured"):
        raise Fault("not_on_paper", "A live reading is not one from paper. Leave the time empty.", field="read_at")
    if not payload.get("confirmed_unlikely") and (doubt := _doubt(state, step, at)):
        told = f"The paper says {at:%-d %b %Y %H:%M}; {doubt}. If that is how it was, say so: it goes on the record."
        raise Fault("unlikely_time", told, field="read_at", can_confirm=True)
    return at.isoformat()


def _doubt(state: RunState, step: str, at: datetime) -> str:
    """What speaks against a time; said of the first reading it holds for, not of each."""
    before = [
        (r.step, datetime.fromisoformat(str(r.extra["read_at"]))) for r in state.readings if not r.is_struck and r.extra.get("read_at")
    ]
    holds = [h.placed_at for h in state.holds.values() if h.placed_at]
    for limit, what in ((state.started_at, "this run was begun"), (min(holds, default=None), "its hold was placed")):
        if limit is not None and at < limit and not any(t < limit for _, t in before):
            return f"{what} at {limit.astimezone(at.tzinfo):%-d %b %Y %H:%M}, after it"
    last = next((t for s, t in reversed(before) if s == step), None)
    if last is None:
        return ""
    apart = (at - last).total_seconds() / 60
    if apart < 0:
        return f"the reading before it was read at {last.astimezone(at.tzinfo):%H:%M}, later than that"
    return f"the reading before it was read {apart / 60:.1f} h earlier" if apart > APART_MIN else ""
