"""Create the demo people and the password of the read-only database role, once."""

import json
import secrets
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import connection
from psycopg import sql

from pravin_server.accounts.models import User
from pravin_server.accounts.services import make_user
from pravin_server.releases.tables import READER

PEOPLE = (
    ("marlo", "I. Marlo", ["analyst"]),
    ("tessen", "R. Tessen", ["analyst", "approver"]),
    ("viewer", "P. Viewer", ["viewer"]),
)


class Command(BaseCommand):
    help = "Create the demo people and give the read-only database role a password."

    def handle(self, *args: Any, **options: Any) -> None:
        for username, name, roles in PEOPLE:
            if not User.objects.filter(username=username).exists():
                make_user(username, f"merrow-{username}", name, roles)
        file = settings.VAR / "reader.json"
        with connection.cursor() as cursor:
            cursor.execute("SELECT rolcanlogin FROM pg_roles WHERE rolname = %s", [READER])
            ready = cursor.fetchone() == (True,)
        if not file.exists() or not ready:
            password = secrets.token_urlsafe(18)
            with connection.cursor() as cursor:
                role = sql.Identifier(READER)
                cursor.execute(sql.SQL("ALTER ROLE {} LOGIN PASSWORD {}").format(role, sql.Literal(password)))
            file.touch(mode=0o600)
            where = {"host": "127.0.0.1", "database": settings.DATABASES["default"]["NAME"], "user": READER}
            file.write_text(json.dumps({**where, "password": password}))
