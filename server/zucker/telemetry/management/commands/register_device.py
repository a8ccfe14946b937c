"""`manage.py register_device`: a gateway or controller, and its token, shown once."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from ....people.models import Operation
from ...actions.register_device import register_device


class Command(BaseCommand):
    help = "Register a device and print its token"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("operation", help="its slug")
        parser.add_argument("name")

    def handle(self, *args: Any, **options: Any) -> None:
        operation = Operation.objects.filter(slug=options["operation"]).first()
        if operation is None:
            raise CommandError(f"there is no operation {options['operation']!r}")
        self.stdout.write(register_device(operation, options["name"])[1])
