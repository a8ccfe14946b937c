"""Boil: what now, beside the pan."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from zucker_core import run as core_run
from zucker_core import sugar, water
from zucker_core.errors import CoreError
from zucker_core.evaporator import firing_interval

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind, Sensor
from ..telemetry.queries import latest_of, recent, sensors_by_part
from .equipment import TankNow, evaporator_of, tanks_now, volume_at
from .models import Draw, EntryKind, EvaporatorUnit, Run

LEVEL_WINDOW_MIN = 15
LOW_MIN = 20.0
CUP_TEST_EVERY = timedelta(minutes=45)
MEAN_FIRE_SHARE = 0.75


def open_run(operation: Operation) -> Run | None:
    """The run that is not closed yet."""
    return Run.objects.of(operation).filter(closed_at__isnull=True).select_related("plan").first()


def drawoff_of(operation: Operation, run: Run | None, parts: dict[tuple[str, str], Sensor]) -> dict[str, Any]:
    """Where to draw: from the boiling point measured in this run, else the barometer, else the elevation.

    Cup tests of the run then move the set point (zucker_core.sugar.drawoff_correction).
    """
    barometer = latest_of(parts.get(("barometer", Kind.PRESSURE)))
    if run is not None and run.water_boiling_c is not None:
        source, boiling = "measured", run.water_boiling_c
        pressure = float(water.saturation_pressure(boiling))
    else:
        usable = barometer is not None and 6e4 <= barometer.value <= 1.2e5
        pressure = barometer.value if usable and barometer else float(sugar.station_pressure(operation.elevation_m))
        source, boiling = ("barometer" if usable else "elevation"), float(sugar.water_boiling_c(pressure))
    first = float(sugar.drawoff_temperature(operation.syrup_brix, boiling))
    facts = {
        "set_c": first, "uncertainty_k": None, "first_c": first, "water_boiling_c": boiling, "source": source,
        "pressure_pa": pressure, "barometer_age_s": barometer.age_s if barometer else None, "limited": False,
        "target_brix": operation.syrup_brix,
    }
    cups = [] if run is None else [
        (d.set_c, d.true_brix, d.brix_sd) for d in run.draws.filter(undone_at__isnull=True).order_by("at", "pk")
        if 50.0 <= d.true_brix <= 75.0
    ]
    if cups:
        try:
            point = sugar.drawoff_correction(*cups[-1], operation.syrup_brix, pressure, earlier=cups[:-1])
        except CoreError:
            return facts
        facts |= {"set_c": point.set_c, "uncertainty_k": point.uncertainty_k, "limited": point.limited}
    return facts


def head_of(tank: TankNow | None, parts: dict[tuple[str, str], Sensor]) -> dict[str, Any] | None:
    """How long the concentrate lasts, from the levels of the last quarter of an hour."""
    sensor = parts.get(("head tank", Kind.LEVEL))
    if tank is None or sensor is None or tank.volume_m3 is None or tank.level is None:
        return None
    facts: dict[str, Any] = {
        "volume_m3": tank.volume_m3, "capacity_m3": tank.shape.capacity_m3, "reserve_m3": tank.tank.reserve_m3,
        "age_s": tank.level.age_s, "stale": tank.level.stale, "fall_m3_s": None, "minutes_left": None,
        "minutes_low": None, "minutes_high": None,
    }
    levels = recent(sensor, LEVEL_WINDOW_MIN)
    if len(levels) >= 3 and not tank.level.stale:
        seconds = [(at - levels[0][0]).total_seconds() for at, _ in levels]
        if seconds[-1] >= 30:
            left = core_run.concentrate_left(
                seconds, [volume_at(tank.shape, value) for _, value in levels], tank.tank.reserve_m3)
            facts |= {key: getattr(left, key) for key in ("fall_m3_s", "minutes_left", "minutes_low", "minutes_high")}
    return facts


def advice_on(operation: Operation, draw: Draw) -> dict[str, Any]:
    """What a draw's density means: on target, light or heavy by more than the reading is sure of."""
    target = operation.syrup_brix
    gap = draw.true_brix - target
    facts: dict[str, Any] = {"gap_brix": gap, "verdict": "on", "boil_off_kg": None, "thin_m3": None, "given_away": None}
    if gap < -draw.brix_sd:
        facts |= {"verdict": "light", "boil_off_kg": sugar.thicken(draw.volume_m3, draw.true_brix, target).water_kg}
    elif gap > draw.brix_sd:
        given = sugar.overdensity_cost(1.0, draw.true_brix, target, 1.0)
        facts |= {"verdict": "heavy", "thin_m3": sugar.thin(draw.volume_m3, draw.true_brix, target), "given_away": given}
    return facts


