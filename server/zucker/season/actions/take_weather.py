"""Take a weather file (docs/formats.md)."""

from __future__ import annotations

import csv
import io
import math
from datetime import UTC, datetime

from ...config.errors import Refused
from ...people.models import Operation
from ..models import WeatherHour

COLUMNS = ("at", "temp_c", "wind_m_s", "kind")
MOST = 5000


def take_weather(operation: Operation, text: str) -> int:
    """Store every hour of the file, or none: raises Refused naming the first line and field at fault."""
    rows = list(csv.DictReader(io.StringIO(text.replace("\x00", "\ufffd"))))
    if not rows or any(name not in rows[0] for name in COLUMNS):
        raise Refused("header", f"the first line must name the columns {', '.join(COLUMNS)}")
    if len(rows) > MOST:
        raise Refused("file", f"has {len(rows)} hours; at most {MOST} are taken")
    hours = [_hour(operation, number, row) for number, row in enumerate(rows, start=2)]
    WeatherHour.objects.bulk_create(
        {hour.at: hour for hour in hours}.values(), update_conflicts=True, unique_fields=["operation", "at"],
        update_fields=["temp_c", "wind_m_s", "forecast"])
    return len(hours)


def _hour(operation: Operation, line: int, row: dict[str, str]) -> WeatherHour:
    try:
        at = datetime.fromisoformat(row["at"] or "")
        if at.tzinfo is None:
            raise ValueError
        at = at.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
    except (ValueError, OverflowError):
        raise Refused(f"line {line}: at", "must be a time with its zone", value=row["at"]) from None
    if row["kind"] not in ("measured", "forecast"):
        raise Refused(f"line {line}: kind", "must be measured or forecast", value=row["kind"])
    temp = _number(row["temp_c"], line, "temp_c", -60, 60)
    wind = None if row["wind_m_s"] in ("", None) else _number(row["wind_m_s"], line, "wind_m_s", 0, 90)
    return WeatherHour(operation=operation, at=at, temp_c=temp, wind_m_s=wind, forecast=row["kind"] == "forecast")


def _number(text: str | None, line: int, name: str, low: float, high: float) -> float:
    try:
        value = float(text or "")
    except ValueError:
        value = math.nan
    if not low <= value <= high:
        raise Refused(f"line {line}: {name}", f"must be a number between {low:g} and {high:g}", value=text)
    return value
