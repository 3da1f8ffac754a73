"""People and their roles."""

from django.contrib.auth.models import AbstractUser
from django.db import models

ROLES = [
    ("technician", "Technician"),
    ("planner", "Planner"),
    ("reviewer", "Reviewer"),
    ("administrator", "Administrator"),
]


class Person(AbstractUser):
    """Somebody who signs in. The role decides what they may do; see policy.py."""

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
