"""Files on their way into the smaller registers: areas, kit, people, and certificates as data."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models

from config.kept_json import KeptJSON


class Intake(models.Model):
    """A file, previewed, written, and perhaps taken back.

    kind: the register, see registers.py. rows: [{"number", "key", "fate", "cells", "understood", "faults", "changes", "before", "note"}].
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    kind = models.CharField(max_length=30)
    name = models.CharField(max_length=200)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    status = models.CharField(max_length=12, default="ready")  # ready, written, undone
    says = models.CharField(max_length=600, blank=True)
    rows = KeptJSON(default=list)
    data = models.BinaryField(blank=True)  # of a certificate, which is attached once it is written

    class Meta:
        ordering = ["-at"]
