"""Live advice beside the pans: the core's balance fed from sensors, the plan and the log."""

from __future__ import annotations

from dataclasses import asdict
from datetime import timedelta
from typing import Any

import numpy as np
from zucker_core import membrane
from zucker_core import run as core_run
from zucker_core.errors import CoreError
from zucker_core.evaporator import FUELS, fuel_burnt

from .. import clock
from ..config.errors import Refused
from ..people.models import Operation
from ..telemetry.models import Kind, Sensor
from ..telemetry.queries import Latest, latest_of, recent
from .assumptions import known_now
from .equipment import House, TankNow, volumes_lately
from .fouling import running_by_log
from .models import EntryKind, Run
from .scenario import scenario_of

LEVEL_WINDOW_MIN = 15
RUNNING_M3_S = 1e-6
SEEN_FOR = timedelta(minutes=20)


def target_of(run: Run, head: TankNow) -> float:
    """What the membranes make: the plan's target, else what the head tank holds."""
    planned = run.plan.choice.get("target_brix") if run.plan else None
    if planned is not None:
        return float(planned)
    return head.brix.value if head.brix else 8.0


def advice_now(
    operation: Operation, run: Run, house: House, tanks: dict[str, TankNow], parts: dict[tuple[str, str], Sensor]
) -> dict[str, Any] | None:
    """The core's balance as shown; None while levels or equipment do not allow it."""
    head, sap = tanks.get("head"), tanks.get("sap")
    if head is None or sap is None or house.evaporator is None or head.level is None or head.level.stale:
        return None
    seconds, volumes = volumes_lately(head, LEVEL_WINDOW_MIN)
    if len(seconds) < core_run.LEAST_LEVELS or np.ptp(seconds) < core_run.LEAST_SPAN_S:
        return None
    meter = parts.get(("membrane", Kind.FLOW))
    flow = latest_of(meter)
    flow = None if flow is None or flow.stale else flow
    known = known_now(operation, run.plan)
    target = target_of(run, head)
    try:
        forecast, _ = scenario_of(operation, known, lit=True)
        running = _running_by_log(run, house) if flow is None else flow.value > RUNNING_M3_S
        made = None
        if running and flow is not None and target > known["sap_brix"] + 0.2:
            made = flow.value / (float(membrane.volume_ratio(known["sap_brix"], target, known["sap_temp_c"])) - 1.0)
        state = core_run.State(
            seconds,
            volumes,
            target,
            membrane_on=running,
            concentrate_m3_s=made,
            switched_s_ago=_since_switched(run, None if flow is None else meter, float(seconds[-1])),
        )
        found = core_run.balance(state, forecast)
    except (CoreError, Refused):
        return None
    facts = {
        key: getattr(found, key)
        for key in (
            "minutes_left",
            "minutes_low",
            "minutes_high",
            "sap_in",
            "minutes_to_brim",
            "permeate_short_m3",
            "warn",
            "breach",
        )
    }
    intake = flow.value + (made or 0.0) if running and flow is not None else 0.0
    return facts | {
        "volume_m3": found.head.volume_m3,
        "fall_m3_s": found.head.fall_m3_s,
        "change": asdict(found.change) if found.change else None,
        "membrane_on": running,
        "sap_minutes": (sap.volume_m3 or 0.0) / intake / 60.0 if intake > 0 else None,
    }


def _running_by_log(run: Run, house: House) -> bool:
    """Where no meter tells: by the keys pressed; a membrane that nobody wrote of is taken to run."""
    noted = running_by_log(run)
    return any(since is not None for since in noted.values()) if noted else house.machine is not None


def _since_switched(run: Run, meter: Sensor | None, last_s: float) -> float | None:
    """Seconds from the last start or stop of a membrane to the last level: by its meter, where there is none by the log;
    None when neither tells of any."""
    if meter is not None:
        rows = recent(meter, LEVEL_WINDOW_MIN)
        on = [value > RUNNING_M3_S for _, value in rows]
        switched = [at for (at, _), before, now in zip(rows[1:], on, on[1:], strict=False) if before != now]
    else:
        keys = (EntryKind.MEMBRANE_ON, EntryKind.MEMBRANE_OFF)
        switched = [entry.at for entry in run.entries.all() if entry.undone_at is None and entry.kind in keys]
    return max(last_s - max(switched).timestamp(), 0.0) if switched else None


