"""Reading the register."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet

from apps.plant.models import BAR, RETIRED, Area, Instrument
from apps.plant.policies import asked_policies
from apps.plant.register import REGISTER
from config.failures import Missing
from metrology.methods.registry import CATALOGUE, FAMILIES, FAMILY_OF, METHODS, all_settings, usual_method
from metrology.methods.setup import INSTRUMENT

PAGE_SIZE = 50


def list_instruments(*, search: str = "", area: str = "", family: str = "") -> QuerySet[Instrument]:
    """Instruments by any part of a tag that they have or had, service or serial, by area code, by family. Retired ones only where searched for."""
    found = Instrument.objects.select_related("area")
    found = found.filter(search_key__contains=search.casefold()) if search else found.exclude(state=RETIRED)
    if area:
        found = found.filter(area__code=area)
    if family:
        found = found.filter(family=family)
    return found


def list_areas() -> QuerySet[Area]:
    """All areas by name."""
    return Area.objects.all()


def form_choices() -> dict[str, list[dict[str, str]]]:
    """The choices of the instrument form, each list by the name of its field; the words are the core's own."""
    return {f.name: [{"value": v, "label": label} for v, label in f.words.items()] for f in REGISTER if f.words}


def methods_by_family() -> dict[str, list[str]]:
    """The methods of each family, the usual one first."""
    return {
        family: sorted((k for k in CATALOGUE if FAMILY_OF[k] == family), key=lambda k: k != usual_method(family)) for family in FAMILIES
    }


def detail_fields() -> list[dict[str, Any]]:
    """What the form asks beyond the range, and for which methods."""
    return [
        {
            "name": f.name,
            "label": f.asked.label,
            "kind": f.asked.kind,
            "unit": f.asked.unit,
            "hint": f.asked.hint,
            "methods": list(methods),
            "options": [{"value": v, "label": t} for v, t in f.asked.options],
        }
        for f, methods in all_settings(INSTRUMENT).values()
    ]


def policy_fields() -> list[dict[str, Any]]:
    """The policies an instrument can have of its own, and for which methods each counts; a choice's words are the core's own."""
    return [
        {
            "name": p.name,
            "label": p.label,
            "kind": p.kind,
            "unit": p.unit,
            "hint": p.hint,
            "methods": [k for k in CATALOGUE if not p.methods or k in p.methods],
            "options": [{"value": v, "label": t} for v, t in p.options],
        }
        for p in asked_policies().values()
        if p.setting is None
    ]


def methods_for(instrument: Instrument) -> list[dict[str, str]]:
    """The methods an instrument can be run by: its own first, then those that go beside it."""
    keys = [instrument.method, *(METHODS[instrument.method].traits.also if instrument.method in METHODS else ())]
    return [{"value": k, "label": METHODS[k].title} for k in dict.fromkeys(keys) if k in METHODS]


def get_instrument(tag: str) -> Instrument:
    """The instrument of exactly that tag, or that had it before it was renamed; names a near one when only the case differs."""
    found = Instrument.objects.select_related("area").filter(tag=tag).first()
    if found:
        return found
    renamed = Instrument.objects.select_related("area").filter(former_tags__contains=f"{BAR}{tag}{BAR}").first()
    if renamed:
        return renamed
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
        "method_title": i.method_title,
        "is_runnable": i.is_runnable,
        "range": f"{i.lrv:g} to {i.urv:g} {i.unit}",
        "next_due": i.next_due,
        "last_done_on": i.last_done_on,
        "last_found": i.last_found,
        "last_left": i.last_left,
        "doubt": i.doubt,
        "state": i.state,
        "names_before": i.names_before,
    }
