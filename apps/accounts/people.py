"""Putting people on the list, with what they are qualified for; how they get a password is not decided here."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import datetime

from django.db import transaction

from apps.accounts.models import ROLES, Person, PersonChange, Qualification
from apps.accounts.policy import require
from apps.accounts.qualifications import folded, give
from metrology.faults import Fault, Faults

USERNAME = re.compile(r"[a-z0-9][a-z0-9._-]{1,29}")


@transaction.atomic
def store_person(*, actor: Person, data: Mapping[str, str], now: datetime) -> Person:
    """Put somebody on the list, or change name and role; with a qualification, where one is told. A new one has no password yet."""
    require(actor, "look after people")
    found = Person.objects.filter(username=username_of(data)).first()
    person, before = found or Person(), found.role if found else ""
    faults = take_names(person, data)
    role = role_of(data.get("role") or person.role)
    if role is None:
        faults.append(
            Fault("unknown_choice", f"'{data.get('role', '')[:30]}' is no role; there are {', '.join(dict(ROLES).values())}.", field="role")
        )
    elif found is not None and found.pk == actor.pk and role != before:
        faults.append(Fault("own_work", "Somebody else changes your own role.", field="role"))
    if faults:
        raise Faults(faults)
    person.role = role or person.role
    if found is None:
        person.set_unusable_password()
    person.save()
    if found is None:
        tell(person, actor, f"Put on the list as {person.role}", now)
    elif person.role != before:
        tell(person, actor, f"Role from {before} to {person.role}", now, "As the list that was read says")
    if data.get("qualification", "").strip():
        _qualify(actor, person, data, now)
    return person


def username_of(data: Mapping[str, str]) -> str:
    """The user name as it is kept."""
    return data.get("username", "").strip().casefold()


def take_names(person: Person, data: Mapping[str, str]) -> list[Fault]:
    """Give somebody the user name, first and last name that were typed; what is wrong with them."""
    faults = []
    person.username = username_of(data)
    if not USERNAME.fullmatch(person.username):
        told = "The user name has 2 to 30 letters, digits, dots or dashes, and begins with a letter or digit."
        faults.append(Fault("bad_name", told, field="username"))
    for name, label in (("first_name", "First name"), ("last_name", "Last name")):
        value = data.get(name, getattr(person, name)).strip()
        if not 1 <= len(value) <= 60:
            faults.append(Fault("missing", f"{label} has 1 to 60 characters.", field=name))
        setattr(person, name, value)
    return faults


def tell(person: Person, by: Person, what: str, now: datetime, reason: str = "") -> None:
    """Keep what was done with somebody's access: by whom, and why where that was asked."""
    PersonChange.objects.create(person=person, by=by, at=now, what=what, reason=reason)


def role_of(text: str) -> str | None:
    """The role that is meant, by its key or its name in whatever case; None where it is none."""
    return next((k for k, label in ROLES if text.strip().casefold() in (k, label.casefold())), None)


def _qualify(actor: Person, person: Person, data: Mapping[str, str], now: datetime) -> None:
    """A qualification as told, unless it is held just so."""
    until, proof = data.get("until", "").strip(), data.get("proof", "").strip()
    name = folded(data["qualification"])
    held = Qualification.objects.filter(person=person, name=name, ended_at=None).first()
    if held is not None and (held.until.isoformat() if held.until else "") == until and held.proof == proof:
        return
    give(actor=actor, username=person.username, name=name, until=until, proof=proof, now=now)
