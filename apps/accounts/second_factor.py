"""One-time codes of a device of one's own (TOTP, RFC 6238: six digits, 30 s), beside the password."""

from __future__ import annotations

from datetime import datetime, timedelta

import pyotp
import segno
from django.conf import settings
from django.contrib.auth.signals import user_login_failed
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from apps.accounts.models import Person, SecondFactor
from apps.accounts.outside import ADMINISTRATION, SIGNING, is_code_wanted
from apps.accounts.people import tell
from apps.accounts.policy import require
from config.reasons import require_reason
from metrology.faults import Fault

STEP_S = 30
DRIFT = 1  # steps that a device's clock may be off, either way (RFC 6238 5.2)
BEGIN_WITHIN = timedelta(minutes=15)

WRONG = "That is not the code which your device shows now. See that its clock is right; a code counts once and for half a minute."
NONE_YET = "This plant asks for a one-time code at each signature. Set up your device under your name, above, then sign; what you typed stays here."
WANTED = "Type the six digits that your device shows."


def factor_of(person: Person) -> SecondFactor | None:
    """The device somebody has set up; None where there is none, or it was not confirmed."""
    return SecondFactor.objects.filter(person=person).exclude(confirmed_at=None).first()


def takes(factor: SecondFactor, code: str, now: datetime) -> bool:
    """Whether a code is one of now; it is spent with that."""
    plain = "".join(code.split())
    totp, step = pyotp.TOTP(factor.secret, interval=STEP_S), int(now.timestamp()) // STEP_S
    for at in range(step - DRIFT, step + DRIFT + 1):
        if pyotp.utils.strings_equal(totp.generate_otp(at), plain):
            return SecondFactor.objects.filter(pk=factor.pk, last_step__lt=at).update(last_step=at) == 1
    return False


def check_code(request: HttpRequest, person: Person, code: str, *, signs: bool) -> bool:
    """The code beside a password that was right: for a signature where the plant wants one, at the door from whoever has a device. Whether one was proved.

    A wrong one counts as a wrong password.
    """
    factor = factor_of(person)
    if signs and not is_code_wanted(SIGNING):
        return False
    if factor is None:
        if signs:
            raise Fault("no_factor", NONE_YET, field="one_time")
        return False
    prove(request, factor, code)
    return True


def prove(request: HttpRequest, factor: SecondFactor, code: str) -> None:
    """Raise a Fault unless the code is the one of now."""
    if not code.strip():
        raise Fault("code_wanted", WANTED, field="one_time")
    if not takes(factor, code, timezone.now()):
        user_login_failed.send(sender=__name__, request=request, credentials={"username": factor.person.username})
        raise Fault("wrong_code", WRONG, field="one_time")


@transaction.atomic
def begin(person: Person, now: datetime) -> dict[str, str]:
    """A new secret for a device, as text and as a picture to be scanned; nothing counts before `confirm`."""
    if factor_of(person) is not None:
        raise Fault("exists", "Your device is set up already. Take it off first; then set up the new one.")
    made, _ = SecondFactor.objects.update_or_create(
        person=person, defaults={"secret": pyotp.random_base32(), "made_at": now, "confirmed_at": None, "last_step": 0}
    )
    uri = pyotp.TOTP(made.secret, interval=STEP_S).provisioning_uri(name=person.username, issuer_name=settings.PLANT_NAME or "Verify Loop")
    return {"secret": made.secret, "picture": segno.make(uri, error="m").svg_data_uri(scale=5, border=2)}


@transaction.atomic
def confirm(person: Person, code: str, now: datetime) -> None:
    """The device shows the right code: it counts from now on."""
    factor = SecondFactor.objects.filter(person=person, confirmed_at=None).first()
    if factor is None or now - factor.made_at > BEGIN_WITHIN:
        raise Fault("too_late", "That took more than a quarter of an hour, or was done already. Begin anew.", field="one_time")
    if not code.strip() or not takes(factor, code, now):
        raise Fault("wrong_code", WRONG, field="one_time")
    SecondFactor.objects.filter(pk=factor.pk).update(confirmed_at=now)
    tell(person, person, "Device for one-time codes set up", now)


@transaction.atomic
def take_off(person: Person, *, by: Person, reason: str, now: datetime) -> None:
    """The device no longer counts: lost, or replaced. by: oneself, or whoever looks after people."""
    if by.pk != person.pk:
        require(by, "look after people")
    why = require_reason(reason)
    gone, _ = SecondFactor.objects.filter(person=person).delete()
    if not gone:
        raise Fault("nothing_changed", f"{person.name} has no device for one-time codes.", field="username")
    tell(person, by, "Device for one-time codes taken off", now, why)


def is_missing(person: Person) -> bool:
    """Whether the plant wants a code of this person, who has no device yet."""
    wanted = is_code_wanted(SIGNING) or (person.role == "administrator" and is_code_wanted(ADMINISTRATION))
    return wanted and factor_of(person) is None
