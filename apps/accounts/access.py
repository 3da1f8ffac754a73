"""How people come in and go: a link by which a password is set, the password itself, roles, leaving and coming back; each with who did it and why.

Nobody is ever deleted: what they signed stays under their name.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from typing import Any

from django.contrib.sessions.models import Session
from django.db import transaction

from apps.accounts.models import EntryLink, Person, SecondFactor
from apps.accounts.people import role_of, store_person, tell, username_of
from apps.accounts.policy import require
from apps.accounts.services import require_strong
from apps.journal.writing import digest_of
from config.failures import Missing
from config.reasons import require_reason
from metrology.faults import Fault

LINK_DAYS = 3
ADMINISTRATOR = "administrator"
# Called with whoever is to leave; what each returns keeps them here, in words.
KEEPERS: list[Callable[[Person], list[str]]] = []


@transaction.atomic
def add_person(*, actor: Person, data: Mapping[str, str], now: datetime) -> str:
    """Put somebody on the list who is not there yet; the secret of the link by which they set their password, shown this once."""
    require(actor, "look after people")
    held = Person.objects.filter(username=username_of(data)).first()
    if held is not None:
        gone = "" if held.is_active else ", who has left; take them back instead"
        raise Fault("exists", f"{held.username} is {held.name}{gone}. Take another name.", field="username")
    return _make_link(store_person(actor=actor, data=data, now=now), actor, now)


@transaction.atomic
def make_link(*, actor: Person, username: str, now: datetime) -> str:
    """The secret of a new link by which somebody sets a password; older links end. The password of before counts until it is used."""
    require(actor, "look after people")
    person = find_person(username)
    if not person.is_active:
        raise Fault("has_left", f"{person.name} has left. Take them back first.", field="username")
    tell(person, actor, "A link to set a password was made", now)
    return _make_link(person, actor, now)


def _make_link(person: Person, actor: Person, now: datetime) -> str:
    secret = secrets.token_urlsafe(32)
    EntryLink.objects.filter(person=person, used_at=None).delete()
    EntryLink.objects.create(person=person, secret=digest_of(secret), made_at=now, made_by=actor, until=now + timedelta(days=LINK_DAYS))
    return secret


def open_link(secret: str, now: datetime) -> EntryLink:
    """The link of that secret; a Fault where it was used, is too old, or never was."""
    found = (
        EntryLink.objects.select_related("person")
        .filter(secret=digest_of(secret), used_at=None, until__gte=now, person__is_active=True)
        .first()
    )
    if found is None:
        raise Missing(
            "link_over",
            f"This link was used, is older than {LINK_DAYS} days, or was replaced by another. Ask an administrator for a new one.",
        )
    return found


@transaction.atomic
def use_link(*, secret: str, password: str, now: datetime) -> Person:
    """Set the password of whom the link is for; the link is spent, and whoever was signed in as them is not any more."""
    link = open_link(secret, now)
    _set_password(link.person, password)
    EntryLink.objects.filter(pk=link.pk).update(used_at=now)
    tell(link.person, link.person, "Password set by a link", now)
    return link.person


@transaction.atomic
def change_password(*, actor: Person, password: str, now: datetime) -> None:
    """One's own password, once the one of before was typed."""
    if actor.check_password(password):
        raise Fault("nothing_changed", "That is the password of before. Take another.", field="new")
    _set_password(actor, password)
    tell(actor, actor, "Password changed", now)


def _set_password(person: Person, password: str) -> None:
    require_strong(password, person)
    person.set_password(password)
    person.save(update_fields=["password"])


@transaction.atomic
def change_role(*, actor: Person, username: str, role: str, reason: str, now: datetime) -> None:
    """Give somebody another role; nobody their own, and one administrator stays."""
    person = _other(actor, username)
    key = role_of(role)
    if key is None:
        raise Fault("unknown_choice", f"'{role[:30]}' is no role. Choose one that is offered.", field="role")
    if key == person.role:
        raise Fault("nothing_changed", f"{person.name} is {person.role} already.", field="role")
    why = require_reason(reason)
    _require_administrator_left(person)
    before, person.role = person.role, key
    person.save(update_fields=["role"])
    tell(person, actor, f"Role from {before} to {key}", now, why)


