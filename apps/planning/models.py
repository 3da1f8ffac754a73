"""Planning: private calendar links, and rounds with their jobs."""

from __future__ import annotations

import uuid
from datetime import date, timedelta

from django.conf import settings
from django.db import models

from apps.plant.models import Area, Instrument


class Feed(models.Model):
    """A private calendar link of a person: their own rounds, somebody else's, or what is due in an area. Whoever has the link can read it."""

    token = models.CharField(max_length=64, unique=True)  # a hash of the secret in the link (SHA-256); the secret is told once
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="feeds")
    area = models.ForeignKey(Area, on_delete=models.CASCADE, null=True, blank=True, related_name="+")
    person = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True, blank=True, related_name="+"
    )  # somebody else's rounds
    made_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-made_at"]


def monday(day: date) -> date:
    """The Monday of a day's week."""
    return day - timedelta(days=day.weekday())


class PlannedWeek(models.Model):
    """The week for which a job was planned; it holds while the instrument is due on the day that it was due on then."""

    instrument = models.OneToOneField(Instrument, on_delete=models.CASCADE, related_name="planned_week")
    week = models.DateField()
    due_on = models.DateField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()

    def standing(self, next_due: date | None, today: date) -> date | None:
        """Its week while it holds: the instrument is due on the day that it was due on then, and the week is not over."""
        return self.week if self.due_on == next_due and self.week >= monday(today) else None


class Round(models.Model):
    """A day's work of some people. crew, permits, plan and told are as the solver takes and gives them; minutes count from midnight."""

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    name = models.CharField(max_length=80)
    day = models.DateField()
    status = models.CharField(max_length=10, default="draft")  # draft, solving, planned, under way, closed
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    crew = models.JSONField(default=list)  # [{"username", "name", "start", "end", "lunch", "skills"}]
    areas = models.JSONField(default=list)  # codes; empty: the whole plant
    permits = models.JSONField(default=dict)  # area code -> [from, until]
    result = models.JSONField(default=dict)  # value, bound, gap, seconds, said, saved, load, clash
    taken_out = models.JSONField(default=list)  # [{"tag", "by", "at", "why", "begun"}]
    stop_asked = models.BooleanField(default=False)

    class Meta:
        ordering = ["-day", "name"]


class RoundJob(models.Model):
    """One instrument in a round. tasks: [{"kind", "start", "end", "people"}]; an empty list means it was left out, with the reason."""

    round = models.ForeignKey(Round, on_delete=models.CASCADE, related_name="jobs")
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="round_jobs")
    is_must = models.BooleanField(default=False)
    is_locked = models.BooleanField(default=False)  # its person and start stay at a re-plan
    tasks = models.JSONField(default=list)
    kit = models.JSONField(default=list)  # codes
    why_left = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["round", "id"]
        constraints = [models.UniqueConstraint(fields=["round", "instrument"], name="one_job_an_instrument")]
