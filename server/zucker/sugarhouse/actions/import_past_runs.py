"""Take over the runs of earlier years from what is left of them: their sums."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

import structlog
from django.db import transaction
from django.db.models import Max
from zucker_core.evaporator import FUELS

from ... import clock
from ...people.models import Operation, Person
from ..equipment import evaporator_of
from ..models import Plan, Run
from ..past_runs import PastRow

log = structlog.get_logger()
USUAL_HOURS = 6.0


@transaction.atomic
def import_past_runs(operation: Operation, person: Person, rows: Sequence[PastRow]) -> int:
    """Closed runs with their figures alone; a run that is there already (same day, same syrup) and days still to come
    are passed over. Returns how many were taken."""
    zone = ZoneInfo(operation.zone)
    there = {
        (run.started_at.astimezone(zone).date(), round(run.figures.get("syrup_m3") or 0.0, 6))
        for run in Run.objects.of(operation).exclude(figures={})
    }
    number = Run.objects.of(operation).aggregate(last=Max("number"))["last"] or 0
    evaporator = evaporator_of(operation)
    size = FUELS[evaporator.fuel].trade_size if evaporator else 1.0
    taken = 0
    for row in sorted(rows, key=lambda row: row.date):
        start = datetime.combine(row.date, time(17), zone)
        if (row.date, round(row.syrup_m3, 6)) in there or start > clock.now():
            continue
        there.add((row.date, round(row.syrup_m3, 6)))
        number += 1
        plan = None
        if row.target_brix:
            plan = Plan.objects.create(
                operation=operation, made_at=start, made_by=person, assumptions={}, choice={"target_brix": row.target_brix}
            )
        Run.objects.create(
            operation=operation,
            number=number,
            started_at=start,
            started_by=person,
            taps=row.taps,
            plan=plan,
            closed_at=start + timedelta(hours=row.hours or USUAL_HOURS),
            fuel=None if row.fuel is None else row.fuel * size,
            figures={
                "sap_m3": row.sap_m3,
                "sap_brix": row.sap_brix,
                "syrup_m3": row.syrup_m3,
                "syrup_brix": None,
                "hours": row.hours,
                "feed_brix": row.target_brix,
                "index": None,
                "boil_s": None,
            },
        )
        taken += 1
    log.info("past runs taken", operation=operation.pk, runs=taken)
    return taken
