"""Two people who edit the same thing: what somebody did not touch stays as it is now, and what both changed is refused with who changed it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db.models import QuerySet

from metrology.faults import Fault

LOOKED_AT = 50  # changes: who changed a field before these is not told


def differences(before: Mapping[str, Any], after: Mapping[str, Any]) -> dict[str, list[Any]]:
    """What differs of two forms, field to old and new; of what is a form itself one by one, as 'details.gas'."""
    out: dict[str, list[Any]] = {}
    for name in {**before, **after}:
        old, new = before.get(name, ""), after.get(name, "")
        if isinstance(old, dict) or isinstance(new, dict):
            old, new = old or {}, new or {}
            out |= {f"{name}.{k}": [old.get(k, ""), new.get(k, "")] for k in {**old, **new} if old.get(k, "") != new.get(k, "")}
        elif old != new:
            out[name] = [old, new]
    return out


def who_changed(changes: QuerySet[Any], name: str) -> str:
    """Who changed a field last, by the history of the thing; empty where that does not tell."""
    return next((c.by.name for c in changes.select_related("by").order_by("-at", "-pk")[:LOOKED_AT] if name in c.values), "")


def merged(
    seen: Mapping[str, Any],
    mine: Mapping[str, Any],
    now: Mapping[str, Any],
    *,
    what: str,
    label: Callable[[str], str],
    who: Callable[[str], str],
) -> dict[str, Any]:
    """The form to store. seen: as it was when it was opened; mine: as it is sent; now: as it is stored. who: who changed a field last.

    Raises a Fault that names what both changed; its details have what is stored now of these, so that storing again is on purpose.
    """
    touched = differences({k: v for k, v in seen.items() if k in mine}, {k: v for k, v in mine.items() if k in now or k in seen})
    moved = differences({k: v for k, v in seen.items() if k in now}, {k: v for k, v in now.items() if k in seen})
    both = [k for k in touched if k in moved and touched[k][1] != moved[k][1]]
    if both:
        names = "; ".join(f"{label(k)} from {moved[k][0] or 'empty'} to {moved[k][1] or 'empty'}" for k in both[:4])
        told = (
            f"{who(both[0]) or 'Somebody'} changed {what} since you opened it: {names}. Nothing of yours was stored, and it stays in the form. "
            "Look at it, then store again if yours is right."
        )
        raise Fault("changed_meanwhile", told, field=both[0].partition(".")[0], now={k: moved[k][1] for k in both})
    out = dict(mine)
    for name, (_, value) in moved.items():
        if name in touched:
            continue
        head, _, inner = name.partition(".")
        if inner:
            out[head] = {**(out.get(head) or {}), inner: value}
        else:
            out[head] = value
    return out
