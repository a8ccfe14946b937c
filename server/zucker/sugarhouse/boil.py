"""Boil: what now, beside the pan."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from zucker_core import sugar
from zucker_core.evaporator import firing_interval
from zucker_core.membrane import wash_need

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind
from ..telemetry.queries import latest_of, sensors_by_part
from . import live
from .drawoff import MOVED_K, drawoff_of
from .equipment import House, TankNow, house_of, tanks_now
from .models import Draw, Entry, EntryKind, Run

CUP_TEST_EVERY = timedelta(minutes=45)
HEAVY_K = 0.6
"""A pan so far past the draw-off holds syrup two or three °Brix too heavy, and it scorches soon."""
MEAN_FIRE_SHARE = 0.75


def open_run(operation: Operation) -> Run | None:
    """The run that is not closed yet."""
    return (
        Run.objects.of(operation).filter(closed_at__isnull=True).select_related("plan")
        .prefetch_related("draws__by", "entries__by").first())


def advice_on(operation: Operation, volume_m3: float, true_brix: float, brix_sd: float) -> dict[str, Any]:
    """What a density means for a volume: on target, light or heavy by more than the reading is sure of."""
    target = operation.syrup_brix
    gap = true_brix - target
    facts: dict[str, Any] = {"gap_brix": gap, "verdict": "on", "boil_off_kg": None, "thin_m3": None, "given_away": None}
    if gap < -brix_sd:
        facts |= {"verdict": "light", "boil_off_kg": sugar.thicken(volume_m3, true_brix, target).water_kg}
    elif gap > brix_sd:
        given = sugar.overdensity_cost(1.0, true_brix, target, 1.0)
        facts |= {"verdict": "heavy", "thin_m3": sugar.thin(volume_m3, true_brix, target), "given_away": given}
    return facts


def draw_out(operation: Operation, draw: Draw) -> dict[str, Any]:
    """A draw with its advice."""
    return {
        "id": draw.pk, "token": draw.token, "at": draw.at, "by": draw.by.username if draw.by else "", "volume_m3": draw.volume_m3,
        "instrument": draw.instrument, "reading": draw.reading, "temp_c": draw.temp_c, "set_c": draw.set_c,
        "true_brix": draw.true_brix, "brix_sd": draw.brix_sd,
        **advice_on(operation, draw.volume_m3, draw.true_brix, draw.brix_sd),
    }


def entry_out(entry: Entry) -> dict[str, Any]:
    """A line of the log."""
    return {"id": entry.pk, "token": entry.token, "at": entry.at, "by": entry.by.username if entry.by else "",
            "kind": entry.kind, "text": entry.text, "true_brix": entry.facts.get("true_brix")}


def boil_now(operation: Operation) -> dict[str, Any]:
    """Everything the Boil room shows."""
    parts, house = sensors_by_part(operation), house_of(operation)
    run, tanks = open_run(operation), tanks_now(operation, parts)
    pan = latest_of(parts.get(("pan", Kind.TEMPERATURE)))
    drawoff = drawoff_of(operation, run, parts)
    hot = pan is not None and pan.value > drawoff["water_boiling_c"] - live.HOT_BELOW_K
    advice = live.advice_now(operation, run, house, tanks, parts) if run is not None and hot else None
    if advice is None:
        advice = live.trend_now(tanks.get("head"))
    head = _head_out(tanks.get("head"), advice)
    draws = [d for d in run.draws.all() if d.undone_at is None] if run else []
    entries = [e for e in run.entries.all() if e.undone_at is None] if run else []
    firing = _firing(house, entries)
    permeate, sap = tanks.get("permeate"), tanks.get("sap")
    need = sum(wash_need(machine).permeate_m3 for machine in house.machines)
    alarms = live.alarms_now(run, tanks, pan, drawoff["water_boiling_c"], advice)
    state = {
        "run": None if run is None else {
            "id": run.pk, "number": run.number, "started_at": run.started_at, "water_boiling_c": run.water_boiling_c,
            "plan": run.plan.choice if run.plan and run.plan.choice else None,
        },
        "drawoff": drawoff, "head": head, "firing": firing, "fuel_gauge": live.fuel_now(run, house, hot) if run else None,
        "advice": None if advice is None else {key: advice[key] for key in (
            "sap_in", "minutes_to_brim", "permeate_short_m3", "warn", "breach", "change", "membrane_on")},
        "sap": None if sap is None or sap.volume_m3 is None else {
            "volume_m3": sap.volume_m3, "minutes_left": advice["sap_minutes"] if advice else None},
        "permeate": None if permeate is None or permeate.volume_m3 is None or not house.machines else {
            "volume_m3": permeate.volume_m3, "wash_m3": need},
        "pan_c": pan.value if pan else None, "pan_age_s": pan.age_s if pan else None, "hot": hot,
        "draws": [draw_out(operation, d) for d in draws], "entries": [entry_out(e) for e in entries],
        "syrup_m3": sum(d.volume_m3 for d in draws), "syrup_planned_m3": live.syrup_planned(run) if run else None,
        "fuel": house.evaporator.fuel if house.evaporator else None, "alarms": alarms,
    }
    past_k = pan.value - drawoff["set_c"] if hot and pan is not None and not pan.stale else None
    return state | {"next": _next(run, head, advice, firing, draws, hot, drawoff["moved_k"], past_k)}


def _head_out(tank: TankNow | None, advice: dict[str, Any] | None) -> dict[str, Any] | None:
    if tank is None or tank.volume_m3 is None or tank.level is None:
        return None
    facts: dict[str, Any] = {
        "volume_m3": tank.volume_m3, "capacity_m3": tank.capacity_m3, "reserve_m3": tank.reserve_m3,
        "age_s": tank.level.age_s, "stale": tank.level.stale}
    return facts | {key: advice[key] if advice else None for key in ("fall_m3_s", "minutes_left", "minutes_low", "minutes_high")}


def _firing(house: House, entries: list[Entry]) -> dict[str, Any] | None:
    unit, evaporator = next(iter(house.evaporator_rows), None), house.evaporator
    if unit is None or not unit.firing_decay_s or evaporator is None or evaporator.fuel != "wood":
        return None
    last = max((e.at for e in entries if e.kind == EntryKind.FIRED), default=None)
    interval = float(firing_interval(MEAN_FIRE_SHARE, unit.firing_decay_s))
    return {"interval_s": interval, "since_s": (clock.now() - last).total_seconds() if last else None}


def _next(
    run: Run | None, head: dict[str, Any] | None, advice: dict[str, Any] | None, firing: dict[str, Any] | None,
    draws: list[Draw], hot: bool, moved_k: float, past_k: float | None,
) -> dict[str, Any]:
    """The one thing to do now. `key` names it for the interface; `minutes` is how long there is."""
    if run is None:
        return {"key": "start", "minutes": None, "urgent": False}
    if advice is not None and advice["warn"]:
        key = "boil-ends" if advice["sap_in"] else "concentrate-low"
        return {"key": key, "minutes": advice["minutes_left"], "urgent": not advice["sap_in"]}
    if past_k is not None and past_k >= 0:
        return {"key": "draw", "minutes": None, "urgent": past_k >= HEAVY_K}
    if head is not None and head["stale"]:
        return {"key": "level-lost", "minutes": head["age_s"] / 60, "urgent": hot}
    if firing is not None and (firing["since_s"] is None or firing["since_s"] >= firing["interval_s"]):
        return {"key": "fire", "minutes": 0.0, "urgent": False}
    if run.water_boiling_c is None:
        return {"key": "boiling-point", "minutes": None, "urgent": False}
    if abs(moved_k) >= MOVED_K:
        return {"key": "weather-moved", "minutes": None, "urgent": False}
    if advice is not None and advice["change"] is not None:
        return {"key": "change", "minutes": advice["minutes_left"], "urgent": False}
    since = clock.now() - (draws[-1].at if draws else run.started_at)
    if draws and since > CUP_TEST_EVERY:
        return {"key": "cup-test", "minutes": since.total_seconds() / 60, "urgent": False}
    if firing is not None:
        return {"key": "wait-fire", "minutes": (firing["interval_s"] - firing["since_s"]) / 60, "urgent": False}
    return {"key": "steady", "minutes": head["minutes_left"] if head else None, "urgent": False}
