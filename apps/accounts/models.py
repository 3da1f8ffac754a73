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

    @property
    def name(self) -> str:
        """Full name as it is signed."""
        return self.get_full_name() or self.username
