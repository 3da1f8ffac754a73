"""The first visit to an empty plant: its name, its time zone, and its first administrator."""

from __future__ import annotations

import hmac
import secrets
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from apps.accounts.access import ADMINISTRATOR
from apps.accounts.models import Person
from apps.accounts.people import take_names, tell
from apps.accounts.services import require_strong
from config.plant_file import check_zone, read_plant, write_plant
from metrology.faults import Fault, Faults

LONGEST_NAME = 60


def is_new() -> bool:
    """Whether nobody is here yet, and the plant can be set up by a visit."""
    return settings.PLANT_FILE is not None and not Person.objects.exists()


def _plant_file() -> Path:
    path: Path | None = settings.PLANT_FILE
    if path is None:
        raise Fault("not_new", "This plant gets its name from its settings; it is not set up by a visit.")
    return path


def _code_file() -> Path:
    return _plant_file().with_name("first-start-code")


def make_code() -> str:
    """The code that whoever started the server passes on, so that no stranger is first; the same until the plant is set up."""
    path = _code_file()
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(f"{secrets.randbelow(10**8):08d}")
    return path.read_text()


def set_up(data: Mapping[str, Any], now: datetime) -> Person:
    """Name, zone and first administrator, all or nothing; raises Faults naming the fields, and once somebody is there."""
    plant, zone, made = str(data.get("plant", "")).strip(), str(data.get("zone", "")), Person(role=ADMINISTRATOR)
    password = str(data.get("password", ""))
    faults = [*_wrong_with_plant(data, plant, zone), *take_names(made, data)]
    try:
        require_strong(password, made, field="password")
    except Fault as fault:
        faults.append(fault)
    if faults:
        raise Faults(faults)
    with transaction.atomic():
        if not is_new():
            raise Fault("not_new", "This plant is set up already. Sign in, or ask an administrator for a link.")
        made.set_password(password)
        made.save()
        tell(made, made, "Set the plant up as its first administrator", now)
        write_plant(_plant_file(), plant, zone)
    _go_by(plant, zone)
    _code_file().unlink(missing_ok=True)
    return made


def catch_up() -> None:
    """Take in what the plant is called where another process of the server was the one that set it up."""
    if settings.PLANT_FILE is not None and not settings.PLANT_NAME:
        plant, zone = read_plant(settings.PLANT_FILE)
        if plant:
            _go_by(plant, zone)


def _go_by(plant: str, zone: str) -> None:
    settings.PLANT_NAME, settings.PLANT_TIME_ZONE, settings.TIME_ZONE = plant, zone, zone
    timezone.get_default_timezone.cache_clear()  # type: ignore[attr-defined]


def _wrong_with_plant(data: Mapping[str, Any], plant: str, zone: str) -> list[Fault]:
    faults = []
    if not _code_file().exists() or not hmac.compare_digest(str(data.get("code", "")).strip(), make_code()):
        faults.append(Fault("wrong_code", "That is not the code which the server printed when it was started.", field="code"))
    if not 1 <= len(plant) <= LONGEST_NAME:
        faults.append(Fault("missing", f"The plant’s name has 1 to {LONGEST_NAME} characters.", field="plant"))
    try:
        check_zone(zone)
    except Fault as fault:
        faults.append(fault)
    return faults
