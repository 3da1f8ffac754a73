"""What runs left to be done soon: open until somebody says what was seen, or why it is not done."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.runs.models import Duty, Run
from config.failures import Missing
from metrology.faults import Fault, Faults
from metrology.methods.steps import Field
from metrology.run.fields import check_fields, text_of
from metrology.run.state import RunState

DONE, EXCUSED = "done", "excused"


def open_duties(run: Run, state: RunState) -> None:
    """Bring what a run's steps left into the list; what was closed stays closed, even where its step was opened again."""
    for key, told in state.duties.items():
        made = {
            "instrument_id": run.instrument_id,
            "title": told["title"],
            "instruction": told["instruction"],
            "fields": told["fields"],
            "opened_at": told["at"],
            "opened_by": told["by"],
            "due_at": told["at"] + timedelta(minutes=told["minutes"]),
        }
        duty, is_new = Duty.objects.get_or_create(run=run, key=key, defaults=made)
        if not is_new and not duty.outcome and duty.opened_at != told["at"]:
            Duty.objects.filter(pk=duty.pk).update(**made)


def list_duties(tag: str = "") -> list[Duty]:
    """The open duties, the most urgent first; of one instrument also the latest that were closed."""
    rows = Duty.objects.select_related("instrument__area", "run")
    waiting = rows.filter(outcome="").order_by("due_at")
    if not tag:
        return list(waiting)
    mine = waiting.filter(instrument__tag=tag)
    return [*mine, *rows.filter(instrument__tag=tag).exclude(outcome="").order_by("-closed_at")[:5]]


def close_duty(*, actor: Person, duty_id: uuid.UUID, outcome: str, values: Mapping[str, str], reason: str, now: datetime) -> Duty:
    """A duty done, with what was seen, or excused, with the reason; raises a Fault where either is missing or out of its limits."""
    require(actor, "work on a run")
    with transaction.atomic():
        duty = Duty.objects.select_for_update().filter(pk=duty_id).first()
        if duty is None:
            raise Missing("unknown_duty", "There is no such duty.")
        if duty.outcome:
            raise Fault("already_closed", f"This was {duty.outcome} by {duty.closed_by} already. Nothing was stored.")
        duty.values, duty.reason = _seen(duty, values) if outcome == DONE else {}, ""
        if outcome == EXCUSED:
            duty.reason = text_of({"reason": reason}, "reason", label="The reason why it is not done")
        duty.outcome, duty.closed_at, duty.closed_by = outcome, now, actor.name
        duty.save(update_fields=["values", "reason", "outcome", "closed_at", "closed_by"])
    return duty


def _seen(duty: Duty, values: Mapping[str, str]) -> dict[str, Any]:
    """What was seen, each inside its limits."""
    faults: list[Fault] = []
    asked = tuple(Field(**{**f, "options": tuple(map(tuple, f["options"])), "unless": tuple(f["unless"])}) for f in duty.fields)
    seen = check_fields(asked, values, faults)
    if faults:
        raise Faults(faults)
    return seen
