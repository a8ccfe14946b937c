"""`manage.py survey_bush`: take a bush's network from a GeoJSON file."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from zucker_core.errors import CoreError

from ....people.models import Operation
from ...actions.survey_network import survey_network
from ...models import Bush


class Command(BaseCommand):
    help = "Take a bush's network from a GeoJSON file (docs/formats.md); an earlier survey of it is replaced"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("operation", help="its slug")
        parser.add_argument("bush", help="its slug; a new one is made")
        parser.add_argument("file", type=Path)
        parser.add_argument("--name", help="the bush's name, when it is new")

    def handle(self, *args: Any, **options: Any) -> None:
        operation = Operation.objects.filter(slug=options["operation"]).first()
        if operation is None:
            raise CommandError(f"there is no operation {options['operation']!r}")
        try:
            geojson = json.loads(options["file"].read_text())
        except (OSError, ValueError) as error:
            raise CommandError(f"{options['file']}: {error}") from None
        bush, new = Bush.objects.get_or_create(
            operation=operation, slug=options["bush"], defaults={"name": options["name"] or options["bush"]})
        try:
            network = survey_network(bush, geojson)
        except CoreError as error:
            if new:
                bush.delete()
            raise CommandError(str(error)) from None
        for warning in network.warnings:
            self.stdout.write(f"look at {warning}")
        self.stdout.write(f"{bush.name}: {len(network)} points, {int(network.taps.sum())} taps")
