"""Runs as append-only events, and the tables projected from them for lists and searches."""

from __future__ import annotations

import uuid

from django.conf import settings
from django.db import models
from django.db.models import Q

from apps.plant.models import Instrument
from config.kept_json import KeptJSON
from metrology.run.events import GENESIS

STATUSES = [(s, s.capitalize()) for s in ("open", "returned", "signed", "accepted", "voided")]
OPEN = ("open", "returned")


class Run(models.Model):
    """A run, of an instrument or of an item of the kit. Everything below `events_count` is projected from its events and can be rebuilt."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    number = models.PositiveIntegerField(unique=True)
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, null=True, related_name="runs")
    item = models.CharField(max_length=20, blank=True)  # code of the reference it is about, where that is no instrument
    events_count = models.PositiveIntegerField(default=0)
    head = models.CharField(max_length=64, default=GENESIS)
    method = models.CharField(max_length=40)
    revision = models.CharField(max_length=12)
    technician = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="runs")
    status = models.CharField(max_length=12, choices=STATUSES, default="open")
    started_at = models.DateTimeField()
    signed_at = models.DateTimeField(null=True, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)
    closed = models.FloatField(default=0.0)
    at_step = models.CharField(max_length=60, blank=True)
    found_verdict = models.CharField(max_length=10, blank=True)
    left_verdict = models.CharField(max_length=10, blank=True)
    found_error = models.FloatField(null=True, blank=True)
    left_error = models.FloatField(null=True, blank=True)
    stand_in = models.CharField(max_length=400, blank=True)  # what watches while it was left in service outside its limits
    decision = models.CharField(max_length=20, blank=True)
    found_share = models.FloatField(null=True, blank=True)  # signed largest error, % of tolerance
    left_share = models.FloatField(null=True, blank=True)
    exchanged = models.BooleanField(default=False)  # another one was put in its place: its as-left set is of that one
    adjusted = models.BooleanField(default=False)  # something was set in it

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["instrument"], condition=Q(status__in=OPEN), name="one_open_run_per_instrument"),
            models.UniqueConstraint(fields=["item"], condition=Q(status__in=OPEN) & ~Q(item=""), name="one_open_run_per_item"),
            models.CheckConstraint(condition=Q(instrument=None) ^ Q(item=""), name="a_run_has_one_subject"),
        ]
        indexes = [
            models.Index(fields=["status", "-signed_at"]),
            models.Index(fields=["instrument", "-started_at"]),
            models.Index(fields=["-signed_at", "-number"]),
            models.Index(fields=["item", "-started_at"]),
        ]

    def __str__(self) -> str:
        return self.label

    @property
    def label(self) -> str:
        """The number people quote: VL-000042."""
        return f"VL-{self.number:06d}"

    @property
    def tag(self) -> str:
        """What it is about: the instrument's tag, or the item's code."""
        return self.instrument.tag if self.instrument else self.item


class RunEvent(models.Model):
    """One event, never changed. `link` is its hash, `previous` that of the one before."""

    run = models.ForeignKey(Run, on_delete=models.PROTECT, related_name="events")
    seq = models.PositiveIntegerField()
    event_id = models.UUIDField(unique=True)
    type = models.CharField(max_length=24)
    payload = KeptJSON()
    author = models.CharField(max_length=150)
    author_name = models.CharField(max_length=150)
    at = models.DateTimeField()
    device_at = models.DateTimeField(null=True, blank=True)
    previous = models.CharField(max_length=64)
    link = models.CharField(max_length=64)
    asked = models.CharField(
        max_length=64, blank=True
    )  # hash of what a client sent for it, to tell a repeat from another event of its number

    class Meta:
        ordering = ["run", "seq"]
        constraints = [models.UniqueConstraint(fields=["run", "seq"], name="one_event_per_place")]


class Hold(models.Model):
    """A hold as projected from its run, for the strip on every page."""

    event_id = models.UUIDField(unique=True)
    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="holds")
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="holds")
    kind = models.CharField(max_length=30)
    reason = models.CharField(max_length=2000)
    placed_at = models.DateTimeField()
    placed_by = models.CharField(max_length=150)
    until = models.DateTimeField()
    released_at = models.DateTimeField(null=True, blank=True)
    holder = models.CharField(max_length=150, blank=True)
    holder_name = models.CharField(max_length=150, blank=True)
    agreement = models.CharField(max_length=2000, blank=True)
    approval = models.CharField(max_length=2000, blank=True)
    extended = models.JSONField(default=list)  # sentences: by whom, when, why
    note = models.CharField(max_length=2000, blank=True)
    offered_to = models.CharField(max_length=150, blank=True)
    offered_name = models.CharField(max_length=150, blank=True)
    is_own = models.BooleanField(default=False)  # of a step of its own, such as a lock-out under which hands are at work

    class Meta:
        indexes = [models.Index(fields=["released_at", "until"])]


class Duty(models.Model):
    """Work that a run left to be done soon, such as a second zero; open until it is done or excused. What was seen then is not part of the record.

    fields: what is asked, as the method's step had it; values: what was seen.
    """

    OUTCOMES = [("done", "Done"), ("excused", "Excused")]

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    run = models.ForeignKey(Run, on_delete=models.PROTECT, related_name="duties")
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="duties")
    key = models.CharField(max_length=40)
    title = models.CharField(max_length=80)
    instruction = models.CharField(max_length=400)
    fields = models.JSONField(default=list)
    opened_at = models.DateTimeField()
    opened_by = models.CharField(max_length=150)
    due_at = models.DateTimeField()
    outcome = models.CharField(max_length=10, choices=OUTCOMES, blank=True)
    closed_at = models.DateTimeField(null=True, blank=True)
    closed_by = models.CharField(max_length=150, blank=True)
    values = models.JSONField(default=dict)
    reason = models.CharField(max_length=2000, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "key"], name="one_duty_of_a_kind_per_run")]
        indexes = [models.Index(fields=["outcome", "due_at"])]


class Validity(models.Model):
    """Until when a calibration stands for samples. vouched: U of each component, frozen when the run was signed."""

    run = models.OneToOneField(Run, on_delete=models.PROTECT, related_name="validity")
    instrument = models.ForeignKey(Instrument, on_delete=models.PROTECT, related_name="validities")
    since = models.DateTimeField()
    until = models.DateTimeField()
    vouched = models.JSONField(default=list)
    ended_at = models.DateTimeField(null=True, blank=True)
    ended_by = models.CharField(max_length=150, blank=True)
    why = models.CharField(max_length=2000, blank=True)

    class Meta:
        indexes = [models.Index(fields=["instrument", "-since"])]


class Sample(models.Model):
    """A sample and its results, each with its U, against the calibration that held when it was entered."""

    validity = models.ForeignKey(Validity, on_delete=models.PROTECT, related_name="samples")
    at = models.DateTimeField()
    by = models.CharField(max_length=150)
    name = models.CharField(max_length=2000)
    results = models.JSONField(default=list)


class KitUse(models.Model):
    """How much of a kit item a run took so far: litres of a bottle, portions of a buffer."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="uses")
    item = models.CharField(max_length=20, db_index=True)
    kind = models.CharField(max_length=20)
    amount = models.FloatField()
    unit = models.CharField(max_length=12)


class Result(models.Model):
    """A value that is followed from run to run, as projected from its run: of a reading (kind reading) or of a set (kind set).

    name says which: the ratio of an exposure, a slope, a zero. item: what it was read against; life: which worn part, by its serial.
    more: what else its kind keeps, such as T90 and sensitivity of an exposure, or the limits a value is heading for.
    """

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="results")
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, null=True, related_name="results")
    kind = models.CharField(max_length=10)
    name = models.CharField(max_length=40)
    channel = models.CharField(max_length=40, blank=True)
    phase = models.CharField(max_length=12)
    at = models.DateTimeField()
    value = models.FloatField(null=True)
    unit = models.CharField(max_length=20, blank=True)
    item = models.CharField(max_length=20, blank=True)
    life = models.CharField(max_length=60, blank=True)
    more = models.JSONField(default=dict)

    class Meta:
        indexes = [models.Index(fields=["instrument", "name", "at"]), models.Index(fields=["item", "at"])]
