"""Who a session belongs to: the person together with their roles, in one query."""

from __future__ import annotations

from django.contrib.auth.backends import ModelBackend
from django.contrib.postgres.aggregates import ArrayAgg
from django.db.models import Q

from pravin_server.accounts.models import User


class WithRoles(ModelBackend):
    """Passwords as Django checks them; the person of a session comes with the names of their roles."""

    def get_user(self, user_id: int) -> User | None:
        """The person of a session; None when there is nobody, or they were disabled."""
        names = ArrayAgg("groups__name", filter=Q(groups__isnull=False), default=[])
        user = User.objects.annotate(role_names=names).filter(pk=user_id).first()
        return user if user is not None and self.user_can_authenticate(user) else None
