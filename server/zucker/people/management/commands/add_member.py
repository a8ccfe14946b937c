"""`manage.py add_member`: give a person a role in an operation."""

from __future__ import annotations

import getpass
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from ....config.errors import Refused
from ...actions.found_operation import add_member
from ...models import Operation, Person, Role


class Command(BaseCommand):
    help = "Give a person a role; asks for a password when the name is new"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("operation", help="its slug")
        parser.add_argument("username")
        parser.add_argument("role", choices=Role.values)

    def handle(self, *args: Any, **options: Any) -> None:
        operation = Operation.objects.filter(slug=options["operation"]).first()
        if operation is None:
            raise CommandError(f"there is no operation {options['operation']!r}")
        known = Person.objects.filter(username=options["username"]).exists()
        password = "" if known else getpass.getpass(f"Password for {options['username']}: ")
        try:
            add_member(operation, options["username"], password, Role(options["role"]))
        except Refused as error:
            raise CommandError(f"{error.field}: {error.message}") from None
        self.stdout.write(f"{options['username']} is {options['role']} at {operation.name}.")
