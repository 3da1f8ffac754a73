"""Rounds of function checks: what is said once for many detectors, and which of them are done."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from apps.plant.models import Instrument
from apps.runs.models import Run


class CheckRound(models.Model):
    """Function checks of many detectors by one person.

    said: what holds for all of them, as texts by the name of a field: operator, permit, temperature,
    reminder, minutes and the like (`services.SAID`).
    gases: rows of bottle, regulator and line, the first that suits a detector taken for it.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True, blank=True)
    said = models.JSONField(default=dict)
    gases = models.JSONField(default=list)

    class Meta:
        ordering = ["-made_at"]


class CheckJob(models.Model):
    """One detector of a round. note: why it was passed over, or set aside with its hold; both end when it is taken up again."""

    round = models.ForeignKey(CheckRound, on_delete=models.CASCADE, related_name="jobs")
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="+")
    position = models.PositiveSmallIntegerField()
    run = models.OneToOneField(Run, on_delete=models.SET_NULL, null=True, blank=True, related_name="check_job")
    note = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["round", "position"]
        constraints = [models.UniqueConstraint(fields=["round", "instrument"], name="one_check_an_instrument")]