@transaction.atomic
def leave(*, actor: Person, username: str, reason: str, now: datetime) -> None:
    """Somebody works here no longer: they can't sign in, and what they did stays. Not while they answer for a hold."""
    person = _other(actor, username)
    why = require_reason(reason)
    _require_administrator_left(person)
    kept = [words for keep in KEEPERS for words in keep(person)]
    if kept:
        raise Fault(
            "still_holds", f"{person.name} still answers for {', '.join(kept)}. Hand it over first, or take it off.", field="username"
        )
    person.is_active = False
    person.save(update_fields=["is_active"])
    EntryLink.objects.filter(person=person, used_at=None).delete()
    end_sessions(person)
    tell(person, actor, "Left: can't sign in any more", now, why)


@transaction.atomic
def come_back(*, actor: Person, username: str, reason: str, now: datetime) -> str:
    """Somebody who left works here again; the secret of a link by which they set a new password."""
    person = _other(actor, username)
    if person.is_active:
        raise Fault("nothing_changed", f"{person.name} works here already.", field="username")
    why = require_reason(reason)
    person.is_active = True
    person.set_unusable_password()
    person.save(update_fields=["is_active", "password"])
    tell(person, actor, "Came back", now, why)
    return _make_link(person, actor, now)


@transaction.atomic
def sign_out_everywhere(*, actor: Person, username: str, now: datetime) -> int:
    """End every session of somebody: one's own, or anybody's for whoever looks after people. How many there were."""
    person = find_person(username)
    if person.pk != actor.pk:
        require(actor, "look after people")
    ended = end_sessions(person)
    tell(person, actor, "Signed out everywhere", now)
    return ended


def end_sessions(person: Person) -> int:
    """Forget every session of a person; how many there were."""
    mine = [s.pk for s in Session.objects.all() if s.get_decoded().get("_auth_user_id") == str(person.pk)]
    Session.objects.filter(pk__in=mine).delete()
    return len(mine)


def find_person(username: str) -> Person:
    """Somebody on the list, whether here or gone."""
    found = Person.objects.filter(username=username).first()
    if found is None:
        raise Missing("unknown_person", f"There is nobody called {username[:40]} here.", field="username")
    return found


def _other(actor: Person, username: str) -> Person:
    require(actor, "look after people")
    person = find_person(username)
    if person.pk == actor.pk:
        raise Fault("own_work", "Somebody else does that for you. Nothing was changed.", field="username")
    return person


def _require_administrator_left(person: Person) -> None:
    others = Person.objects.filter(role=ADMINISTRATOR, is_active=True).exclude(pk=person.pk)
    if person.role == ADMINISTRATOR and person.is_active and not others.exists():
        raise Fault("last_one", f"{person.name} is the only administrator. Make somebody else one first.", field="role")


def access_rows(viewer: Person, now: datetime) -> list[dict[str, Any]]:
    """Everybody who is or was here: whether they can sign in, have an open link, and what was done with their access. Those who left come last."""
    links = dict(EntryLink.objects.filter(used_at=None, until__gte=now).values_list("person_id", "until"))
    devices = set(SecondFactor.objects.exclude(confirmed_at=None).values_list("person_id", flat=True))
    people = Person.objects.prefetch_related("changes__by").order_by("-is_active", "first_name", "last_name")
    return [
        {
            "username": p.username,
            "name": p.name,
            "role": p.role,
            "is_active": p.is_active,
            "has_password": p.has_usable_password(),
            "has_device": p.pk in devices,
            "is_you": p.pk == viewer.pk,
            "last_seen": p.last_login,
            "link_until": links.get(p.pk),
            "changes": [{"at": c.at, "by": c.by.name, "what": c.what, "reason": c.reason} for c in p.changes.all()],
        }
        for p in people
    ]
