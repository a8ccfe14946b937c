"""Take the coming days' extremes as somebody typed them."""

from __future__ import annotations

from datetime import UTC, timedelta
from zoneinfo import ZoneInfo

from zucker_core import sap

from ... import clock
from ...people.models import Operation
from ..models import WeatherHour

HOURS = 48


def type_weather(
    operation: Operation, warmest_c: float, coldest_c: float, warmest_hour: float, coldest_hour: float
) -> int:
    """Make a forecast of the next 48 hours of them; what was measured stays. Raises CoreError."""
    start = clock.now().astimezone(UTC).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    times = [start + timedelta(hours=k) for k in range(HOURS)]
    zone = ZoneInfo(operation.zone)
    hours = [at.astimezone(zone).hour for at in times]
    temps = sap.day_curve(hours, coldest_c, warmest_c, coldest_hour, warmest_hour)
    known = set(WeatherHour.objects.of(operation).filter(at__in=times, forecast=False).values_list("at", flat=True))
    rows = [WeatherHour(operation=operation, at=at, temp_c=float(temp), forecast=True)
            for at, temp in zip(times, temps, strict=True) if at not in known]
    WeatherHour.objects.bulk_create(
        rows, update_conflicts=True, unique_fields=["operation", "at"], update_fields=["temp_c", "wind_m_s", "forecast"])
    return len(rows)
