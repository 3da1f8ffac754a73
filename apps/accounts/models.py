"""People and their roles."""

from __future__ import annotations

from typing import Any, ClassVar

from django.contrib.auth.models import AbstractUser, UserManager
from django.db import models

ROLES = [
    ("technician", "Technician"),
    ("planner", "Planner"),
    ("reviewer", "Reviewer"),
    ("administrator", "Administrator"),
]


class People(UserManager["Person"]):
    """Whoever is made on the command line to look after everything is an administrator here too."""

    def create_superuser(self, username: str, email: str | None = None, password: str | None = None, **more: Any) -> Person:
        """Django's own, with the role that belongs to it."""
        return super().create_superuser(username, email, password, **{"role": "administrator", **more})


class Person(AbstractUser):
    """Somebody who signs in. The role decides what they may do; see policy.py."""

    objects: ClassVar[People] = People()

    role = models.CharField(max_length=20, choices=ROLES, default="technician")

    @property
    def name(self) -> str:
        """Full name as it is signed."""
        return self.get_full_name() or self.username


class Qualification(models.Model):
    """What somebody may do, until when, and what shows it. One that was renewed or taken away stays, with why it ended."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="qualifications")
    name = models.CharField(max_length=60)  # folded, as the work names it
    until = models.DateField(null=True, blank=True)  # the last day it counts; none: it does not end by itself
    proof = models.CharField(max_length=120, blank=True)  # number of its certificate, where it is filed
    given_at = models.DateTimeField()
    given_by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    ended_at = models.DateTimeField(null=True, blank=True)
    ended_by = models.ForeignKey(Person, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    why = models.CharField(max_length=300, blank=True)  # it ended

    class Meta:
        ordering = ["name", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["person", "name"], condition=models.Q(ended_at=None), name="one_qualification_of_a_kind"),
        ]

    def __str__(self) -> str:
        return f"{self.person.username}: {self.name}"


class EntryLink(models.Model):
    """A link by which somebody sets their password, once. Only a hash of its secret is kept."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="links")
    secret = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    until = models.DateTimeField()
    used_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"link of {self.person.username}"


class SecondFactor(models.Model):
    """A device of somebody's own that shows one-time codes. It counts once it was confirmed; a step of time is used once."""

    person = models.OneToOneField(Person, on_delete=models.CASCADE, related_name="second_factor")
    secret = models.CharField(max_length=64)  # base 32, RFC 6238; the journal does not hold it
    made_at = models.DateTimeField()
    confirmed_at = models.DateTimeField(null=True, blank=True)
    last_step = models.BigIntegerField(default=0)

    def __str__(self) -> str:
        return f"device of {self.person.username}"


class PersonChange(models.Model):
    """What was done with somebody's access: by whom, when and why."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="changes")
    at = models.DateTimeField()
    by = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    what = models.CharField(max_length=120)
    reason = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["-at", "-pk"]

    def __str__(self) -> str:
        return f"{self.person.username}: {self.what}"
