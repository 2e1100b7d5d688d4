"""Give the read-only database role a password, once."""

import json
import secrets
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import connection
from psycopg import sql

from pravin_server.releases.tables import READER


class Command(BaseCommand):
    help = "Give the read-only database role a password."

    def handle(self, *args: Any, **options: Any) -> None:
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
