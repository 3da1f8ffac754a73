"""The holds board: every open hold with who, why, since, until and what it leaves unguarded."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta
from typing import Any

from django.db.models import Q

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.runs.models import Hold
from apps.runs.outside import still_driven
from config.failures import Missing
from metrology.judgement.voting import vote_words
from metrology.methods.method import PLAIN_RISK
from metrology.methods.registry import METHODS
from metrology.run.holds import REMIND_MIN


def find_hold(hold_id: uuid.UUID) -> Hold:
    """The hold of that id."""
    found = Hold.objects.filter(event_id=hold_id).first()
    if found is None:
        raise Missing("unknown_hold", "There is no such hold.")
    return found


def receiver_name(username: str) -> str:
    """The name of who takes a hold over: an active technician."""
    found = Person.objects.filter(username=username, is_active=True, role="technician").first()
    if found is None:
        raise Missing("unknown_person", "Choose a technician who takes the hold over.", field="to")
    return str(found.name)


def group_on_hold(tag: str) -> list[dict[str, str]]:
    """Open holds on other detectors of the same voting group or zone."""
    me = Instrument.objects.filter(tag=tag).values("voting_group", "zone").first()
    if not me or not (me["voting_group"] or me["zone"]):
        return []
    shared = Q()
    if me["voting_group"]:
        shared |= Q(instrument__voting_group=me["voting_group"])
    if me["zone"]:
        shared |= Q(instrument__zone=me["zone"])
    rows = Hold.objects.filter(shared, released_at=None).exclude(instrument__tag=tag).select_related("instrument")
    out = []
    for h in rows:
        votes = me["voting_group"] and h.instrument.voting_group == me["voting_group"]
        shares = f"voting group {me['voting_group']}" if votes else f"zone {me['zone']}"
        out.append({"tag": h.instrument.tag, "shares": shares, "by": h.holder_name or h.placed_by})
    return out


def list_open_holds(now: datetime) -> list[dict[str, Any]]:
    """All open holds, those longest overdue first."""
    rows = Hold.objects.filter(released_at=None).select_related("instrument__area", "run").order_by("until")
    return [_row(h, now) for h in rows]


def _row(h: Hold, now: datetime) -> dict[str, Any]:
    i = h.instrument
    return {
        "id": h.event_id,
        "run": h.run_id,
        "run_number": h.run.label,
        "run_status": h.run.status,
        "at_step": h.run.at_step,
        "tag": i.tag,
        "area": i.area.name,
        "kind": h.kind,
        "reason": h.reason,
        "placed_by": h.placed_by,
        "placed_at": h.placed_at,
        "holder": h.holder,
        "holder_name": h.holder_name or h.placed_by,
        "agreement": h.agreement,
        "approval": h.approval,
        "extended": h.extended,
        "note": h.note,
        "offered_to": h.offered_to,
        "offered_name": h.offered_name,
        "is_own": h.is_own,
        "until": h.until,
        "is_overdue": now > h.until,
        "is_due_soon": now <= h.until <= now + timedelta(minutes=REMIND_MIN),
        "feeds": i.feeds,
        "voting_group": i.voting_group,
        "zone": i.zone,
        "risk": risk_of(i),
        "still": still_driven(h.run_id),
    }


def risk_of(i: Instrument) -> str:
    """What is unguarded while an instrument is on hold, in a sentence."""
    parts = [f"feeds {i.feeds}" if i.feeds else ""]
    parts.append(f"votes in {i.voting_group}" if i.voting_group else "")
    parts.append(f"watches {i.zone}" if i.zone else "")
    told = ", ".join(p for p in parts if p)
    vote = vote_words(i.voting, i.voting_group)
    told = f"{told}. {vote.rstrip('.')}" if vote else told
    unguarded = METHODS[i.method].traits.unguarded if i.method in METHODS else PLAIN_RISK
    if unguarded == PLAIN_RISK:
        return f"Not protected: {told}." if told else PLAIN_RISK
    return f"{unguarded.rstrip('.')}: {told}." if told else unguarded
