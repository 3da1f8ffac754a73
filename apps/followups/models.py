"""Follow-ups: what is asked about an instrument that was found outside its limits, until another person closes it."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from apps.runs.models import Run


class FollowUp(models.Model):
    """Of one run. ended: why it ended by itself, such as a record that was voided."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    run = models.OneToOneField(Run, on_delete=models.PROTECT, related_name="follow_up")
    opened_at = models.DateTimeField()
    estimate = models.CharField(max_length=500)
    impact = models.TextField(blank=True)
    told = models.TextField(blank=True)
    cause = models.TextField(blank=True)
    action = models.TextField(blank=True)
    version = models.PositiveIntegerField(default=0)
    closed_at = models.DateTimeField(null=True, blank=True)
    closed_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    closing_note = models.CharField(max_length=400, blank=True)
    ended = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["opened_at"]
        indexes = [models.Index(fields=["closed_at", "opened_at"])]

    def __str__(self) -> str:
        return f"follow-up of {self.run.label}"


class FollowUpChange(models.Model):
    """Who wrote what, when."""

    follow_up = models.ForeignKey(FollowUp, on_delete=models.CASCADE, related_name="changes")
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    values = models.JSONField(default=dict)  # field to [old, new]

    class Meta:
        ordering = ["at", "pk"]
