"""Take over a run that was made and closed before."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Any

from django.db import transaction
from zucker_core.run import Measured, ledger

from ...people.models import Operation, Person
from ..models import Draw, Entry, Measure, Plan, Run
from .record_draw import true_brix


@transaction.atomic
def import_run(operation: Operation, person: Person, facts: dict[str, Any]) -> Run:
    """A closed run with its draws, log and measures; densities are made true and the sugar balanced as for any run."""
    started = datetime.fromisoformat(facts["started_at"])
    plan = Plan.objects.create(operation=operation, made_at=started, made_by=person, assumptions={}, choice=facts["plan"])
    measures = [Measured(**measure) for measure in facts["measures"]]
    run = Run.objects.create(
        operation=operation, number=facts["number"], plan=plan, started_at=started, started_by=person,
        closed_at=datetime.fromisoformat(facts["closed_at"]), taps=facts["taps"], fuel=facts["fuel"],
        labour_s=facts["labour_s"], water_boiling_c=facts["water_boiling_c"], closing=asdict(ledger(measures)))
    for draw in facts["draws"]:
        brix, sd = true_brix(operation, draw["instrument"], draw["reading"], draw["temp_c"])
        Draw.objects.create(run=run, by=person, true_brix=brix, brix_sd=sd, **draw)
    for entry in facts["entries"]:
        Entry.objects.create(run=run, by=person, **entry)
    Measure.objects.bulk_create([Measure(run=run, **asdict(measure)) for measure in measures])
    return run
