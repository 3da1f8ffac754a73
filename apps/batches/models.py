"""Batches of temperature sensors: who stands in which well beside which probe, and what was said once for all of them."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from apps.plant.models import Instrument
from apps.runs.models import Run


class Batch(models.Model):
    """Sensors in blocks at a time, by one person. said: what holds for all, as texts by the name of a field (`services.SAID`)."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True, blank=True)
    said = models.JSONField(default=dict)

    class Meta:
        ordering = ["-made_at"]


class BatchSensor(models.Model):
    """One sensor of a batch. serial: as it was read from the plate. block, probe, readout: codes of the kit.

    note: why it stopped on its way, empty once it goes on.
    """

    batch = models.ForeignKey(Batch, on_delete=models.CASCADE, related_name="sensors")
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="+")
    position = models.PositiveSmallIntegerField()
    serial = models.CharField(max_length=80)
    block = models.CharField(max_length=20)
    well = models.PositiveSmallIntegerField()
    probe = models.CharField(max_length=20)
    readout = models.CharField(max_length=20)
    run = models.OneToOneField(Run, on_delete=models.SET_NULL, null=True, blank=True, related_name="batch_sensor")
    note = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["batch", "position"]
        constraints = [models.UniqueConstraint(fields=["batch", "instrument"], name="one_well_a_sensor")]
