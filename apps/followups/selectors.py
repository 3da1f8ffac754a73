"""Follow-ups as they are listed and read."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.utils import timezone

from apps.followups.models import FollowUp
from apps.followups.services import ASKED

SHOWN = 200


def counts() -> dict[str, int]:
    """How many are open, and how many were closed."""
    return {"open": FollowUp.objects.filter(closed_at=None).count(), "closed": FollowUp.objects.exclude(closed_at=None).count()}


def list_follow_ups(now: datetime, *, is_open: bool) -> list[dict[str, Any]]:
    """The open ones, the oldest first; or those that are closed, the newest first."""
    found = FollowUp.objects.select_related("run__instrument__area", "run__technician", "closed_by")
    rows = found.filter(closed_at=None) if is_open else found.exclude(closed_at=None).order_by("-closed_at")
    return [row(f, now) for f in rows[:SHOWN]]


def row(f: FollowUp, now: datetime) -> dict[str, Any]:
    """What lists show of one."""
    i = f.run.instrument
    assert i is not None
    missing = [label for name, (label, _) in ASKED.items() if len(getattr(f, name)) < 3]
    return {
        "id": f.id, "run": f.run_id, "number": f.run.label, "tag": i.tag, "service": i.service, "area": i.area.name, "feeds": i.feeds,
        "opened_at": f.opened_at, "days": (timezone.localdate(now) - timezone.localdate(f.opened_at)).days, "estimate": f.estimate,
        "missing": missing, "is_open": f.closed_at is None, "closed_at": f.closed_at,
        "closed_by": f.closed_by.name if f.closed_by else "", "note": f.closing_note or f.ended,
    }  # fmt: skip


def whole(f: FollowUp, now: datetime) -> dict[str, Any]:
    """One with its answers and who wrote them."""
    changes = f.changes.select_related("by")
    return {
        **row(f, now),
        "version": f.version,
        "asked": [{"name": n, "label": label, "hint": hint, "value": getattr(f, n)} for n, (label, hint) in ASKED.items()],
        "changes": [
            {"at": c.at, "by": c.by.name, "what": [f"{ASKED[k][0]}: {v[1] or 'emptied'}" for k, v in c.values.items() if k in ASKED]}
            for c in changes
        ],
    }
