"""Items of the kit as a run freezes them, by their kind: what can be offered, and one by its code."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db.models import Sum

from apps.kit.models import Buffer
from apps.runs.models import KitUse
from config.failures import Missing


def buffer_item(b: Buffer, portions_left: float) -> dict[str, Any]:
    """A buffer as a run freezes it."""
    return {
        "code": b.code,
        "name": f"Buffer pH {b.ph:g}",
        "ph": b.ph,
        "table": b.table,
        "points": b.points,
        "lot": b.lot,
        "expires_on": b.expires_on.isoformat(),
        "opened_on": b.opened_on.isoformat() if b.opened_on else "",
        "open_days": b.open_days,
        "portions_left": portions_left,
        "portion_ml": b.portion_ml,
        "u_ph": b.u_ph,
        "certificate": b.certificate,
        "state": b.state,
        "good_until": b.good_until().isoformat(),
    }


def buffers_offered(_today: date) -> list[dict[str, Any]]:
    """Every buffer that is not retired, the one that is good the shortest first, so that none is kept till it is too old."""
    used = portions_used()
    rows = sorted(Buffer.objects.exclude(state="retired"), key=lambda b: (b.good_until(), b.code))
    return [buffer_item(b, b.portions(used.get(b.code, 0.0))) for b in rows]


def portions_used() -> dict[str, float]:
    """Fresh portions that runs took of each buffer."""
    return dict(KitUse.objects.filter(kind="buffer").values_list("item").annotate(total=Sum("amount")))


def items_offered(kind: str, today: date) -> list[dict[str, Any]]:
    """What there is of a kind."""
    return buffers_offered(today) if kind == "buffer" else []


def item_named(kind: str, code: str, today: date) -> dict[str, Any]:
    """One item by its code."""
    found = next((i for i in items_offered(kind, today) if i["code"] == code), None)
    if found is None:
        raise Missing("unknown_item", f"There is no {kind} {code or '(none chosen)'} in the kit. Choose one that is there.", field="code")
    return found
