"""Writing the register: add and edit an instrument, all faults of the form told at once."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, timedelta
from functools import partial
from typing import Any
from zlib import crc32

from django.core.files.base import ContentFile
from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.following import tell_edited
from apps.plant.merging import differences, merged, who_changed
from apps.plant.models import BAR, Area, Instrument, InstrumentChange, InstrumentFile
from apps.plant.policies import is_spread
from apps.plant.register import LABELS, as_typed, fill
from config.uploads import keep
from metrology.faults import Fault, Faults, require_range
from metrology.quantities.typed import parse_typed

DUE_FIELDS = {"interval_days", "due_rule", "grace_days", "method", "before_on", "before_result"}
# What decides verdicts and due dates: changed with a reason only.
WEIGHTY = DUE_FIELDS | {
    "unit", "lrv", "urv", "output_lo", "output_hi", "output_unit", "transfer", "cutoff_percent", "transfer_table", "tolerance_value", "tolerance_basis",
    "tolerance_combine", "tolerance2_value", "tolerance2_basis", "division", "points_percent", "cycles",
}  # fmt: skip


def area_form(a: Area) -> dict[str, Any]:
    """An area as a form shows it."""
    return {"code": a.code, "name": a.name, "needs_permit": a.needs_permit, "east_m": f"{a.east_m:.12g}", "north_m": f"{a.north_m:.12g}"}


@transaction.atomic
def store_area(*, actor: Person, code: str, data: Mapping[str, Any]) -> Area:
    """Add an area, or change the one of that code; where it lies gives the walking times of rounds, in metres on the plan of the site."""
    require(actor, "edit the plant")
    faults: list[Fault] = []
    held = Area.objects.filter(code__iexact=code.strip()).first()
    if held is not None and data.get("is_new"):
        raise Fault(
            "exists",
            f"There is an area {held.code} already: {held.name}. Nothing was changed; take another code, or edit that one.",
            field="code",
        )
    found = held or Area(code=code.strip())
    if held is not None and isinstance(data.get("seen"), Mapping):
        data = merged(data["seen"], data, area_form(held), what=f"area {held.code}", label=_label, who=lambda _: "")
    if not found.pk and not (1 <= len(found.code) <= 12 and found.code.isalnum()):
        faults.append(Fault("bad_code", "The code has 1 to 12 letters and digits.", field="code"))
    found.name = str(data.get("name", found.name) or "").strip()
    if not 1 <= len(found.name) <= 80:
        faults.append(Fault("missing", "The name has 1 to 80 characters.", field="name"))
    elif Area.objects.filter(name__iexact=found.name).exclude(pk=found.pk).exists():
        faults.append(Fault("name_taken", f"There is an area called {found.name} already.", field="name"))
    found.needs_permit = bool(data.get("needs_permit", found.needs_permit))
    for name, label in (("east_m", "Metres east"), ("north_m", "Metres north")):
        try:
            raw = str(data.get(name, getattr(found, name)))
            value = parse_typed(raw or "0", name=label, unit="m", field=name).value
            setattr(found, name, require_range(value, -100_000, 100_000, field=name, unit="m"))
        except Fault as fault:
            faults.append(fault)
    if faults:
        raise Faults(faults)
    found.save()
    return found


def set_first_due(made: Instrument, today: date, *, spreads: bool) -> None:
    """When a new instrument is due: by what is known of before, else at once, or at its place in the interval by its tag, the same each time."""
    before = made.due_by_history
    if before is not None:
        made.next_due, made.due_why = before
    elif spreads:
        made.next_due = today + timedelta(days=crc32(made.tag.encode()) % made.interval_days)
        made.due_why = f"nothing is known of before; spread over its interval of {made.interval_days} days"


@transaction.atomic
def add_instrument(*, actor: Person, data: Mapping[str, Any], now: datetime) -> Instrument:
    """Add an instrument; it is due as what is known of it tells, else at once or at its place in its interval, as the plant has it."""
    require(actor, "edit the plant")
    instrument = Instrument(next_due=timezone.localdate(now))
    fill(instrument, data)
    set_first_due(instrument, timezone.localdate(now), spreads=is_spread())
    instrument.save()
    tell_edited([instrument] if instrument.before_on else [])
    InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason="Added", values={})
    return instrument


@transaction.atomic
def attach_document(*, actor: Person, instrument: Instrument, name: str, data: bytes, now: datetime) -> InstrumentFile:
    """Attach a document to an instrument; it stands in the history."""
    require(actor, "edit the plant")
    kept = keep(name, data)
    made = InstrumentFile(instrument=instrument, at=now, by=actor, name=kept.name, kind=kept.kind, size=len(kept.data))
    made.file.save(f"{instrument.pk}-{now:%Y%m%d%H%M%S%f}", ContentFile(kept.data), save=False)
    made.save()
    InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason=f"Document attached: {kept.name}"[:300], values={})
    return made


@transaction.atomic
def edit_instrument(*, actor: Person, instrument: Instrument, data: Mapping[str, Any], now: datetime) -> Instrument:
    """Change an instrument; runs already started keep what they were started with.

    data: the form, with the form as it was opened under "seen". What another changed meanwhile stays; what both changed is refused.
    """
    require(actor, "edit the plant")
    before = as_typed(instrument)
    if isinstance(data.get("seen"), Mapping):
        who = partial(who_changed, InstrumentChange.objects.filter(instrument=instrument))
        data = merged(data["seen"], data, before, what=instrument.tag, label=_label, who=who)
    fill(instrument, data)
    changed = differences(before, as_typed(instrument))
    if "tag" in changed:
        instrument.former_tags = f"{instrument.former_tags or BAR}{before['tag']}{BAR}"[-200:]
    _require_reason(changed, str(data.get("reason") or ""))
    instrument.save()
    tell_edited([instrument] if DUE_FIELDS.intersection(changed) or any(k.startswith("policy.") for k in changed) else [])
    if changed:
        InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason=str(data.get("reason", ""))[:300], values=changed)
    return instrument


def _label(name: str) -> str:
    head, _, inner = name.partition(".")
    return (inner.replace("_", " ") if inner else LABELS.get(head, head)).lower()


def _require_reason(changed: Mapping[str, Any], reason: str) -> None:
    """Refuse a change of what decides verdicts, alarms and due dates that says not why."""
    weighty = [k for k in changed if k in WEIGHTY or k.startswith("policy.") or (k.startswith("details.") and "alarm" in k)]
    if weighty and len(reason.strip()) < 5:
        names = ", ".join(_label(k) for k in weighty[:4])
        raise Fault("missing", f"Say why it is changed: {names}. It decides verdicts, alarms or due dates.", field="reason")
