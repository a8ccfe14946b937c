"""Close a run: the sugar balance as measured, and what the run took."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

import structlog
from django.db import transaction
from zucker_core.run import Measured

from ... import clock
from ..closing import closing_facts, figures_of, ledger_of
from ..fouling import through_now
from ..models import Measure, Run
from .learn_house import learn_house
from .start_run import require_open

log = structlog.get_logger()


@transaction.atomic
def close_run(run: Run, measures: Sequence[Measured], fuel: float | None, labour_s: float | None) -> Run:
    """Balance the sugar, keep every measure and how far the membranes have fouled, close, and learn from it.

    fuel : in SI units of the evaporator's fuel
    Raises CoreError for measures that cannot be balanced, Refused for a closed run.
    """
    run = Run.objects.select_for_update().get(pk=run.pk)
    require_open(run)
    balance = ledger_of(list(measures))
    for machine in run.operation.membrane_machines.select_for_update():
        machine.permeate_since_wash_m3 = through_now(machine, run)
        machine.save(update_fields=["permeate_since_wash_m3"])
    Measure.objects.bulk_create([Measure(run=run, **asdict(measure)) for measure in measures])
    run.fuel, run.labour_s, run.closing, run.closed_at = fuel, labour_s, closing_facts(balance), clock.now()
    run.figures = figures_of(run, list(measures))
    run.save()
    learn_house(run)
    log.info("run closed", run=run.pk, unaccounted_kg=round(balance.unaccounted_kg, 1))
    return run
