"""What a plant is called and in which time zone it lies: kept in a small file beside its database, written once by the first visit."""

from __future__ import annotations

import json
from pathlib import Path
from zoneinfo import available_timezones

from metrology.faults import Fault


def read_plant(path: Path) -> tuple[str, str]:
    """Name and zone; both empty where nothing was written yet."""
    if not path.exists():
        return "", ""
    held = json.loads(path.read_text())
    return str(held["name"]), str(held["zone"])


def write_plant(path: Path, name: str, zone: str) -> None:
    """Keep name and zone, readable by the server alone."""
    part = path.with_suffix(".part")
    part.write_text(json.dumps({"name": name, "zone": zone}))
    part.chmod(0o600)
    part.replace(path)


def check_zone(zone: str) -> str:
    """The zone, or a Fault where there is none of that name."""
    if zone not in available_timezones():
        raise Fault("unknown_zone", f"There is no time zone '{zone[:40]}'. Choose one like Europe/Lisbon.", field="zone")
    return zone
