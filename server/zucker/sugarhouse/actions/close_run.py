"""Close a run: the sugar balance as measured, and what the run took."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict

import structlog
from django.db import transaction
from zucker_core.run import Measured, ledger

from ... import clock
from ..models import Measure, Run
from .start_run import require_open

log = structlog.get_logger()


@transaction.atomic
def close_run(run: Run, measures: Sequence[Measured], fuel: float | None, labour_s: float | None) -> Run:
    """Balance the sugar, keep every measure, and close. `fuel` in SI units of the evaporator's fuel.

    Raises CoreError for measures that cannot be balanced, Refused for a closed run.
    """
    run = Run.objects.select_for_update().get(pk=run.pk)
    require_open(run)
    balance = ledger(measures)
    Measure.objects.bulk_create([Measure(run=run, **asdict(measure)) for measure in measures])
    run.fuel, run.labour_s, run.closing, run.closed_at = fuel, labour_s, asdict(balance), clock.now()
    run.save()
    log.info("run closed", run=run.pk, unaccounted_kg=round(balance.unaccounted_kg, 1))
    return run
