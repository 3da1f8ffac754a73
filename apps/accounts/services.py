"""Signing in, and proving who one is once more at a signature."""

from __future__ import annotations

from axes.exceptions import AxesBackendPermissionDenied
from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate
from django.http import HttpRequest

from apps.accounts.models import Person
from apps.accounts.policy import require
from config.failures import Missing, NotAllowed
from metrology.faults import Fault

LOCKED_OUT = Fault(
    "locked_out", "Too many wrong passwords. Wait a quarter of an hour, or ask an administrator. What was entered before is kept."
)


def check_credentials(request: HttpRequest, username: str, password: str) -> Person:
    """The person behind a name and password; throttled. Raises a Fault otherwise."""
    try:
        if not AxesProxyHandler.is_allowed(request, {"username": username}):
            raise LOCKED_OUT
        person = authenticate(request, username=username, password=password)
    except AxesBackendPermissionDenied:
        raise LOCKED_OUT from None
    if not isinstance(person, Person):
        raise Fault("wrong_password", "Name or password is wrong. Nothing was lost; type it again.", field="password")
    return person


def confirm_password(request: HttpRequest, person: Person, password: str) -> None:
    """The signed-in person's password once more, for a signature."""
    if not password:
        raise Fault("missing", "Type your password: it is your signature.", field="password")
    confirmed = check_credentials(request, person.username, password)
    if confirmed.pk != person.pk:
        raise NotAllowed("not_allowed", "That is somebody else's password.")


def set_skills(*, actor: Person, username: str, skills: str) -> Person:
    """What somebody is qualified for, one after the other with ;. Rounds give gas work to those only who have 'gas work'."""
    require(actor, "plan the work")
    found = Person.objects.filter(username=username, is_active=True).first()
    if found is None:
        raise Missing("unknown_person", f"There is nobody called {username[:40]} here.", field="username")
    listed = list(dict.fromkeys(part.strip().casefold() for part in skills.split(";") if part.strip()))
    if sum(len(s) + 2 for s in listed) > 200:
        raise Fault("too_long", "That is more than 200 characters of qualifications.", field="skills")
    found.skills = "; ".join(listed)
    found.save(update_fields=["skills"])
    return found
