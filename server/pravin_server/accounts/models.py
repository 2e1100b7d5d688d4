"""People and their roles. Roles are Django groups."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models

ROLES = ("analyst", "approver", "viewer")


class User(AbstractUser):
    """A person. `display_name` is how they are shown to colleagues."""

    display_name = models.CharField(max_length=120, blank=True)

    @property
    def shown(self) -> str:
        return self.display_name or self.username

    @property
    def roles(self) -> list[str]:
        """The names of the person's roles, in the order of ROLES."""
        held = set(self.groups.values_list("name", flat=True))
        return [role for role in ROLES if role in held]
