"""Months of readings as partitions of the one big table."""

from __future__ import annotations

from datetime import date, datetime

from django.db import connection, transaction

_LOCK = 7031


def month_after(day: date) -> date:
    """The first of the next month."""
    return date(day.year + (day.month == 12), day.month % 12 + 1, 1)


def ensure_months(first: datetime, last: datetime) -> list[str]:
    """Make the partitions from `first`'s month to `last`'s; returns the names of new ones.

    Readings of a month that has none go to the default partition, so that none is refused for it; when the
    month's own is made, they move there.
    """
    month, made = date(first.year, first.month, 1), []
    while month <= last.date():
        if _make(month):
            made.append(_name(month))
        month = month_after(month)
    return made


def _name(month: date) -> str:
    return f"telemetry_reading_{month:%Y_%m}"


def _make(month: date) -> bool:
    name, bounds = _name(month), (f"{month} 00:00+00", f"{month_after(month)} 00:00+00")
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s)", [_LOCK])
        cursor.execute("SELECT to_regclass(%s)", [name])
        if cursor.fetchone()[0] is not None:
            return False
        cursor.execute(f"CREATE TABLE {name} (LIKE telemetry_reading INCLUDING ALL)")
        cursor.execute(
            f"WITH moved AS (DELETE FROM telemetry_reading_default WHERE at >= %s AND at < %s RETURNING sensor_id, at, value)"
            f" INSERT INTO {name} (sensor_id, at, value) SELECT sensor_id, at, value FROM moved", bounds)
        cursor.execute(
            f"ALTER TABLE telemetry_reading ATTACH PARTITION {name} FOR VALUES FROM ('{bounds[0]}') TO ('{bounds[1]}')")
    return True


