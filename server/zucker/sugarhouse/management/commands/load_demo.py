"""`manage.py load_demo FOLDER`: the demo's operations, people, history and clock."""

from __future__ import annotations

import json
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from uuid import uuid4

from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction
from django.db.models import Max

from .... import clock
from ....barrels.actions.make_lot import LotFacts, make_lot
from ....barrels.actions.pack_lot import Filling, move_pack, pack_lot
from ....people.actions.found_operation import add_member, found_operation
from ....people.models import Operation, Person, Role
from ....season.actions.take_weather import take_weather
from ....telemetry.actions.load_history import load_history
from ....telemetry.actions.register_device import register_device
from ....telemetry.models import Sensor
from ....woods.actions.learn_bush import learn_bush
from ....woods.actions.survey_network import survey_network
from ....woods.actions.watch_bush import FIRST_LOOK, watch_bush
from ....woods.models import Bush, Tapping
from ... import past_runs
from ...actions.import_past_runs import import_past_runs
from ...actions.import_run import import_run
from ...actions.learn_house import learn_house
from ...actions.set_up_house import set_up_house
from ...models import Run


class Command(BaseCommand):
    help = "Load the demo, or wake its clock where it stopped"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("folder", type=Path)
        parser.add_argument("--pace", type=float, default=1.0, help="seconds of the demo's clock for a real one")

    def handle(self, *args: Any, **options: Any) -> None:
        for folder in sorted(options["folder"].iterdir()):
            facts = json.loads((folder / "operation.json").read_text())
            if not Operation.objects.filter(slug=facts["slug"]).exists():
                self._load(folder, facts)
        stopped = Sensor.objects.aggregate(last=Max("last_at"))["last"]
        clock.set_to(stopped or datetime.fromisoformat(facts["start"]), options["pace"])

    @transaction.atomic
    def _load(self, folder: Path, facts: dict[str, Any]) -> None:
        operation = found_operation({key: facts[key] for key in ("slug", "name", "place", "zone", "elevation_m", "currency")})
        units = "metric" if facts["metric"] else "us"
        people = [add_member(operation, name, facts["password"], Role(role), units=units) for name, role in facts["people"]]
        register_device(operation, "gateway and controller", facts["token"])
        Sensor.objects.bulk_create([Sensor(operation=operation, **sensor) for sensor in facts["sensors"]])
        for bush in facts["bushes"]:
            row = Bush.objects.create(
                operation=operation, slug=bush["slug"], name=bush["name"], hauled=bush.get("hauled", False),
                taps=bush.get("taps", 0), contours=bush.get("contours", []))
            if "geojson" in bush:
                survey_network(row, bush["geojson"])
        set_up_house(operation, facts["equipment"])
        take_weather(operation, (folder / "weather.csv").read_text())
        count = load_history(operation, folder / "readings.csv")
        if "earlier_years" in facts:
            import_past_runs(operation, people[0], past_runs.read(facts["earlier_years"], None).rows)
        first = Run.objects.of(operation).count()
        for run in facts["runs"]:
            learn_house(import_run(operation, people[0], run | {"number": first + run["number"]}))
        for lot in facts.get("lots", []):
            self._pack(operation, people[0], first, lot)
        self._tap(operation, people, facts)
        for row in Bush.objects.of(operation).filter(survey__gt=0):
            # what the program would have learned and found, had it run all that time
            until = Sensor.objects.of(operation).filter(nodes__bush=row).aggregate(last=Max("last_at"))["last"]
            learn_bush(row, until - FIRST_LOOK)
            watch_bush(row, until)
        self.stdout.write(f"{operation.name}: {count:,} readings, {len(facts['runs'])} runs")

    def _pack(self, operation: Operation, person: Person, first: int, facts: dict[str, Any]) -> None:
        """One past run's syrup: its lot, what it was packed in, what was sold."""
        run = Run.objects.of(operation).get(number=first + facts["run"])
        at = datetime.fromisoformat(facts["at"])
        known = ("volume_m3", "brix", "transmittance", "off_flavour", "finish", "filtered")
        made = LotFacts(**{key: facts[key] for key in known})
        lot = make_lot(operation, person, run, made, at)
        for filling in facts["packs"]:
            moves = filling.pop("moves")
            pack = pack_lot(operation, person, lot, Filling(**filling), at)
            for move in moves:
                move_pack(pack, person, **move, at=at + timedelta(days=2))

    def _tap(self, operation: Operation, people: list[Person], facts: dict[str, Any]) -> None:
        bushes = {row.slug: row for row in Bush.objects.of(operation)}
        named = {person.username: person for person in people}
        Tapping.objects.bulk_create([
            Tapping(bush=bushes[entry.pop("bush")], by=named[entry.pop("by")], token=uuid4(), **entry)
            for entry in facts.get("tappings", [])])