def trend_now(head: TankNow | None) -> dict[str, Any] | None:
    """What the head tank's level alone says, where the pans are cold or nothing else is known of them."""
    if head is None or head.level is None or head.level.stale:
        return None
    seconds, volumes = volumes_lately(head, LEVEL_WINDOW_MIN)
    if len(seconds) < core_run.LEAST_LEVELS or np.ptp(seconds) < core_run.LEAST_SPAN_S:
        return None
    found = core_run.concentrate_left(seconds, volumes, head.reserve_m3)
    return {
        "minutes_left": found.minutes_left, "minutes_low": found.minutes_low, "minutes_high": found.minutes_high,
        "fall_m3_s": found.fall_m3_s, "sap_in": False, "minutes_to_brim": None, "permeate_short_m3": 0.0, "breach": "",
        "warn": found.minutes_left is not None and found.minutes_left <= core_run.WARN_MIN, "change": None, "membrane_on": False,
        "sap_minutes": None}


def syrup_planned(run: Run) -> float | None:
    """Syrup that the plan promised by now, m³; its minutes count from the run's start."""
    choice = run.plan.choice if run.plan else {}
    trace = choice.get("syrup_trace") or []
    if not trace or not choice.get("trace_min"):
        return None
    minutes = (clock.now() - run.started_at).total_seconds() / 60.0
    return float(np.interp(minutes, np.arange(len(trace)) * choice["trace_min"], trace))


def fuel_now(run: Run, house: House, hot: bool) -> dict[str, Any] | None:
    """Fuel burnt so far by the fire's rate and the time it was lit, with what the plan promised; None for wood,
    which has its firings."""
    evaporator = house.evaporator
    if evaporator is None or evaporator.fuel == "wood":
        return None
    marks = [(e.at, e.kind) for e in run.entries.all() if e.undone_at is None and e.kind in (EntryKind.LIT, EntryKind.OUT)]
    marks.sort()
    if not marks and hot:
        marks = [(run.started_at, EntryKind.LIT)]
    seconds, lit = 0.0, None
    for at, kind in [*marks, (clock.now(), EntryKind.OUT)]:
        if kind == EntryKind.LIT and lit is None:
            lit = at
        elif kind == EntryKind.OUT and lit is not None:
            seconds += max((at - lit).total_seconds(), 0.0)
            lit = None
    size = FUELS[evaporator.fuel].trade_size
    rate = sum(e.fuel_rate for e in house.evaporators)
    used = sum(fuel_burnt(e, seconds) for e in house.evaporators) / size
    promised = run.plan.choice.get("fuel") if run.plan else None
    return {
        "used": used,
        "planned": promised,
        "unit": FUELS[evaporator.fuel].trade_unit,
        "per_h": rate * 3600 / size,
        "lit": bool(marks) and marks[-1][1] == EntryKind.LIT,
    }


def alarms_now(
    run: Run | None, tanks: dict[str, TankNow], pan: Latest | None, hot: bool, advice: dict[str, Any] | None
) -> list[dict[str, Any]]:
    """What cannot wait (zucker_core.run.alarms), with what somebody has seen of it lately."""
    if run is None:
        return []
    watched = [
        core_run.Watched(tank.tank.name, tank.volume_m3, tank.capacity_m3, part == "head", tank.reserve_m3,
                         tank.level is None or tank.level.stale)
        for part in ("head", "sap") if (tank := tanks.get(part)) is not None and tank.volume_m3 is not None]
    head = tanks.get("head")
    read = {"pan temperature": pan, "head tank level": head.level if head else None}
    readings = [core_run.Reading(name, one.age_s / 60.0, one.stale) for name, one in read.items() if one is not None]
    seen = {
        (e.facts.get("key"), e.facts.get("tank") or "")
        for e in run.entries.all()
        if e.kind == EntryKind.ALARM and e.undone_at is None and e.at > clock.now() - SEEN_FOR
    }
    found = core_run.alarms(hot, watched, readings, advice["minutes_left"] if advice else None)
    return [{"key": one.key, "value": one.value, "tank": one.of, "seen": (one.key, one.of) in seen} for one in found]
