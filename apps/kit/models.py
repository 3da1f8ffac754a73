"""Reference standards with what their certificates claim."""

from __future__ import annotations

from django.db import models

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
