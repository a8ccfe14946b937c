"""Reads of sensors and readings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from django.db import connection

from .. import clock
from ..people.models import Operation
from .models import Reading, Rollup, Sensor

STALE = timedelta(minutes=5)


@dataclass(frozen=True)
class Latest:
    """A sensor's last reading, SI; `age_s` at the time of asking; `stale` after five minutes."""

    value: float
    at: datetime
    age_s: float

    @property
    def stale(self) -> bool:
        return self.age_s > STALE.total_seconds()


def latest_of(sensor: Sensor | None) -> Latest | None:
    """The last reading of a sensor that was loaded already."""
    if sensor is None or sensor.last_at is None or sensor.last_value is None:
        return None
    return Latest(sensor.last_value, sensor.last_at, max((clock.now() - sensor.last_at).total_seconds(), 0.0))


def sensors_by_part(operation: Operation) -> dict[tuple[str, str], Sensor]:
    """Sensors outside the woods by (part, kind)."""
    return {(s.part, s.kind): s for s in Sensor.objects.of(operation).exclude(part="").order_by("-pk")}


def recent(sensor: Sensor, minutes: float) -> list[tuple[datetime, float]]:
    """Readings of the last minutes, oldest first."""
    since = clock.now() - timedelta(minutes=minutes)
    return list(Reading.objects.filter(sensor=sensor, at__gte=since).order_by("at").values_list("at", "value"))


def flowed(sensor: Sensor, start: datetime, end: datetime) -> float | None:
    """What flowed past a meter between two moments, m³ (trapezoids between its readings); None with fewer than two.

    The first and the last reading stand for the time before and after them, as far as its readings are apart.
    """
    rows = list(Reading.objects.filter(sensor=sensor, at__gte=start, at__lte=end).order_by("at").values_list("at", "value"))
    if len(rows) < 2:
        return None
    (first, begun), (last, ended) = rows[0], rows[-1]
    apart = max((last - first) / (len(rows) - 1), STALE)
    rows = [(max(start, first - apart), begun), *rows, (min(end, last + apart), ended)]
    seconds = np.array([(at - start).total_seconds() for at, _ in rows])
    return max(float(np.trapezoid([value for _, value in rows], seconds)), 0.0)


def history(sensor: Sensor, hours: float) -> list[tuple[datetime, float, float, float]]:
    """(start, low, mean, high) over the last hours: ten-minute means to three days, hourly beyond.

    Drawn from rollups, and from the readings themselves where those are not made yet.
    """
    now = clock.now()
    since = now - timedelta(hours=hours)
    width = 600 if hours <= 72 else 3600
    rows = list(
        Rollup.objects.filter(sensor=sensor, width_s=width, start__gte=since, start__lte=now)
        .order_by("start").values_list("start", "low", "mean", "high"))
    rest_from = rows[-1][0] if rows else since
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT date_bin(%s::interval, at, TIMESTAMPTZ '2000-01-01 00:00+00') AS start, min(value), avg(value), max(value)"
            " FROM telemetry_reading WHERE sensor_id = %s AND at >= %s AND at <= %s GROUP BY 1 ORDER BY 1",
            [f"{width} seconds", sensor.pk, rest_from, now])
        fresh = cursor.fetchall()
    return [*rows[:-1], *fresh] if rows and fresh else (rows or fresh)
