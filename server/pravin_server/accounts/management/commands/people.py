"""People from the command line: list, add, roles, disable, enable, reset, first; and the demo's people."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from pravin_server.accounts import people
from pravin_server.accounts.models import ROLES, User
from pravin_server.accounts.services import THIS_MACHINE, make_user
from pravin_server.common.errors import ServerError

DEMO = (
    ("marlo", "I. Marlo", ["analyst"]),
    ("tessen", "R. Tessen", ["analyst", "approver"]),
    ("viewer", "P. Viewer", ["viewer"]),
    ("admin", "A. Keeper", ["administrator"]),
)


class Command(BaseCommand):
    help = "Look after people."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("action", choices=("list", "add", "roles", "disable", "enable", "reset", "first", "demo"))
        parser.add_argument("username", nargs="?", default="")
        parser.add_argument("--name", default="")
        parser.add_argument("--roles", default="", help=f"divided by commas: {', '.join(ROLES)}")
        parser.add_argument("--address", default="", help="of the server, to print whole addresses")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            self._do(options["action"], options["username"], options)
        except ServerError as error:
            raise CommandError(error.message) from error

    def _do(self, action: str, username: str, options: dict[str, Any]) -> None:
        roles = [role.strip() for role in options["roles"].split(",") if role.strip()]
        if action == "demo":
            for name, shown, kept in DEMO:
                if not User.objects.filter(username=name).exists():
                    make_user(name, f"merrow-{name}", shown, kept)
        elif action == "list":
            for person in User.objects.order_by("username"):
                state = "" if person.is_active else "  (disabled)"
                self.stdout.write(f"{person.username:<24}{', '.join(person.roles) or 'no role'}{state}")
        elif action == "first":
            if text := people.first_invitation():
                self.stdout.write(f"{options['address']}/join/{text}")
        elif action == "add":
            _, text = people.add_person(THIS_MACHINE, username, options["name"], roles)
            self.stdout.write(f"{options['address']}/join/{text}")
        else:
            user = User.objects.filter(username=username).first()
            if user is None:
                raise CommandError(f"Nobody signs in as {username!r}.")
            if action == "reset":
                self.stdout.write(f"{options['address']}/join/{people.reset_password(THIS_MACHINE, user.pk)}")
            elif action == "roles":
                people.change_person(THIS_MACHINE, user.pk, None, roles, None)
            else:
                people.change_person(THIS_MACHINE, user.pk, None, None, action == "enable")
