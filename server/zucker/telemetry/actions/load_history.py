"""Load a long history of readings at once."""

from __future__ import annotations

import csv
from datetime import datetime
from pathlib import Path

from django.db import connection, transaction

from ...people.models import Operation
from ..models import Sensor
from ..partitions import ensure_months
from .roll_up import roll_up


def load_history(operation: Operation, file: Path) -> int:
    """Readings of a CSV (sensor, at, SI value) into an operation that has none of them yet; returns their number.

    By COPY, with partitions and rollups made and each sensor's last reading set.
    """
    sensors = dict(Sensor.objects.of(operation).values_list("tag", "pk"))
    with file.open(newline="") as rows:
        reader = csv.reader(rows)
        next(reader)
        readings = [(sensors[tag], at, float(value)) for tag, at, value in reader]
    first, last = min(r[1] for r in readings), max(r[1] for r in readings)
    ensure_months(datetime.fromisoformat(first), datetime.fromisoformat(last))
    with transaction.atomic(), connection.cursor() as cursor:
        with cursor.copy("COPY telemetry_reading (sensor_id, at, value) FROM STDIN") as copy:
            for reading in readings:
                copy.write_row(reading)
        cursor.execute(
            "UPDATE telemetry_sensor s SET last_at = r.at, last_value = r.value FROM ("
            " SELECT DISTINCT ON (sensor_id) sensor_id, at, value FROM telemetry_reading WHERE sensor_id = ANY(%s)"
            " ORDER BY sensor_id, at DESC) r WHERE s.id = r.sensor_id", [list(sensors.values())])
    roll_up(datetime.fromisoformat(first), datetime.fromisoformat(last))
    return len(readings)
