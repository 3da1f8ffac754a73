"""The year ahead: the hours that are there each week."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class WeekHours(models.Model):
    """Hours there for this work in the week that begins on a Monday; those of a usual week where none is named."""

    week = models.DateField(null=True, blank=True, unique=True)
    hours = models.FloatField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
