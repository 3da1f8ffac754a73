"""Writing the register: add and edit an instrument, all faults of the form told at once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.models import Instrument, InstrumentChange, PolicyLayer
from apps.plant.register import as_typed, differences, fill
from metrology.judgement.policy import Policy, resolve_policy

# Called with each instrument whose interval, rule or policy was edited; what works out due dates follows it this way.
FOLLOWERS: list[Callable[[Instrument], None]] = []
DUE_FIELDS = {"interval_days", "due_rule", "grace_days", "method"}


def tell_edited(instruments: Iterable[Instrument]) -> None:
    """Let the followers know of instruments whose due date may have moved."""
    for instrument in instruments:
        for follow in FOLLOWERS:
            follow(instrument)


def policy_for(instrument: Instrument) -> Policy:
    """The policies in force for an instrument: plant, then method, then its own."""
    layers = dict(PolicyLayer.objects.filter(method__in=["", instrument.method]).values_list("method", "values"))
    return resolve_policy(layers.get("", {}), layers.get(instrument.method, {}), instrument.policy)


@transaction.atomic
def add_instrument(*, actor: Person, data: Mapping[str, Any], now: datetime) -> Instrument:
    """Add an instrument; it is due at once, since nothing is known of it yet."""
    require(actor, "edit the plant")
    instrument = Instrument(next_due=now.date())
    fill(instrument, data)
    instrument.save()
    InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason="Added", values={})
    return instrument


@transaction.atomic
def edit_instrument(*, actor: Person, instrument: Instrument, data: Mapping[str, Any], now: datetime) -> Instrument:
    """Change an instrument; runs already started keep what they were started with."""
    require(actor, "edit the plant")
    before = as_typed(instrument)
    fill(instrument, data)
    changed = differences(before, as_typed(instrument))
    instrument.save()
    tell_edited([instrument] if DUE_FIELDS.intersection(changed) or any(k.startswith("policy.") for k in changed) else [])
    if changed:
        InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason=str(data.get("reason", ""))[:300], values=changed)
    return instrument
