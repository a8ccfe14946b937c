"""Take readings from a device: check each, store all that are good in one transaction."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

import structlog
from django.db import connection, transaction
from zucker_core.units import UNITS

from ... import clock
from ...people.models import Operation
from ..models import DIMENSION, PLAUSIBLE, Kind, Sensor
from ..parsing import RawReading

log = structlog.get_logger()
FUTURE = timedelta(minutes=10)
DUMPS_S = {"dumps/min": 60.0, "dumps/h": 3600.0}
"""Units of a releaser that counts its dumps, each of a known volume."""
EARLIEST = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass
class Taken:
    """What became of a batch. `refused`: line, field, value and reason of each."""

    taken: int = 0
    known: int = 0
    refused: list[dict[str, Any]] = field(default_factory=list)

    def refuse(self, line: int, name: str, value: Any, reason: str) -> None:
        shown = value if isinstance(value, int | float) and math.isfinite(value) and abs(value) < 1e300 else (
            None if value is None else str(value)[:80])
        self.refused.append({"line": line, "field": name, "value": shown, "message": reason})


def take_readings(operation: Operation, readings: Sequence[RawReading]) -> Taken:
    """Store what is good. A reading that is counted as taken is committed when this returns.

    Sending the same reading again is harmless: (sensor, at) is known already, and the first value stays.
    """
    result = Taken()
    sensors = {sensor.tag: (sensor.pk, Kind(sensor.kind), sensor.dump_m3) for sensor in Sensor.objects.of(operation)}
    latest = clock.now() + FUTURE
    ids: list[int] = []
    moments: list[datetime] = []
    values: list[float] = []
    for reading in readings:
        good = _check(reading, sensors, latest, result)
        if good is not None:
            ids.append(good[0])
            moments.append(good[1])
            values.append(good[2])
    if ids:
        result.taken = store(ids, moments, values)
        result.known = len(ids) - result.taken
    log.info("readings", operation=operation.pk, taken=result.taken, known=result.known, refused=len(result.refused))
    return result


def _check(
    reading: RawReading, sensors: dict[str, tuple[int, Kind, float | None]], latest: datetime, result: Taken
) -> tuple[int, datetime, float] | None:
    line = reading.line
    if reading.fault:
        result.refuse(line, "line", None, reading.fault)
        return None
    known = sensors.get(reading.sensor) if isinstance(reading.sensor, str) else None
    if known is None:
        result.refuse(line, "sensor", reading.sensor, "this operation has no sensor with that tag")
        return None
    at = _moment(reading.at)
    if at is None:
        result.refuse(line, "at", reading.at, "must be a time with its zone, such as 2026-03-14T18:05:00Z")
        return None
    if not EARLIEST <= at <= latest:
        result.refuse(line, "at", reading.at, f"must lie between 2000 and {latest:%Y-%m-%d %H:%M} UTC, ten minutes from now")
        return None
    value = _number(reading.value)
    if value is None:
        result.refuse(line, "value", reading.value, "must be a finite number")
        return None
    sensor_id, kind, dump_m3 = known
    units_of = UNITS[DIMENSION[kind]] | ({unit: (dump_m3 / seconds, 0.0) for unit, seconds in DUMPS_S.items()} if dump_m3 else {})
    factor = units_of.get(reading.unit) if isinstance(reading.unit, str) else None
    if factor is None:
        units = ", ".join(name for name in units_of if name)
        result.refuse(line, "unit", reading.unit, f"is no unit for {kind.value}; known: {units}")
        return None
    si = value * factor[0] + factor[1]
    low, high = PLAUSIBLE[kind]
    if not low <= si <= high:
        least, most = ((bound - factor[1]) / factor[0] for bound in (low, high))
        result.refuse(line, "value", value, f"must lie between {least:g} and {most:g} {reading.unit} for {kind.value}")
        return None
    return sensor_id, at, si


def _moment(text: Any) -> datetime | None:
    if not isinstance(text, str):
        return None
    try:
        at = datetime.fromisoformat(text)
        return at.astimezone(UTC) if at.tzinfo else None
    except (ValueError, OverflowError):
        return None


def _number(value: Any) -> float | None:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        return None
    try:
        number = float(value)
    except (ValueError, OverflowError):
        return None
    return number if math.isfinite(number) else None


@transaction.atomic
def store(sensor_ids: list[int], moments: list[datetime], values: list[float]) -> int:
    """Insert readings (SI) that are not there yet and move each sensor's last reading on; returns how many were new."""
    with connection.cursor() as cursor:
        # one statement for the batch: the ORM's bulk_create cannot say how many rows were new
        cursor.execute(
            "INSERT INTO telemetry_reading (sensor_id, at, value)"
            " SELECT * FROM unnest(%s::bigint[], %s::timestamptz[], %s::float8[]) ON CONFLICT DO NOTHING",
            [sensor_ids, moments, values])
        new = cursor.rowcount
        newest: dict[int, tuple[datetime, float]] = {}
        for sensor, at, value in zip(sensor_ids, moments, values, strict=True):
            if sensor not in newest or at > newest[sensor][0]:
                newest[sensor] = (at, value)
        ordered = sorted(newest)  # always in one order, so that two batches cannot lock each other out
        cursor.execute(
            "UPDATE telemetry_sensor s SET last_at = n.at, last_value = n.value"
            " FROM (SELECT id, at, value FROM unnest(%s::bigint[], %s::timestamptz[], %s::float8[]) AS t(id, at, value)) n"
            " WHERE s.id = n.id AND (s.last_at IS NULL OR s.last_at < n.at)",
            [ordered, [newest[s][0] for s in ordered], [newest[s][1] for s in ordered]])
    return new
