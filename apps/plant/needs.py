"""What work on an instrument takes of the people who do it."""

from __future__ import annotations

from apps.accounts.qualifications import read_names
from apps.plant.models import Instrument
from metrology.methods.registry import METHODS

HEIGHT, CONFINED = "work at height", "confined space"
BY_ACCESS = {"height": HEIGHT, "confined": CONFINED}


def skills_of(i: Instrument, method: str = "") -> frozenset[str]:
    """Qualifications for a method, its own unless another is named: of the method, of the way to it, and its own."""
    found = METHODS.get(method or i.method)
    by_access = {BY_ACCESS[i.access]} if i.access in BY_ACCESS else set()
    return frozenset({*(found.traits.skills if found else ()), *by_access, *read_names(i.skills)})


def skills_asked() -> list[str]:
    """Every qualification that work here takes."""
    own = {name for text in Instrument.objects.exclude(skills="").values_list("skills", flat=True) for name in read_names(text)}
    return sorted({*own, *BY_ACCESS.values(), *(s for m in METHODS.values() for s in m.traits.skills)})
