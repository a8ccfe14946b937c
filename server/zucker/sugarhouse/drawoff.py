"""Where to draw off: today's boiling point, followed by the barometer, moved by the cup tests."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np
from zucker_core import sugar, water
from zucker_core.errors import CoreError

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind, Reading, Sensor
from ..telemetry.queries import Latest, latest_of
from .models import EntryKind, Run

PLAUSIBLE_PA = (6e4, 1.2e5)

Cup = tuple[datetime, float, float, float]


def drawoff_of(operation: Operation, run: Run | None, parts: dict[tuple[str, str], Sensor]) -> dict[str, Any]:
    """Where to draw: from the boiling point measured in this run, else the barometer, else the elevation.

    A measured boiling point goes with the barometer from then on (`moved_k`). Cup tests of the run then move the
    set point (zucker_core.sugar.drawoff_correction), each brought from the air it was taken in to the air of now.
    """
    sensor = parts.get(("barometer", Kind.PRESSURE))
    barometer = latest_of(sensor)
    usable = barometer is not None and PLAUSIBLE_PA[0] <= barometer.value <= PLAUSIBLE_PA[1]
    air = _Air(sensor, run, barometer if usable else None)
    moved = 0.0
    if run is not None and run.water_boiling_c is not None:
        moved = air.moved_since(run.water_boiling_at) if run.water_boiling_at else 0.0
        source, boiling = "measured", run.water_boiling_c + moved
        pressure = float(water.saturation_pressure(boiling))
    else:
        pressure = barometer.value if usable and barometer else float(sugar.station_pressure(operation.elevation_m))
        source, boiling = ("barometer" if usable else "elevation"), float(sugar.water_boiling_c(pressure))
    first = float(sugar.drawoff_temperature(operation.syrup_brix, boiling))
    facts = {
        "set_c": first, "uncertainty_k": None, "first_c": first, "water_boiling_c": boiling, "source": source, "moved_k": moved,
        "pressure_pa": pressure, "barometer_age_s": barometer.age_s if barometer else None, "limited": False,
        "target_brix": operation.syrup_brix,
    }
    cups = [] if run is None else [(set_c + air.moved_since(at), brix, sd) for at, set_c, brix, sd in cups_of(run)]
    if cups:
        try:
            point = sugar.drawoff_correction(*cups[-1], operation.syrup_brix, pressure, earlier=cups[:-1])
        except CoreError:
            return facts
        facts |= {"set_c": point.set_c, "uncertainty_k": point.uncertainty_k, "limited": point.limited}
    return facts


def cups_of(run: Run) -> list[Cup]:
    """(when, set point, true Brix, standard deviation) of every draw and cup test, oldest first."""
    found = [(d.at, d.set_c, d.true_brix, d.brix_sd) for d in run.draws.all() if d.undone_at is None]
    found += [(e.at, e.facts["set_c"], e.facts["true_brix"], e.facts["brix_sd"]) for e in run.entries.all()
              if e.kind == EntryKind.CUP and e.undone_at is None]
    return [cup for cup in sorted(found) if 50.0 <= cup[2] <= 75.0]


class _Air:
    """The barometer over a run, read once when it is first asked; without one the air stands still."""

    def __init__(self, sensor: Sensor | None, run: Run | None, now: Latest | None) -> None:
        self.sensor, self.run, self.now = sensor, run, now
        self.seen: tuple[np.ndarray, np.ndarray] | None = None

    def moved_since(self, moment: datetime) -> float:
        """How far the boiling point of water has moved since, K."""
        if self.now is None or self.now.stale or self.run is None:
            return 0.0
        seconds, pressures = self._over_the_run()
        if not len(seconds):
            return 0.0
        then = float(np.interp(moment.timestamp(), seconds, pressures))
        return float(sugar.water_boiling_c(self.now.value)) - float(sugar.water_boiling_c(then))

    def _over_the_run(self) -> tuple[np.ndarray, np.ndarray]:
        if self.seen is None and self.run is not None:
            rows = Reading.objects.filter(
                sensor=self.sensor, at__gte=self.run.started_at, at__lte=clock.now(), value__range=PLAUSIBLE_PA)
            found = list(rows.order_by("at").values_list("at", "value"))
            self.seen = np.array([at.timestamp() for at, _ in found]), np.array([value for _, value in found])
        return self.seen or (np.zeros(0), np.zeros(0))
