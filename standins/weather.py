"""Made-up weather: hourly temperatures, wind and a barometer, the same for every run of the demo."""

from __future__ import annotations

import csv
import io
from datetime import datetime, timedelta

import numpy as np

from .places import HISTORY_DAYS, SEED, START, Place

AHEAD_DAYS = 60
ORIGIN = (START - timedelta(days=HISTORY_DAYS + 4)).replace(hour=0)


class Weather:
    """Temperature (°C), wind (m/s), station pressure (Pa) and sap of one tap (m³/s) as functions of time."""

    def __init__(self, place: Place) -> None:
        rng = np.random.default_rng([SEED, len(place.slug)])
        hours = 24 * (HISTORY_DAYS + 4 + AHEAD_DAYS)
        self.hours = np.arange(hours, dtype=float)
        days = np.arange(hours // 24 + 2, dtype=float)
        today = HISTORY_DAYS + 4
        mean = 1.2 + 0.04 * (days - today) + 2.0 * np.sin(days / 3.1 + 0.4) + rng.normal(0, 0.8, days.size)
        swing = 6.0 + rng.normal(0, 1.0, days.size)
        mean[today - 1: today + 2], swing[today - 1: today + 2] = (0.9, 1.7, 1.4), (6.4, 6.6, 6.2)
        day = self.hours / 24.0
        phase = np.cos(2 * np.pi * (self.hours - 19.5) / 24.0)  # warmest at 15:30 by the sun of Tarn County
        self.temp_c = np.interp(day, days, mean) + np.interp(day, days, swing) * phase + rng.normal(0, 0.3, hours)
        self.wind = np.abs(2.2 + 1.6 * np.sin(self.hours / 17.0) + rng.normal(0, 0.7, hours))
        drift = 700.0 * np.sin(self.hours / 41.0) + 350.0 * np.sin(self.hours / 13.0)
        self.pressure = 101_325.0 * (1.0 - 2.25577e-5 * place.elevation_m) ** 5.25588 + drift
        self.sap = _sap(self.temp_c)

    def at(self, what: str, moment: datetime | np.ndarray) -> float | np.ndarray:
        """`what` ("temp_c", "wind", "pressure" or "sap") at a moment, or at seconds since ORIGIN."""
        seconds = moment if isinstance(moment, np.ndarray) else (moment - ORIGIN).total_seconds()
        found = np.interp(np.asarray(seconds) / 3600.0, self.hours, getattr(self, what))
        return found if isinstance(moment, np.ndarray) else float(found)


def _sap(temp_c: np.ndarray) -> np.ndarray:
    """Sap of one tap in m³/s: runs when a frost is followed by warmth, fades when no frost follows."""
    flow, stored = np.zeros(temp_c.size), 8.0
    for i, temp in enumerate(temp_c):
        stored = min(stored + 1.1 * max(-temp, 0.0), 22.0)
        drive = np.clip((temp - 0.3) / 5.0, 0.0, 1.0)
        flow[i] = 0.19 * drive * min(stored / 14.0, 1.0)
        stored = max(stored - 0.8 * drive, 1.0)
    return flow * 3.785411784e-3 / 3600.0


def weather_file(place: Place, now: datetime, days_back: int = 3) -> str:
    """The weather stand-in's file: some days back and two ahead (docs/formats.md)."""
    weather, out = Weather(place), io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["at", "temp_c", "wind_m_s", "kind"])
    for step in range(-24 * days_back, 49):
        at = now.replace(minute=0, second=0, microsecond=0) + timedelta(hours=step)
        writer.writerow([at.isoformat(), round(float(weather.at("temp_c", at)), 1), round(float(weather.at("wind", at)), 1),
                         "measured" if step <= 0 else "forecast"])
    return out.getvalue()
