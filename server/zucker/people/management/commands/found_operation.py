"""`manage.py found_operation`: a real operation and its owner, from the command line."""

from __future__ import annotations

import getpass
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from ....config.errors import Refused
from ...actions.found_operation import add_member, found_operation
from ...models import Role


class Command(BaseCommand):
    help = "Found an operation and give it an owner"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("slug")
        parser.add_argument("name")
        parser.add_argument("--owner", required=True, help="the owner's sign-in name")
        parser.add_argument("--elevation-m", type=float, required=True)
        parser.add_argument("--zone", default="UTC", help="time zone, such as America/New_York")

    def handle(self, *args: Any, **options: Any) -> None:
        password = getpass.getpass("Password for the owner: ")
        try:
            operation = found_operation({key: options[key] for key in ("slug", "name", "elevation_m", "zone")})
            add_member(operation, options["owner"], password, Role.OWNER)
        except Refused as error:
            raise CommandError(f"{error.field}: {error.message}") from None
        self.stdout.write(f"{operation.name} is founded; {options['owner']} owns it.")
