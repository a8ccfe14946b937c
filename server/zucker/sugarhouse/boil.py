"""Boil: what now, beside the pan."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from zucker_core import run as core_run
from zucker_core import sugar
from zucker_core.evaporator import firing_interval
from zucker_core.membrane import wash_need

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind
from ..telemetry.queries import latest_of, sensors_by_part
from . import live
from .drawoff import drawoff_of
from .equipment import House, TankNow, house_of, tanks_now
from .models import Draw, Entry, EntryKind, Run


def open_run(operation: Operation) -> Run | None:
    """The run that is not closed yet."""
    return (
        Run.objects.of(operation).filter(closed_at__isnull=True).select_related("plan")
        .prefetch_related("draws__by", "entries__by").first())


def advice_on(operation: Operation, volume_m3: float, true_brix: float, brix_sd: float) -> dict[str, Any]:
    """What a density means for a volume (zucker_core.sugar.verdict)."""
    found = asdict(sugar.verdict(volume_m3, true_brix, brix_sd, operation.syrup_brix))
    return {"verdict": found.pop("word"), **found}


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
    hot = pan is not None and core_run.pans_hot(pan.value, drawoff["water_boiling_c"])
    advice = live.advice_now(operation, run, house, tanks, parts) if run is not None and hot else None
    if advice is None:
        advice = live.trend_now(tanks.get("head"))
    head = _head_out(tanks.get("head"), advice)
    draws = [d for d in run.draws.all() if d.undone_at is None] if run else []
    entries = [e for e in run.entries.all() if e.undone_at is None] if run else []
    firing = _firing(house, entries)
    permeate, sap = tanks.get("permeate"), tanks.get("sap")
    need = sum(wash_need(machine).permeate_m3 for machine in house.machines)
    alarms = live.alarms_now(run, tanks, pan, hot, advice)
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
    interval = float(firing_interval(core_run.MEAN_FIRE_SHARE, unit.firing_decay_s))
    return {"interval_s": interval, "since_s": (clock.now() - last).total_seconds() if last else None}


def _next(
    run: Run | None, head: dict[str, Any] | None, advice: dict[str, Any] | None, firing: dict[str, Any] | None,
    draws: list[Draw], hot: bool, moved_k: float, past_k: float | None,
) -> dict[str, Any]:
    """The one thing to do now (zucker_core.run.next_action)."""
    beside = core_run.Beside(
        run is not None, hot=hot, past_k=past_k, moved_k=moved_k,
        boiling_measured=run is not None and run.water_boiling_c is not None,
        head=None if head is None else core_run.Head(head["age_s"] / 60, head["stale"], head["minutes_left"]),
        sampled_min=(clock.now() - draws[-1].at).total_seconds() / 60 if draws else None)
    if advice is not None:
        beside = replace(beside, low=advice["warn"], sap_in=advice["sap_in"], change=advice["change"] is not None)
    if firing is not None:
        since_s = firing["since_s"]
        beside = replace(beside, firing_every_min=firing["interval_s"] / 60, fired_min=None if since_s is None else since_s / 60)
    return asdict(core_run.next_action(beside))
