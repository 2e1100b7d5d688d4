"""Write the OpenAPI file, or check that the committed one is up to date."""

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

FILE = Path(settings.ROOT) / "server" / "openapi.json"


def current() -> str:
    """The OpenAPI description of the API as it is."""
    from pravin_server.config.api import api

    return json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True) + "\n"


class Command(BaseCommand):
    help = "Write server/openapi.json (--check only compares)."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--check", action="store_true")

    def handle(self, *args: Any, **options: Any) -> None:
        if not options["check"]:
            FILE.write_text(current())
        elif not FILE.exists() or FILE.read_text() != current():
            raise CommandError("server/openapi.json is out of date. Run: server/manage.py openapi, npm run types")
