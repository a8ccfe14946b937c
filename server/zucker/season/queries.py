"""Reads of the weather."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from .. import clock
from ..people.models import Operation
from .models import WeatherHour

THAW_C = 1.0


def weather_ahead(operation: Operation) -> dict[str, Any]:
    """The coming 36 hours: when it freezes, how low it gets, and when the thaw after it brings sap again."""
    now = clock.now()
    hours = list(WeatherHour.objects.of(operation).filter(at__gte=now, at__lte=now + timedelta(hours=36)).order_by("at"))
    frost = next((hour for hour in hours if hour.temp_c < 0), None)
    thaw = next((hour for hour in hours if frost and hour.at > frost.at and hour.temp_c >= THAW_C), None)
    low = min(hours, key=lambda hour: hour.temp_c, default=None)
    return {
        "frost_at": frost.at if frost else None, "thaw_at": thaw.at if thaw else None,
        "low_c": low.temp_c if low else None, "low_at": low.at if low else None,
        "hours": [{"at": hour.at, "temp_c": hour.temp_c} for hour in hours],
    }
