"""Signs that the season ends, from the weather file, the runs' Brix and what was tasted."""

from __future__ import annotations

from datetime import timedelta
from typing import Any
from zoneinfo import ZoneInfo

from zucker_core import sap

from .. import clock
from ..barrels.models import Lot
from ..people.models import Operation
from ..sugarhouse.models import Run
from .models import WeatherHour

SEASON_DAYS, TASTE_DAYS, LEAST_HOURS = 90, 7, 8


def end_signs(operation: Operation) -> dict[str, Any] | None:
    """The core's signs with their evidence; None without a week of weather."""
    now, zone = clock.now(), ZoneInfo(operation.zone)
    days: dict[Any, list[float]] = {}
    for at, temp in (
        WeatherHour.objects.of(operation)
        .filter(at__gte=now - timedelta(days=SEASON_DAYS), at__lte=now)
        .order_by("at")
        .values_list("at", "temp_c")
    ):
        # a night belongs to the day that follows it
        days.setdefault((at.astimezone(zone) + timedelta(hours=6)).date(), []).append(temp)
    whole = {day: temps for day, temps in days.items() if len(temps) >= LEAST_HOURS}
    if len(whole) < 7:
        return None
    order = sorted(whole)
    runs = [
        (run.started_at.astimezone(zone).date(), run.figures["sap_brix"])
        for run in Run.objects.of(operation)
        .filter(started_at__gte=now - timedelta(days=SEASON_DAYS))
        .order_by("started_at")
        if run.figures.get("sap_brix")
    ]
    tasted = Lot.objects.of(operation).filter(made_at__gte=now - timedelta(days=TASTE_DAYS)).exclude(off_flavour="").count()
    found = sap.season_end(
        [min(whole[day]) for day in order],
        [sum(whole[day]) / len(whole[day]) for day in order],
        [(day - order[0]).days for day, _ in runs],
        [brix for _, brix in runs],
        tasted,
    )
    return {"state": found.state, "signs": [vars(sign) for sign in found.signs], "days": len(order)}
