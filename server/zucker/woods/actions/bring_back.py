"""A leak that was not found shows better when sap runs hard: the case comes back by itself."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta

import structlog
from django.db import transaction

from ...telemetry.models import Kind
from ...telemetry.queries import latest_of, sensors_by_part
from ..models import Bush, CaseStep, LeakCase

log = structlog.get_logger()
HARDER = 1.25
REST = timedelta(hours=4)


@transaction.atomic
def bring_back(bush: Bush, now: datetime) -> int:
    """Cases that wait come back when a tap gives a quarter more than when the search was given up, and at least four
    hours later; returns how many."""
    waiting = LeakCase.objects.select_for_update().filter(bush=bush, state=LeakCase.State.WAITING)
    if not waiting:
        return 0
    flow = latest_of(sensors_by_part(bush.operation).get((f"releaser {bush.slug}", Kind.FLOW)))
    if flow is None or flow.stale:
        return 0
    rate = flow.value / max(bush.taps, 1)
    count = 0
    for case in waiting:
        last = case.steps.filter(kind="not_found").order_by("-at").first()
        if last is None or now - last.at < REST or rate < HARDER * max(float(last.facts.get("sap_rate", 0.0)), 1e-9):
            continue
        CaseStep.objects.create(case=case, token=uuid.uuid4(), at=now, kind="back", facts={"sap_rate": rate})
        case.state = LeakCase.State.NARROWING
        case.save()
        log.info("case back", case=case.pk)
        count += 1
    return count
