"""Start a run."""

from __future__ import annotations

import structlog
from django.db import IntegrityError, transaction
from django.db.models import Max, Sum

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ...woods.models import Bush
from ..models import Plan, Run

log = structlog.get_logger()


def start_run(operation: Operation, person: Person, plan: Plan | None) -> Run:
    """A new open run, by the plan if there is one. Raises Refused while another run is open."""
    try:
        with transaction.atomic():
            last = Run.objects.of(operation).aggregate(last=Max("number"))["last"] or 0
            taps = Bush.objects.of(operation).aggregate(taps=Sum("taps"))["taps"] or 0
            run = Run.objects.create(
                operation=operation, number=last + 1, plan=plan, started_at=clock.now(), started_by=person, taps=taps
            )
    except IntegrityError:
        raise Refused("run", "a run is open already: close it first", status=409) from None
    log.info("run started", operation=operation.pk, run=run.pk)
    return run


def set_boiling_point(run: Run, water_boiling_c: float) -> Run:
    """Note the boiling point of water measured in the pan; every draw-off temperature follows from it."""
    require_open(run)
    run.water_boiling_c, run.water_boiling_at = water_boiling_c, clock.now()
    run.save(update_fields=["water_boiling_c", "water_boiling_at"])
    return run


def require_open(run: Run) -> None:
    """Raises Refused for a closed run."""
    if run.closed_at is not None:
        raise Refused("run", f"run {run.number} is closed", status=409)
