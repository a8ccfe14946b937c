"""Sap to come, from the weather file and this operation's own past runs."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.db.models import Sum
from zucker_core import sap
from zucker_core.errors import Inconsistent

from .. import clock
from ..people.models import Operation
from ..sugarhouse.models import Run
from ..woods.models import Bush
from .models import WeatherHour
from .queries import THAW_C

LOOK_BACK, LOOK_AHEAD = timedelta(hours=30), timedelta(hours=24)
RUN_BEFORE, RUN_AFTER = timedelta(hours=18), timedelta(hours=6)
HARD_FROST_C = -7.0


def _temperatures(operation: Operation, start: datetime, end: datetime) -> tuple[list[datetime], np.ndarray]:
    rows = list(WeatherHour.objects.of(operation).filter(at__gte=start, at__lt=end).order_by("at").values_list("at", "temp_c"))
    return [at for at, _ in rows], np.array([temp for _, temp in rows])


def index_of(operation: Operation, run: Run) -> float | None:
    """Run index of the day that a run was made of; None where its weather is not known."""
    times, temps = _temperatures(operation, run.started_at - RUN_BEFORE - LOOK_BACK, run.started_at + RUN_AFTER)
    if len(times) < 24:
        return None
    index = sap.hourly_index(temps)
    return float(index[[at >= run.started_at - RUN_BEFORE for at in times]].sum())


def past_runs(operation: Operation) -> list[sap.PastRun]:
    """Closed runs as the forecast learns from them: run index, sap a tap."""
    found = []
    for run in Run.objects.of(operation).filter(taps__gt=0).exclude(figures={}).order_by("-number")[:60]:
        volume = run.figures.get("sap_m3") or 0.0
        index = run.figures.get("index")
        if index and volume > 0:
            found.append(sap.PastRun(index, min(volume / run.taps, 1.0)))
    return found


def sap_ahead(operation: Operation) -> dict[str, Any]:
    """Sap that the lines will still bring in the coming day, with its spread, and the next frost; SI.

    Without weather or under five past runs with their weather the volumes are None and `reason` says why.
    """
    now = clock.now()
    times, temps = _temperatures(operation, now - LOOK_BACK, now + LOOK_AHEAD)
    ahead = [k for k, at in enumerate(times) if at >= now]
    facts: dict[str, Any] = {
        "middle_m3": None, "low_m3": None, "high_m3": None, "index": None, "hours": 0.0, "runs": 0, "reason": "",
        "frost_in_h": None, "low_c": None, "hard_frost": False, "thaw_in_h": None,
    }
    if not ahead:
        return facts | {"reason": "no weather for the coming hours"}
    frost = next((k for k in ahead if temps[k] < 0), None)
    thaw = next((k for k in ahead if frost is not None and k > frost and temps[k] >= THAW_C), None)
    low = float(temps[ahead].min())
    facts |= {
        "frost_in_h": None if frost is None else (times[frost] - now).total_seconds() / 3600, "low_c": low,
        "hard_frost": low < HARD_FROST_C, "thaw_in_h": None if thaw is None else (times[thaw] - now).total_seconds() / 3600}
    index = sap.hourly_index(temps)
    flowing = [k for k in ahead if index[k] > 0 and (frost is None or k < frost)]
    total = float(index[flowing].sum()) if flowing else 0.0
    hours = (times[flowing[-1]] - now).total_seconds() / 3600 + 1 if flowing else 0.0
    facts |= {"index": total, "hours": float(min(round(hours, 1), 24.0))}
    try:
        learned = sap.learn_yield(past_runs(operation))
    except Inconsistent as few:
        return facts | {"reason": str(few)}
    taps = Bush.objects.of(operation).filter(hauled=False).aggregate(taps=Sum("taps"))["taps"] or 0
    middle, least, most = learned.of(total, taps)
    if middle <= 0:
        return facts | {"middle_m3": 0.0, "low_m3": 0.0, "high_m3": 0.0, "hours": 0.0, "runs": learned.runs}
    return facts | {"middle_m3": middle, "low_m3": least, "high_m3": most, "runs": learned.runs}
