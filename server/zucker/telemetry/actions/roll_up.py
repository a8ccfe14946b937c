"""Make ten-minute and hourly rows from readings."""

from __future__ import annotations

from datetime import datetime

from django.db import connection, transaction

WIDTHS_S = (600, 3600)


@transaction.atomic
def roll_up(since: datetime, until: datetime) -> int:
    """(Re)make all rollups whose period starts in [since, until); returns the number of rows written.

    Late readings are picked up by running it again over the same time.
    """
    written = 0
    with connection.cursor() as cursor:
        for width in WIDTHS_S:
            cursor.execute(
                """
                INSERT INTO telemetry_rollup (sensor_id, width_s, start, count, low, mean, high, last)
                SELECT sensor_id, %(width)s, date_bin(%(step)s::interval, at, TIMESTAMPTZ '2000-01-01 00:00+00') AS start,
                       count(*), min(value), avg(value), max(value), (array_agg(value ORDER BY at DESC))[1]
                FROM telemetry_reading
                WHERE at >= date_bin(%(step)s::interval, %(since)s, TIMESTAMPTZ '2000-01-01 00:00+00') AND at < %(until)s
                GROUP BY 1, 3
                ON CONFLICT (sensor_id, width_s, start) DO UPDATE SET
                    count = excluded.count, low = excluded.low, mean = excluded.mean, high = excluded.high,
                    last = excluded.last
                """,
                {"width": width, "step": f"{width} seconds", "since": since, "until": until})
            written += cursor.rowcount
    return written
