"""Reference standards with what their certificates claim."""

from __future__ import annotations

from typing import Any

from django.db import models

from metrology.judgement.gas_kit import Bottle, BottleGas, Fitting
from metrology.judgement.reference import ReferenceStandard

STATES = [("in service", "In service"), ("quarantined", "Quarantined"), ("retired", "Retired")]


class Reference(models.Model):
    """A reference standard; its uncertainty is u_absolute + % of reading + % of span, expanded with k."""

    code = models.CharField(max_length=20, unique=True)
    name = models.CharField(max_length=80)
    serial = models.CharField(max_length=40)
    unit = models.CharField(max_length=20)
    low = models.FloatField()
    high = models.FloatField()
    u_absolute = models.FloatField(default=0.0)
    u_percent_reading = models.FloatField(default=0.0)
    u_percent_span = models.FloatField(default=0.0)
    k = models.FloatField(default=2.0)
    resolution = models.FloatField(default=0.0)
    drift_per_year = models.FloatField(default=0.0)  # how far it may move in a year, in its unit
    gradient = models.FloatField(default=0.0)  # of a block or bath, between probe and unit, in its unit
    certificate = models.CharField(max_length=40)
    laboratory = models.CharField(max_length=80)
    traceability = models.CharField(max_length=160)
    calibrated_on = models.DateField()
    due_on = models.DateField()
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def standard(self) -> ReferenceStandard:
        """The reference as the core has it."""
        return ReferenceStandard(
            code=self.code,
            name=self.name,
            serial=self.serial,
            unit=self.unit,
            low=self.low,
            high=self.high,
            u_absolute=self.u_absolute,
            u_percent_reading=self.u_percent_reading,
            u_percent_span=self.u_percent_span,
            k=self.k,
            resolution=self.resolution,
            certificate=self.certificate,
            laboratory=self.laboratory,
            traceability=self.traceability,
            calibrated_on=self.calibrated_on.isoformat(),
            due_on=self.due_on.isoformat(),
            state=self.state,
            drift_per_year=self.drift_per_year,
            gradient=self.gradient,
        )


class GasBottle(models.Model):
    """A gas bottle. gases: rows of gas, value, unit, u_percent and basis; litres at atmospheric pressure when it was full."""

    code = models.CharField(max_length=20, unique=True)
    name = models.CharField(max_length=80)
    gases = models.JSONField(default=list)
    balance = models.CharField(max_length=40)
    oxygen = models.FloatField(default=0.0)
    is_humid = models.BooleanField(default=False)
    litres = models.FloatField()
    litres_drawn = models.FloatField(default=0.0)  # taken out before its use was recorded here
    expires_on = models.DateField(null=True, blank=True)
    certificate = models.CharField(max_length=40, blank=True)
    laboratory = models.CharField(max_length=80, blank=True)
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def bottle(self, *, litres_left: float) -> Bottle:
        """The bottle as the core has it."""
        return Bottle(
            code=self.code,
            name=self.name,
            gases=tuple(BottleGas(**g) for g in self.gases),
            balance=self.balance,
            oxygen=self.oxygen,
            litres_left=litres_left,
            expires_on=self.expires_on.isoformat() if self.expires_on else "",
            certificate=self.certificate,
            laboratory=self.laboratory,
            state=self.state,
            is_humid=self.is_humid,
        )


class GasFitting(models.Model):
    """A regulator or a line between bottle and detector."""

    code = models.CharField(max_length=20, unique=True)
    kind = models.CharField(max_length=12, choices=[("regulator", "Regulator"), ("line", "Line")])
    material = models.CharField(max_length=40)
    flow_l_min = models.FloatField(default=0.0)
    length_m = models.FloatField(default=0.0)
    is_conditioned = models.BooleanField(default=False)
    state = models.CharField(max_length=20, choices=STATES, default="in service")

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def fitting(self) -> Fitting:
        """The fitting as the core has it."""
        names: dict[str, Any] = {n: getattr(self, n) for n in Fitting.__dataclass_fields__}
        return Fitting(**names)
