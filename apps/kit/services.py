"""What is done with an item of the kit: taken out of service and back, checked in, given its files and its certificate."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

from django.core.files.base import ContentFile

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.kit.certificates import Certificate
from apps.kit.models import KitChange, KitFile, Reference
from apps.kit.outside import item_check
from apps.kit.quarantine import after_check, cause_of, require_may_return
from apps.kit.register import STATE_WORDS, get_item
from apps.plant.policies import kit_limits
from config.reasons import require_reason
from config.uploads import keep
from metrology.faults import Fault, Faults
from metrology.judgement.incoming import ACCEPTED, judge_incoming, limit_words


def set_state(*, actor: Person, group: str, code: str, state: str, reason: str, now: datetime, cause: str = "") -> Any:
    """Quarantine, retire, or take back into service, with the reason. Anybody may quarantine; only a planner takes back or retires.

    cause: of a quarantine; it decides with what the item may come back.
    """
    if state not in STATE_WORDS:
        raise Fault("unknown_choice", f"'{state[:30]}' is no state; there are {', '.join(STATE_WORDS)}.", field="state")
    require(actor, "quarantine kit" if state == "quarantined" else "edit the kit")
    item = get_item(group, code)
    why = require_reason(reason)
    values = {"state": [item.state, state]}
    if state == "quarantined":
        values["cause"] = ["", cause_of(cause).key]
    elif state == "in service":
        require_may_return(group, item)
    if item.state != state or "cause" in values:
        KitChange.objects.create(group=group, code=code, at=now, by=actor, reason=why, values=values)
        item.state = state
        item.save(update_fields=["state"])
    return item


def check_in(*, actor: Person, group: str, code: str, values: Mapping[str, Any], now: datetime) -> Any:
    """The incoming check of kit that is new or back from service: accepted, or quarantined with every reason."""
    require(actor, "check kit in")
    item = get_item(group, code)
    if item_check(group, item) is not None:
        raise Fault("check_is_a_run", f"{code} is checked in step by step, with a signed record: start its incoming check.", field="code")
    limits = kit_limits()
    told = {k: str(v) for k, v in values.items()}
    result = judge_incoming(told, alarm_within_s=limits["alarm_within_s"], least_hours=limits["least_hours"])
    judged_by = {f"limit of {k}": w for k, w in limit_words(limits).items()}
    checked = after_check(group, item, passed=result.state == ACCEPTED, incoming=["", {**values, **judged_by}])
    passed = f"passed. {checked.stays}" if checked.stays else "accepted into service."
    says = "Incoming check: " + (" ".join(result.reasons) or passed)
    if result.hours is not None:
        says += f" Battery {result.hours:.1f} h."
    KitChange.objects.create(group=group, code=code, at=now, by=actor, reason=says[:300], values=checked.values)
    item.state = checked.state
    item.save(update_fields=["state"])
    return item


def attach(*, actor: Person, group: str, code: str, name: str, data: bytes, now: datetime) -> KitFile:
    """Attach a file: PDF, picture, CSV or XML, told by its content and not by its name."""
    require(actor, "edit the kit")
    get_item(group, code)
    kept = keep(name, data)
    made = KitFile(group=group, code=code, at=now, by=actor, name=kept.name, kind=kept.kind, size=len(kept.data))
    made.file.save(f"{group}-{code}-{now:%Y%m%d%H%M%S%f}".replace("/", "-"), ContentFile(kept.data), save=False)
    made.save()
    return made


def certificate_form(item: Reference, found: Certificate, *, number: str, calibrated_on: str) -> dict[str, str]:
    """What of a reference's form a certificate changes: number, laboratory, dates, k and points, together.

    number, calibrated_on: as typed where the file does not tell them. The next date lies as far behind the new one as it did behind the old.
    """
    if found.serial and found.serial.casefold() != item.serial.casefold():
        told = f"The certificate is of serial {found.serial}; {item.code} has {item.serial}. Nothing was taken over."
        raise Fault("other_serial", told, field="file")
    faults = []
    number = found.number or number.strip()
    if not number:
        faults.append(Fault("missing", "The file does not tell the number of the certificate: write it.", field="number"))
    day: date | None = None
    try:
        day = date.fromisoformat(found.calibrated_on or calibrated_on.strip())
    except ValueError:
        faults.append(
            Fault("bad_date", "The file does not tell when it was calibrated: write the day like 2026-03-24.", field="calibrated_on")
        )
    if faults:
        raise Faults(faults)
    assert day is not None
    due = day + (item.due_on - item.calibrated_on)
    return {
        "code": item.code,
        "certificate": number[:40],
        "laboratory": found.laboratory[:80] or item.laboratory,
        "calibrated_on": day.isoformat(),
        "due_on": due.isoformat(),
        "k": f"{found.k:g}",
        "points": "; ".join(f"{p.applied:.10g} {p.indicated:.10g} {p.u:.10g}" for p in found.points),
    }
