"""What is done with an item of the kit: taken out of service and back, checked in, given its files and its certificate."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

from django.core.files.base import ContentFile
from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.kit.certificates import Certificate, read_certificate
from apps.kit.models import KitChange, KitFile, Reference
from apps.kit.outside import item_check
from apps.kit.quarantine import after_check, cause_of, require_may_return
from apps.kit.register import STATE_WORDS, as_typed, dates_ahead, get_item
from config.uploads import check_file
from metrology.faults import Fault, Faults
from metrology.judgement.incoming import ACCEPTED, judge_incoming


def set_state(*, actor: Person, group: str, code: str, state: str, reason: str, now: datetime, cause: str = "") -> Any:
    """Quarantine, retire, or take back into service, with the reason. Anybody may quarantine; only a planner takes back or retires.

    cause: of a quarantine; it decides with what the item may come back.
    """
    if state not in STATE_WORDS:
        raise Fault("unknown_choice", f"'{state[:30]}' is no state; there are {', '.join(STATE_WORDS)}.", field="state")
    require(actor, "quarantine kit" if state == "quarantined" else "edit the kit")
    item = get_item(group, code)
    if len(reason.strip()) < 5:
        raise Fault("missing", "Say why, so that the next one knows.", field="reason")
    values = {"state": [item.state, state]}
    if state == "quarantined":
        values["cause"] = ["", cause_of(cause).key]
    elif state == "in service":
        require_may_return(group, item)
    if item.state != state or "cause" in values:
        KitChange.objects.create(group=group, code=code, at=now, by=actor, reason=reason.strip()[:300], values=values)
        item.state = state
        item.save(update_fields=["state"])
    return item


def check_in(*, actor: Person, group: str, code: str, values: Mapping[str, Any], now: datetime) -> Any:
    """The incoming check of kit that is new or back from service: accepted, or quarantined with every reason."""
    require(actor, "check kit in")
    item = get_item(group, code)
    if item_check(group, item) is not None:
        raise Fault("check_is_a_run", f"{code} is checked in step by step, with a signed record: start its incoming check.", field="code")
    result = judge_incoming({k: str(v) for k, v in values.items()})
    checked = after_check(group, item, passed=result.state == ACCEPTED, incoming=["", dict(values)])
    passed = f"passed. {checked.stays}" if checked.stays else "accepted into service."
    told = "Incoming check: " + (" ".join(result.reasons) or passed)
    if result.hours is not None:
        told += f" Battery {result.hours:.1f} h."
    KitChange.objects.create(group=group, code=code, at=now, by=actor, reason=told[:300], values=checked.values)
    item.state = checked.state
    item.save(update_fields=["state"])
    return item


def attach(*, actor: Person, group: str, code: str, name: str, data: bytes, now: datetime) -> KitFile:
    """Attach a file: PDF, picture, CSV or XML, told by its content and not by its name."""
    require(actor, "edit the kit")
    get_item(group, code)
    plain, kind = check_file(name, data)
    made = KitFile(group=group, code=code, at=now, by=actor, name=plain, kind=kind, size=len(data))
    made.file.save(f"{group}-{code}-{now:%Y%m%d%H%M%S%f}".replace("/", "-"), ContentFile(data), save=False)
    made.save()
    return made


def take_certificate(*, actor: Person, code: str, name: str, data: bytes, now: datetime) -> tuple[Reference, Certificate]:
    """Take a certificate's data over into a reference: its points, and what else it names; the file is attached."""
    require(actor, "edit the kit")
    item: Reference = get_item("reference", code)
    found = read_certificate(name, data, unit=item.unit)
    if found.serial and found.serial.casefold() != item.serial.casefold():
        told = f"The certificate is of serial {found.serial}; {code} has {item.serial}. Nothing was taken over."
        raise Fault("other_serial", told, field="file")
    before = as_typed("reference", item)
    item.points = [[p.applied, p.indicated, p.u] for p in found.points]
    item.k = found.k
    item.certificate = found.number[:40] or item.certificate
    item.laboratory = found.laboratory[:80] or item.laboratory
    if found.calibrated_on:
        held = item.due_on - item.calibrated_on
        item.calibrated_on = date.fromisoformat(found.calibrated_on)
        item.due_on = item.calibrated_on + held
    if ahead := dates_ahead(item):
        raise Faults(ahead)
    with transaction.atomic():
        item.save()
        after = as_typed("reference", item)
        changed = {k: [before[k], after[k]] for k in after if before[k] != after[k]}
        KitChange.objects.create(group="reference", code=code, at=now, by=actor, reason=f"Taken over from {name}"[:300], values=changed)
        attach(actor=actor, group="reference", code=code, name=name, data=data, now=now)
    return item, found
