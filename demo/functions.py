"""Safety functions of the demonstration plant, put in before its history is played, so that its calibrations prove them."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.utils import timezone

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.safety.models import FunctionChange, FunctionMember, SafetyFunction
from metrology.methods.setup import RISING

COMMISSIONED_DAYS = 800
FUNCTIONS = [
    {
        "code": "SIF-110", "name": "Intake header over-pressure", "level": 1, "voting": "1oo2", "proof_days": 365, "coverage_percent": 85,
        "prevents": "Burst of the intake header into the pump pit", "rate_per_hour": 6e-7, "beta_percent": 5, "other": 4e-3,
        "source": "Safety requirements MB-SRS-110, rev. 2",
    },
    {
        "code": "SIF-201", "name": "Membrane over-pressure, train A", "level": 2, "voting": "1oo1", "proof_days": 365, "coverage_percent": 95,
        "prevents": "Membrane housing bursts beside people", "life_years": 15, "rate_per_hour": 3e-7, "beta_percent": 0, "other": 3e-3,
        "source": "Safety requirements MB-SRS-201, rev. 4",
    },
    {
        "code": "SIF-202", "name": "Membrane over-pressure, train B", "level": 2, "voting": "1oo1", "proof_days": 120, "coverage_percent": 95,
        "prevents": "Membrane housing bursts beside people", "life_years": 15, "rate_per_hour": 3e-7, "beta_percent": 0, "other": 3e-3,
        "source": "Safety requirements MB-SRS-201, rev. 4",
    },
]  # fmt: skip
MEMBERS = [
    ("SIF-110", "PT-1101", 520.0, 2.0),
    ("SIF-110", "PT-1102", 520.0, 2.0),
    ("SIF-201", "PT-2101", 72.0, 0.4),
    ("SIF-202", "PT-2102", 72.0, 0.4),
]


def put_in_functions(now: datetime, by: Person) -> None:
    """The functions with their members, as commissioned."""
    at = now - timedelta(days=COMMISSIONED_DAYS)
    for row in FUNCTIONS:
        made = SafetyFunction.objects.create(**row)
        FunctionChange.objects.create(function=made, at=at, by=by, reason="Added at commissioning")
    for code, tag, trip, within in MEMBERS:
        FunctionMember.objects.create(
            function=SafetyFunction.objects.get(code=code), instrument=Instrument.objects.get(tag=tag), trip=trip, within=within, direction=RISING,
            since=timezone.localdate(at),
        )  # fmt: skip
