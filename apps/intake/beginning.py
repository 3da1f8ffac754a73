"""What an empty plant still lacks before its first calibration can be done."""

from __future__ import annotations

from datetime import date
from typing import NamedTuple

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.plant.models import IN_USE, Area, Instrument


class Needed(NamedTuple):
    """One thing that is needed, whether it is there, and where it is done."""

    says: str
    is_there: bool
    link: str
    words: str  # of the link


def needed(today: date) -> list[Needed]:
    """Everything that a first calibration needs, in the order in which it is best done."""
    people = [p for p in Person.objects.filter(is_active=True) if p.has_usable_password()]
    return [
        Needed("An area of the plant", Area.objects.exists(), "/plant/areas", "Areas"),
        Needed("Instruments, one by one or from a file", Instrument.objects.filter(state=IN_USE).exists(), "/plant/imports", "From a file"),
        Needed(
            "Kit to compare with, its certificate in date",
            Reference.objects.filter(state="in service", due_on__gte=today).exists(),
            "/kit",
            "Kit",
        ),
        Needed("A technician who can sign in", any(p.role == "technician" for p in people), "/people", "People"),
        Needed("A reviewer who accepts records", any(p.role == "reviewer" for p in people), "/people", "People"),
    ]
