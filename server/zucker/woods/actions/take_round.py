"""Take a gauge round: vacuum read by eye at dials, each with its time."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from ...config.errors import Refused
from ...telemetry.actions.take_readings import store
from ...telemetry.models import PLAUSIBLE, Kind, Sensor
from ..models import Bush

FUTURE = timedelta(minutes=10)
OLDEST = timedelta(days=7)


@transaction.atomic
def take_round(bush: Bush, readings: list[dict[str, Any]], now: datetime) -> int:
    """Store what was read (`sensor`, `vacuum_pa`, `at`); sending it again is harmless. Returns how many were new.

    All or nothing. Raises Refused naming the gauge: not of this bush, or one that sends by itself.
    """
    sensors = {s.tag: s for s in Sensor.objects.of(bush.operation).filter(nodes__bush=bush, kind=Kind.VACUUM)}
    low, high = PLAUSIBLE[Kind.VACUUM]
    rows: list[tuple[int, datetime, float]] = []
    for number, reading in enumerate(readings):
        place, tag, at = f"readings.{number}", reading["sensor"], reading["at"]
        sensor = sensors.get(tag)
        if sensor is None:
            raise Refused(f"{place}.sensor", f"{bush.name} has no gauge {tag!r}", value=tag)
        if not sensor.by_hand:
            raise Refused(f"{place}.sensor", f"{tag} sends its own readings; only dials are read on a round", 409, tag)
        if not low <= reading["vacuum_pa"] <= high:
            raise Refused(f"{place}.vacuum_pa", f"must lie between {low:g} and {high:g} Pa", value=reading["vacuum_pa"])
        if not now - OLDEST <= at <= now + FUTURE:
            raise Refused(f"{place}.at", "must lie within the last seven days", value=at.isoformat())
        rows.append((sensor.pk, at, reading["vacuum_pa"]))
    return store([r[0] for r in rows], [r[1] for r in rows], [r[2] for r in rows]) if rows else 0
