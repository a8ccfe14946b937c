"""Take over a run that was made and closed before."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Any

from django.db import transaction
from zucker_core.run import Measured

from ...people.models import Operation, Person
from ..closing import closing_facts, figures_of, ledger_of
from ..models import Draw, Entry, Measure, MembraneLine, MembraneMachine, Plan, Run, WashStep
from .record_draw import true_brix


@transaction.atomic
def import_run(operation: Operation, person: Person, facts: dict[str, Any]) -> Run:
    """A closed run with its draws, log and measures; densities are made true and the sugar balanced as for any run.

    `membrane_lines` and `boil_s` are taken where they are given; what the runs teach is learned once, by the caller.
    """
    started = datetime.fromisoformat(facts["started_at"])
    plan = Plan.objects.create(operation=operation, made_at=started, made_by=person, assumptions={}, choice=facts["plan"])
    measures = [Measured(**measure) for measure in facts["measures"]]
    run = Run.objects.create(
        operation=operation,
        number=facts["number"],
        plan=plan,
        started_at=started,
        started_by=person,
        closed_at=datetime.fromisoformat(facts["closed_at"]),
        taps=facts["taps"],
        fuel=facts["fuel"],
        labour_s=facts["labour_s"],
        water_boiling_c=facts["water_boiling_c"],
        closing=closing_facts(ledger_of(measures)),
    )
    for draw in facts["draws"]:
        brix, sd = true_brix(operation, draw["instrument"], draw["reading"], draw["temp_c"])
        Draw.objects.create(run=run, by=person, true_brix=brix, brix_sd=sd, **draw)
    for entry in facts["entries"]:
        Entry.objects.create(run=run, by=person, **entry)
    machine = MembraneMachine.objects.of(operation).order_by("pk").first()
    if machine is not None:
        MembraneLine.objects.bulk_create([
            MembraneLine(run=run, machine=machine, by=person, **line) for line in facts.get("membrane_lines", [])])
        if facts.get("membrane_lines"):
            # what was made and closed before was also washed
            WashStep.objects.create(machine=machine, at=datetime.fromisoformat(facts["closed_at"]), by=person, step="done")
    Measure.objects.bulk_create([Measure(run=run, **asdict(measure)) for measure in measures])
    run.figures = figures_of(run, measures) | ({"boil_s": facts["boil_s"]} if "boil_s" in facts else {})
    run.save(update_fields=["figures"])
    return run
