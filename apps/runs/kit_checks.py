"""Incoming checks: runs whose subject is an item of the kit. What such a run decides puts the item into service, or into quarantine."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.db import transaction

from apps.kit.models import KitChange, Reference
from apps.kit.quarantine import after_check
from apps.kit.register import get_item
from apps.plant.models import all_layers
from apps.plant.policies import plain_policies
from apps.runs.models import OPEN, Run
from metrology.faults import Fault
from metrology.judgement.incoming import ACCEPTED
from metrology.judgement.policy import resolve_policy
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.method import Method
from metrology.methods.registry import get_method, methods_of
from metrology.methods.settings import read_settings
from metrology.methods.setup import KIT, InstrumentSetup, RunSetup
from metrology.quantities.transfer import Transfer
from metrology.run.entries import DecisionMade

GROUP = "reference"
SHOWN = 12


def method_for(item: Reference) -> Method | None:
    """The method by which an item is checked in as a run; None where its check is a list."""
    return next((m for m in methods_of(KIT) if item.kind in m.traits.kinds), None)


def kit_setup(item: Reference, method: Method) -> RunSetup:
    """What a run of a kit item is set up with, by the plant's policies; raises a Fault where the register does not tell enough."""
    if not item.gas:
        told = f"The kit's register does not say which gas {item.code} is for; its zero and span go by it. Write it there, then start the check."
        raise Fault("no_gas", told, field="gas")
    layers = all_layers()
    plant, own = layers.get("", {}), layers.get(method.key, {})
    subject = InstrumentSetup(
        tag=item.code,
        serial=item.serial,
        service=item.name,
        area="Kit",
        unit=item.unit,
        lrv=item.low,
        urv=item.high,
        output_lo=item.low,
        output_hi=item.high,
        output_unit=item.unit,
        transfer=Transfer(),
        tolerance=Tolerance((Term(2.0, "span"),)),  # of no account: the method has limits of its own
        details=replace(read_settings(method.settings, {**plant, **own}), measures=item.gas),  # type: ignore[call-arg]
        subject=KIT,
    )
    policy = resolve_policy(plain_policies(plant), plain_policies(own), {})
    return RunSetup(method.key, method.revision, subject, points_percent=(), policy=policy)


def find_subject(code: str) -> tuple[Reference, Method]:
    """The item of a code with the method of its check; a Fault where it is checked in by a list."""
    item = get_item(GROUP, code)
    method = method_for(item)
    if method is None:
        raise Fault("no_check", f"{code} is no portable; its incoming check is the list on its page.", field="item")
    return item, method


def open_check(code: str) -> Run | None:
    """The check of an item that is under way."""
    return Run.objects.filter(item=code, status__in=OPEN).select_related("technician").first()


def refuse_second(code: str) -> None:
    """One check at a time."""
    other = open_check(code)
    if other:
        told = (
            f"{code} has an open check already: {other.label}, started by {other.technician.name}. Go on with that one, or have it voided."
        )
        raise Fault("run_open", told, field="item", run=str(other.id))


def item_check(group: str, item: Any) -> dict[str, Any] | None:
    """For the page of an item: how it is checked in, the check that is open, and those that were made. None where it is checked by a list."""
    method = method_for(item) if group == GROUP else None
    if method is None:
        return None
    rows = Run.objects.filter(item=item.code).exclude(status="voided").select_related("technician").order_by("-started_at")[:SHOWN]
    return {
        "title": method.title,
        "open_run": next((r.id for r in rows if r.status in OPEN), None),
        "results": [
            {
                "id": r.id,
                "number": r.label,
                "status": r.status,
                "at": r.signed_at or r.started_at,
                "by": r.technician.name,
                "decision": method.names.get(r.decision, r.decision),
                "verdict": r.left_verdict or r.found_verdict,
            }
            for r in rows
        ],
    }


@transaction.atomic
def project_item(run: Run, decided: DecisionMade) -> None:
    """A signed check puts its item into service, or into quarantine, once a signature; what was done to the item later stays."""
    state = get_method(run.method).leaves.get(decided.choice)
    item = Reference.objects.filter(code=run.item).first()
    if item is None or state is None or run.signed_at is None:
        return
    mark = ["", f"{run.label}, signed {run.signed_at.isoformat()}"]
    if KitChange.objects.filter(group=GROUP, code=item.code, values__incoming=mark).exists():
        return
    why = decided.reason if decided.choice != decided.proposed else decided.because
    checked = after_check(GROUP, item, passed=state == ACCEPTED, incoming=mark)
    if checked.stays:
        why = f"passed. {checked.stays}"
    KitChange.objects.create(
        group=GROUP,
        code=item.code,
        at=run.signed_at,
        by=run.technician,
        reason=f"Incoming check {run.label}: {why}"[:300],
        values=checked.values,
    )
    item.state = checked.state
    item.save(update_fields=["state"])
