"""Reading the kit."""

from __future__ import annotations

from datetime import date
from typing import Any

from apps.kit.models import Reference
from config.failures import Missing
from metrology.quantities.units import quantity_of


def list_references() -> list[Reference]:
    """All references by code."""
    return list(Reference.objects.all())


def get_reference(code: str) -> Reference:
    """The reference of that code."""
    found = Reference.objects.filter(code=code).first()
    if found is None:
        raise Missing("unknown_reference", f"There is no reference {code} in the kit.", field="reference")
    return found


def standing(reference: Reference, today: date) -> str:
    """in date, due soon (30 days), expired, quarantined or retired."""
    if reference.state != "in service":
        return reference.state
    left = (reference.due_on - today).days
    return "expired" if left < 0 else "due soon" if left <= 30 else "in date"


def reference_row(r: Reference, today: date) -> dict[str, Any]:
    """What lists show of a reference."""
    parts = [
        f"{r.u_absolute:g} {r.unit}" if r.u_absolute else "",
        f"{r.u_percent_reading:g} % of reading" if r.u_percent_reading else "",
        f"{r.u_percent_span:g} % of span" if r.u_percent_span else "",
    ]
    more = [
        f"drift {r.drift_per_year:g} {r.unit} a year" if r.drift_per_year else "",
        f"gradient {r.gradient:g} {r.unit}" if r.gradient else "",
        f"along a well {r.axial:g} {r.unit}" if r.axial else "",
        f"loading {r.loading:g} {r.unit}" if r.loading else "",
        f"{r.wells} wells beside the probe's" if r.wells else "",
    ]
    return {
        "code": r.code,
        "name": r.name,
        "serial": r.serial,
        "quantity": r.gas or quantity_of(r.unit) or r.unit,
        "range": f"{r.low:g} to {r.high:g} {r.unit}",
        "uncertainty": f"U = {' + '.join(p for p in parts if p)} (k = {r.k:g})" + "".join(f", {m}" for m in more if m),
        "certificate": r.certificate,
        "laboratory": r.laboratory,
        "traceability": r.traceability,
        "calibrated_on": r.calibrated_on,
        "due_on": r.due_on,
        "days_left": (r.due_on - today).days,
        "standing": standing(r, today),
    }
