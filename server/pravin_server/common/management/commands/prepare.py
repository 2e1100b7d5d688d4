"""Everything a start needs from Django, in one process: tables, static files, the role of readers."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Migrate, collect static files, give the role of readers its password."

    def handle(self, *args: Any, **options: Any) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        call_command("collectstatic", verbosity=0, interactive=False, ignore_patterns=["*.map", "redoc*"])
        call_command("reader")
