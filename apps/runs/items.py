"""Items of the kit as a run freezes them, by their kind: what can be offered, and one by its code."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db.models import Sum

from apps.kit.models import Buffer, Liquid, Solution, Syringe, Trap, Worn
from apps.runs.models import KitUse
from config.failures import Missing


def _liquid(b: Liquid, portions_left: float) -> dict[str, Any]:
    """What a run freezes of every bottle that portions are poured from."""
    return {
        "code": b.code,
        "points": b.points,
        "lot": b.lot,
        "expires_on": b.expires_on.isoformat(),
        "opened_on": b.opened_on.isoformat() if b.opened_on else "",
        "open_days": b.open_days,
        "portions_left": portions_left,
        "portion_ml": b.portion_ml,
        "certificate": b.certificate,
        "state": b.state,
        "good_until": b.good_until().isoformat(),
    }


def buffer_item(b: Buffer, portions_left: float) -> dict[str, Any]:
    """A buffer as a run freezes it."""
    return {**_liquid(b, portions_left), "name": f"Buffer pH {b.ph:g}", "ph": b.ph, "table": b.table, "u_ph": b.u_ph}


def solution_item(b: Solution, portions_left: float) -> dict[str, Any]:
    """A conductivity standard as a run freezes it."""
    name = f"Conductivity {b.us_cm:g} uS/cm"
    return {**_liquid(b, portions_left), "name": name, "us_cm": b.us_cm, "table": b.table, "u_percent": b.u_percent}


def worn_item(b: Worn, _left: float) -> dict[str, Any]:
    """A syringe or a trap as a run freezes it."""
    capped = {"is_capped": "yes" if b.is_capped else "no"} if isinstance(b, Trap) else {}
    return {
        "code": b.code,
        "name": b.name,
        "serial": b.serial,
        "expires_on": b.expires_on.isoformat(),
        "opened_on": b.opened_on.isoformat() if b.opened_on else "",
        "good_until": b.good_until().isoformat(),
        "state": b.state,
        **capped,
    }


# Kind of kit to its table and how one of it is frozen.
ITEMS: dict[str, tuple[type[Any], Callable[[Any, float], dict[str, Any]]]] = {
    "buffer": (Buffer, buffer_item),
    "solution": (Solution, solution_item),
    "syringe": (Syringe, worn_item),
    "trap": (Trap, worn_item),
}


def portions_used(kind: str) -> dict[str, float]:
    """Fresh portions that runs took of each bottle of a kind."""
    return dict(KitUse.objects.filter(kind=kind).values_list("item").annotate(total=Sum("amount")))


def items_offered(kind: str) -> list[dict[str, Any]]:
    """Everything of a kind that is not retired, what is good the shortest first, so that none is kept till it is too old."""
    if kind not in ITEMS:
        return []
    model, freeze = ITEMS[kind]
    used = portions_used(kind)
    rows = sorted(model._default_manager.exclude(state="retired"), key=lambda b: (b.good_until(), b.code))
    return [freeze(b, b.portions(used.get(b.code, 0.0))) for b in rows]


def item_named(kind: str, code: str) -> dict[str, Any]:
    """One item by its code."""
    found = next((i for i in items_offered(kind) if i["code"] == code), None)
    if found is None:
        raise Missing("unknown_item", f"There is no {kind} {code or '(none chosen)'} in the kit. Choose one that is there.", field="code")
    return found
