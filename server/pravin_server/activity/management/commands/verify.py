"""Look at the whole record of activity; the exit code is 1 when it was tampered with."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError

from pravin_server.activity.services import verify


class Command(BaseCommand):
    help = "Whether anything in the record of activity was changed, taken away or put in."

    def handle(self, *args: Any, **options: Any) -> None:
        builder = verify()
        if builder.broken is not None:
            raise CommandError(f"The record is broken at entry {builder.broken}: {builder.why}.")
        self.stdout.write(
            f"{builder.entries:,} entries, each follows the one before. The newest: {builder.newest or 'none'}"
        )
