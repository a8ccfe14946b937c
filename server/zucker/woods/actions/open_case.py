"""Open a hunt, from an alarm or by hand."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np
import structlog
from django.db import transaction
from django.db.models import Max
from zucker_core import vacuum

from ...config.errors import Refused
from ...people.models import Operation
from ...telemetry.models import Kind
from ...telemetry.queries import latest_of, sensors_by_part
from ..gauging import MINUTE, dials_of, minutes_of, recent_means
from ..models import Alarm, Bush, LeakCase

log = structlog.get_logger()
LOOK_BACK = 15 * MINUTE
NOT_SAP = ("sensor", "silence")


def falls_now(bush: Bush, now: datetime) -> tuple[dict[str, float], float]:
    """Fall of each gauge below its usual over the last ten minutes (Pa), without those that are known to be wrong or
    frozen, and the sap of one tap (m³/s); dials as read on the last round. Empty where no gauge told anything."""
    read = {tag: dial.fall_pa for tag, dial in dials_of(bush, now).items()}
    minutes = minutes_of(bush, now - LOOK_BACK, now)
    if minutes is None:
        return read, usual_rate(bush)
    others = Alarm.objects.filter(bush=bush, closed_at__isnull=True).exclude(cause="leak")
    apart = {tag for alarm in others for tag in alarm.gauges}
    means = recent_means(minutes.falls_pa)
    live = {tag: float(fall) for tag, fall in zip(minutes.tags, means, strict=True) if np.isfinite(fall) and tag not in apart}
    return live | read, max(minutes.rate, 0.0)


def usual_rate(bush: Bush) -> float:
    """Sap of one tap by the releaser's last reading, m³/s; 0 where nothing measures it."""
    flow = latest_of(sensors_by_part(bush.operation).get((f"releaser {bush.slug}", Kind.FLOW)))
    return max(flow.value, 0.0) / max(bush.taps, 1) if flow else 0.0


@transaction.atomic
def open_case(
    operation: Operation, bush: Bush, person: Any, now: datetime, *, main: str = "", alarm: Alarm | None = None,
) -> LeakCase:
    """A case with the falls of this moment. Opening one for an alarm that has an open case returns that case.

    Raises Refused where there is nothing to go by.
    """
    bush = Bush.objects.select_for_update().get(pk=bush.pk)
    if alarm is not None:
        known = LeakCase.objects.filter(alarm=alarm).exclude(state__in=["proven", "dropped"]).first()
        if known is not None:
            return known
        main = alarm.place
    falls, rate = falls_now(bush, now)
    if alarm is not None and alarm.cause != "leak":
        falls |= falls_of_alarm(alarm)  # the person hunts here although something else is likelier
    if not falls:
        raise Refused("gauges", "no gauge of this bush has sent a reading in the last 15 minutes; walk a gauge round first", 409)
    number = (LeakCase.objects.filter(operation=operation).aggregate(last=Max("number"))["last"] or 0) + 1
    case = LeakCase.objects.create(
        operation=operation, bush=bush, alarm=alarm, number=number, main=main, opened_at=now, opened_by=person, drops=falls,
        noise_pa=vacuum.MEAN_NOISE_PA, sap_rate=rate)
    log.info("case opened", case=case.pk, main=main)
    return case


def falls_of_alarm(alarm: Alarm) -> dict[str, float]:
    """The fall that the alarm's own gauges showed."""
    return dict.fromkeys(alarm.gauges, alarm.fall_pa)
