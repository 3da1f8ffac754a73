"""Signing in, and proving who one is once more at a signature."""

from __future__ import annotations

from axes.exceptions import AxesBackendPermissionDenied
from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate
from django.contrib.auth.password_validation import password_validators_help_texts, validate_password
from django.core.exceptions import ValidationError
from django.http import HttpRequest

from apps.accounts.models import Person
from apps.accounts.second_factor import check_code
from apps.accounts.throttle import is_address_worn_out
from config.failures import NotAllowed
from metrology.faults import Fault

LOCKED_OUT = Fault(
    "locked_out", "Too many wrong passwords. Wait a quarter of an hour, or ask an administrator. What was entered before is kept."
)


def check_credentials(request: HttpRequest, username: str, password: str, code: str = "") -> Person:
    """The person behind a name and password, and the code of their device where signatures take one; throttled. Raises a Fault otherwise."""
    person = check_password(request, username, password)
    check_code(request, person, code, signs=True)
    return person


def check_password(request: HttpRequest, username: str, password: str) -> Person:
    """The person behind a name and password; throttled. Raises a Fault otherwise."""
    try:
        if is_address_worn_out(request, username) or not AxesProxyHandler.is_allowed(request, {"username": username}):
            raise LOCKED_OUT
        person = authenticate(request, username=username, password=password)
    except AxesBackendPermissionDenied:
        raise LOCKED_OUT from None
    if not isinstance(person, Person):
        raise Fault("wrong_password", "Name or password is wrong. Nothing was lost; type it again.", field="password")
    return person


def require_strong(password: str, person: Person, *, field: str = "new") -> None:
    """Raise a Fault where a password is too weak for somebody."""
    try:
        validate_password(password, person)
    except ValidationError as error:
        raise Fault("weak_password", " ".join(error.messages), field=field) from None


def password_rule() -> str:
    """What makes a password strong enough, in words."""
    return " ".join(password_validators_help_texts())


def confirm_password(request: HttpRequest, person: Person, password: str, code: str = "", *, signs: bool = True) -> None:
    """The signed-in person's password once more, for a signature; with a code of their device where the plant wants that."""
    if not password:
        raise Fault("missing", "Type your password: it is your signature.", field="password")
    confirmed = check_credentials(request, person.username, password, code) if signs else check_password(request, person.username, password)
    if confirmed.pk != person.pk:
        raise NotAllowed("not_allowed", "That is somebody else's password.")
