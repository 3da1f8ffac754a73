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

    skills = models.CharField(max_length=200, blank=True)  # what somebody is qualified for, one after the other with ;

    @property
    def skill_list(self) -> list[str]:
        """What somebody is qualified for."""
        return [s.strip() for s in self.skills.split(";") if s.strip()]

    @property
    def name(self) -> str:
        """Full name as it is signed."""
        return self.get_full_name() or self.username
