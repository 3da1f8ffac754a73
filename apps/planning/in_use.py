"""Instruments taken out of use, retired, and taken back: with a reason, with nothing left open, their history kept."""

from __future__ import annotations

from datetime import datetime

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.planning.across import jobs_elsewhere
from apps.plant.models import BACK_IN_USE, IN_USE, STATES, Instrument, InstrumentChange, Trigger
from apps.runs.due import open_run, set_due
from apps.runs.models import Hold
from config.reasons import require_reason
from metrology.faults import Fault


@transaction.atomic
def set_use(*, actor: Person, instrument: Instrument, state: str, reason: str, now: datetime) -> Instrument:
    """Take an instrument out of use, retire it, or take it back. Out of use it is not due and no run is started on it; back in use it is due at once."""
    require(actor, "edit the plant")
    if state not in STATES:
        raise Fault("unknown_choice", f"An instrument is {', '.join(s.lower() for s in STATES.values())}.", field="state")
    why = require_reason(reason)
    if state == instrument.state:
        raise Fault("not_now", f"{instrument.tag} is {state} already.", field="state")
    if state != IN_USE:
        _require_nothing_open(instrument, now)
    today = timezone.localdate(now)
    values = {"state": [instrument.state, state]}
    instrument.state, instrument.state_since, instrument.state_why = state, today, f"{why[:280].rstrip('.')}."
    instrument.save()
    if state == IN_USE:
        Trigger.objects.create(instrument=instrument, kind=BACK_IN_USE, at=now, by=actor, note=why, due_at=now)
    set_due(instrument)
    InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason=why, values=values)
    return instrument


def _require_nothing_open(instrument: Instrument, now: datetime) -> None:
    run = open_run(instrument)
    if run is not None:
        told = f"{instrument.tag} has an open run, {run.label} of {run.technician.name}. Have it signed or voided first."
        raise Fault("run_open", told, field="state", run=str(run.id))
    if Hold.objects.filter(instrument=instrument, released_at=None).exists():
        raise Fault("on_hold", f"{instrument.tag} is on hold. Release the hold first.", field="state")
    planned = jobs_elsewhere(timezone.localdate(now)).get(instrument.pk)
    if planned:
        raise Fault("planned", f"{instrument.tag} is planned on '{planned}'. Take it out there first.", field="state")
