"""Reading the register."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet

from apps.plant.models import Area, Instrument
from config.failures import Missing

PAGE_SIZE = 50


def list_instruments(*, search: str = "", area: str = "", family: str = "") -> QuerySet[Instrument]:
    """Instruments by any part of tag, service or serial, by area code, by family."""
    found = Instrument.objects.select_related("area")
    if search:
        found = found.filter(Q(tag_key__contains=search.casefold()) | Q(service__icontains=search) | Q(serial__icontains=search))
    if area:
        found = found.filter(area__code=area)
    if family:
        found = found.filter(family=family)
    return found


def list_areas() -> QuerySet[Area]:
    """All areas by name."""
    return Area.objects.all()


def get_instrument(tag: str) -> Instrument:
    """The instrument of exactly that tag; names a near one when only the case differs."""
    found = Instrument.objects.select_related("area").filter(tag=tag).first()
    if found:
        return found
    near = Instrument.objects.filter(tag_key=tag.casefold()).values_list("tag", flat=True).first()
    if near:
        raise Missing("differs_in_case", f"There is no {tag}; there is {near}. Tags are told apart by case.", field="tag", suggestion=near)
    raise Missing(
        "unknown_tag", f"There is no instrument {tag} in the register. Check the plate, or search by part of the tag.", field="tag"
    )


def instrument_row(i: Instrument) -> dict[str, Any]:
    """What lists show of an instrument."""
    return {
        "tag": i.tag,
        "serial": i.serial,
        "service": i.service,
        "area": i.area.name,
        "area_code": i.area.code,
        "family": i.family,
        "method": i.method,
        "method_title": i.get_method_display(),
        "is_runnable": i.is_runnable,
        "range": f"{i.lrv:g} to {i.urv:g} {i.unit}",
        "next_due": i.next_due,
        "last_done_on": i.last_done_on,
        "last_found": i.last_found,
        "last_left": i.last_left,
    }
