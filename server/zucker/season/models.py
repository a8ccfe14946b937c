"""Weather by the hour, measured and forecast."""

from __future__ import annotations

from django.db import models

from ..people.models import Operation, Owned


class WeatherHour(Owned):
    """One hour at the sugarhouse; a later file replaces a forecast by what was measured."""

    operation = models.ForeignKey(Operation, on_delete=models.CASCADE, related_name="weather")
    at = models.DateTimeField()
    temp_c = models.FloatField()
    wind_m_s = models.FloatField(null=True, blank=True)
    forecast = models.BooleanField(default=False)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["operation", "at"], name="weather_hour_once"),
            models.CheckConstraint(condition=models.Q(temp_c__range=(-60, 60)), name="weather_temp"),
        ]
