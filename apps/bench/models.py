"""Devices that are read live, which process reads them, and captures that go on by themselves."""

from __future__ import annotations

import uuid
from typing import Any

from django.conf import settings
from django.db import models

PROTOCOL_WORDS = [
    ("modbus", "Modbus TCP"),
    ("scpi", "SCPI over TCP"),
    ("hart", "HART over a TCP modem"),
    ("string", "Weight string over TCP"),
]
RUNNING, DONE, STOPPED = "running", "done", "stopped"
PARAMETER, NUMBER = "parameter", "number"  # roles of signals: what an instrument holds or tells of itself on demand, and which one it is


class Device(models.Model):
    """A device, where it is reached, and the map of its signals; nothing else ties the application to it."""

    code = models.CharField(max_length=40, unique=True)
    label = models.CharField(max_length=80)
    protocol = models.CharField(max_length=12, choices=PROTOCOL_WORDS)
    host = models.CharField(max_length=120, default="127.0.0.1")
    port = models.PositiveIntegerField()
    timeout_s = models.FloatField(default=1.0)
    signals = models.JSONField(default=list)
    pace = models.JSONField(default=dict, blank=True)  # of a stimulus: seconds a unit, seconds to settle
    item = models.CharField(max_length=20, blank=True)  # code of the item of the kit that it is, such as a block

    class Meta:
        ordering = ["code"]

    def __str__(self) -> str:
        return self.code

    def signal(self, key: str) -> dict[str, Any] | None:
        """The signal of that key."""
        return next((s for s in self.signals if s["key"] == key), None)


class BenchHolder(models.Model):
    """The server process that holds the bench, where the others find it. The lock in `lease.py` decides, not this row."""

    address = models.CharField(max_length=200, blank=True)  # such as http://127.0.0.1:8000
    process = models.PositiveIntegerField()
    since = models.DateTimeField()

    def __str__(self) -> str:
        return self.address


class AutoCapture(models.Model):
    """A capture of one run's points, or a batch of several, that goes on with every page closed."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    status = models.CharField(max_length=10, default=RUNNING, choices=[(s, s) for s in (RUNNING, DONE, STOPPED)], db_index=True)
    says = models.CharField(max_length=400, blank=True)
    runs = models.JSONField(default=list)  # ids, in the order in which they were put in
    plan = models.JSONField(default=dict)  # as it was foreseen at the start
    progress = models.JSONField(default=list)  # one row a lane: what it heads for, what it waits for

    class Meta:
        ordering = ["-started_at"]
