"""One journal of all that happened: an append-only chain, and the digests of it that were signed."""

from __future__ import annotations

from django.db import models


class Entry(models.Model):
    """One entry, never changed. `link` is the hash of the entry before and of the content of this one.

    kind and subject: what it is about, such as a run by its id, or an item by its code. place and digest: of a run's event its number and its link; of
    a row of a register the digest of it as it stood. body: what happened, as JSON text, exactly as it was hashed.
    """

    seq = models.BigIntegerField(primary_key=True)
    at = models.CharField(max_length=27)  # UTC, as text, as it was hashed
    kind = models.CharField(max_length=20)
    subject = models.CharField(max_length=80)
    place = models.PositiveIntegerField(default=0)
    digest = models.CharField(max_length=64, blank=True)
    body = models.TextField()
    content = models.CharField(max_length=64)
    link = models.CharField(max_length=64)

    class Meta:
        ordering = ["seq"]
        indexes = [models.Index(fields=["kind", "subject", "place"])]

    def __str__(self) -> str:
        return f"{self.seq}: {self.kind} {self.subject}"


class Anchor(models.Model):
    """A signed digest of the journal's head. problem: why it did not reach every folder it is written to."""

    seq = models.BigIntegerField()  # of the last entry that it covers
    link = models.CharField(max_length=64)
    at = models.CharField(max_length=27)
    why = models.CharField(max_length=40)
    key = models.CharField(max_length=64)  # the public key, as hex
    signature = models.CharField(max_length=128)
    problem = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["seq", "pk"]
        indexes = [models.Index(fields=["seq"])]

    def __str__(self) -> str:
        return f"anchor at {self.seq}"
