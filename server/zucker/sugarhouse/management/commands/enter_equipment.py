"""`manage.py enter_equipment`: tanks, machines, prices and sugarhouse sensors from a JSON file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction
from zucker_core.errors import CoreError

from ....people.models import Operation
from ....telemetry.models import Kind, Sensor
from ...actions.set_up_house import set_up_house


class Command(BaseCommand):
    help = "Enter a sugarhouse's equipment from a JSON file (docs/formats.md)"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("operation", help="its slug")
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        operation = Operation.objects.filter(slug=options["operation"]).first()
        if operation is None:
            raise CommandError(f"there is no operation {options['operation']!r}")
        try:
            facts = json.loads(options["file"].read_text())
            with transaction.atomic():
                set_up_house(operation, facts)
                for sensor in facts.get("sensors", []):
                    Sensor.objects.update_or_create(
                        operation=operation, tag=sensor["tag"],
                        defaults={"kind": Kind(sensor["kind"]).value, "part": sensor.get("part", ""),
                                  "dump_m3": sensor.get("dump_m3")})
        except KeyError as error:
            raise CommandError(f"{options['file']}: {error.args[0]} is missing") from None
        except (OSError, ValueError, TypeError, CoreError) as error:
            raise CommandError(f"{options['file']}: {error}") from None
        self.stdout.write(f"{operation.name}: {', '.join(facts['tanks'])}, {facts['evaporator_name']}")
