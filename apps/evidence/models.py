"""What became of the evidence: when it was looked through and what that came to, and the backups that were made."""

from __future__ import annotations

from django.db import models


class LookThrough(models.Model):
    """What looking the whole journal through came to; done and total while it goes on."""

    began_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    done = models.BigIntegerField(default=0)
    total = models.BigIntegerField(default=0)
    findings = models.JSONField(default=list)  # sentences, the first wrong thing first

    class Meta:
        ordering = ["-began_at"]

    def __str__(self) -> str:
        return f"looked through {self.began_at:%Y-%m-%d %H:%M}"


class Backup(models.Model):
    """A backup that was made, or tried."""

    at = models.DateTimeField()
    name = models.CharField(max_length=200, blank=True)
    size = models.BigIntegerField(default=0)
    seq = models.BigIntegerField(default=0)  # the last entry of the journal in it
    is_encrypted = models.BooleanField(default=False)
    problem = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return self.name or f"no backup at {self.at:%Y-%m-%d %H:%M}"