def draw_out(operation: Operation, draw: Draw) -> dict[str, Any]:
    """A draw with its advice."""
    return {
        "id": draw.pk, "at": draw.at, "by": draw.by.username if draw.by else "", "volume_m3": draw.volume_m3,
        "instrument": draw.instrument, "reading": draw.reading, "temp_c": draw.temp_c, "set_c": draw.set_c,
        "true_brix": draw.true_brix, "brix_sd": draw.brix_sd, **advice_on(operation, draw),
    }


def boil_now(operation: Operation) -> dict[str, Any]:
    """Everything the Boil room shows."""
    parts = sensors_by_part(operation)
    run, unit = open_run(operation), EvaporatorUnit.objects.of(operation).first()
    tanks, evaporator = tanks_now(operation, parts), evaporator_of(operation)
    pan = latest_of(parts.get(("pan", Kind.TEMPERATURE)))
    head = head_of(tanks.get("head"), parts)
    draws = list(run.draws.filter(undone_at__isnull=True).select_related("by")) if run else []
    entries = list(run.entries.filter(undone_at__isnull=True).select_related("by")) if run else []
    firing = None
    if unit is not None and unit.firing_decay_s and evaporator is not None and evaporator.fuel == "wood":
        last = max((e.at for e in entries if e.kind == EntryKind.FIRED), default=None)
        interval = float(firing_interval(MEAN_FIRE_SHARE, unit.firing_decay_s))
        firing = {"interval_s": interval, "since_s": (clock.now() - last).total_seconds() if last else None}
    state = {
        "run": None if run is None else {
            "id": run.pk, "number": run.number, "started_at": run.started_at, "water_boiling_c": run.water_boiling_c,
            "plan": run.plan.choice if run.plan else None,
        },
        "drawoff": drawoff_of(operation, run, parts), "head": head, "firing": firing,
        "pan_c": pan.value if pan else None, "pan_age_s": pan.age_s if pan else None,
        "draws": [draw_out(operation, d) for d in draws],
        "entries": [{"id": e.pk, "at": e.at, "by": e.by.username if e.by else "", "kind": e.kind, "text": e.text}
                    for e in entries],
        "syrup_m3": sum(d.volume_m3 for d in draws), "fuel": evaporator.fuel if evaporator else None,
    }
    return state | {"next": _next(run, head, firing, draws)}


def _next(
    run: Run | None, head: dict[str, Any] | None, firing: dict[str, Any] | None, draws: list[Draw]
) -> dict[str, Any]:
    """The one thing to do now. `key` names it for the interface; `minutes` is how long there is."""
    if run is None:
        return {"key": "start", "minutes": None, "urgent": False}
    if head is not None and head["minutes_left"] is not None and head["minutes_left"] < LOW_MIN:
        return {"key": "concentrate-low", "minutes": head["minutes_left"], "urgent": True}
    if head is not None and head["stale"]:
        return {"key": "level-lost", "minutes": head["age_s"] / 60, "urgent": True}
    if firing is not None and (firing["since_s"] is None or firing["since_s"] >= firing["interval_s"]):
        return {"key": "fire", "minutes": 0.0, "urgent": False}
    if run.water_boiling_c is None:
        return {"key": "boiling-point", "minutes": None, "urgent": False}
    since = clock.now() - (draws[-1].at if draws else run.started_at)
    if draws and since > CUP_TEST_EVERY:
        return {"key": "cup-test", "minutes": since.total_seconds() / 60, "urgent": False}
    if firing is not None:
        return {"key": "wait-fire", "minutes": (firing["interval_s"] - firing["since_s"]) / 60, "urgent": False}
    return {"key": "steady", "minutes": head["minutes_left"] if head else None, "urgent": False}
