"""People and their roles. Roles are Django groups."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models

ROLES = ("analyst", "approver", "viewer", "administrator")


class User(AbstractUser):
    """A person. `display_name` is how they are shown to colleagues."""

    display_name = models.CharField(max_length=120, blank=True)

    @property
    def shown(self) -> str:
        return self.display_name or self.username

    @property
    def roles(self) -> list[str]:
        """The names of the person's roles, in the order of ROLES."""
        known: list[str] | None = self.__dict__.get("role_names")  # of the person of a session, read with them
        kept = set(self.groups.values_list("name", flat=True) if known is None else known)
        return [role for role in ROLES if role in kept]


class ApiToken(models.Model):
    """Lets a program act for a person, until a day. Only a digest of the token is kept; its first letters tell tokens
    apart. With the rights "read" nothing can be changed with it.
    """

    class Rights(models.TextChoices):
        READ = "read"
        WORK = "work"

    user = models.ForeignKey(User, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=120)
    begins = models.CharField(max_length=12)
    digest = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(auto_now_add=True)
    last_used = models.DateTimeField(null=True)
    rights = models.CharField(max_length=4, choices=Rights.choices, default=Rights.WORK)
    ends = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]


class Invitation(models.Model):
    """A one-time address: to become the first administrator (`user` is nobody), to join, or to choose a new password.
    Only a digest of its text is kept.
    """

    class Purpose(models.TextChoices):
        FIRST = "first"
        JOIN = "join"
        RESET = "reset"

    user = models.ForeignKey(User, null=True, on_delete=models.CASCADE, related_name="invitations")
    purpose = models.CharField(max_length=5, choices=Purpose.choices)
    digest = models.CharField(max_length=64, unique=True)
    ends = models.DateTimeField()
    used = models.DateTimeField(null=True)
