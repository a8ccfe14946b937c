"""The membrane's session: its log beside what it should do, its wash, its health."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from zucker_core import membrane
from zucker_core.errors import CoreError

from .. import clock
from ..people.models import Operation
from ..telemetry.models import Kind
from ..telemetry.queries import latest_of, sensors_by_part
from .equipment import House, house_of, tanks_now
from .fouling import running_by_log, through_now
from .models import CleanWaterTest, MembraneLine, MembraneMachine, Run, WashStep

TESTS_SHOWN, WASH_SHOWN = 40, timedelta(days=2)


def clean_water_health(row: MembraneMachine, flow_m3_s: float, temp_c: float, pressure_pa: float) -> float:
    """Flow on clean water over what the maker's machine gives at the same temperature and pressure."""
    machine = membrane.Machine(**row.parameters)
    new = float(membrane.element_flux(machine, 0.0, 25.0, machine.pressure_pa)) * machine.elements * machine.area_m2
    return float(membrane.clean_water_test(flow_m3_s, temp_c, new, 25.0, pressure_pa, machine.pressure_pa))


def membrane_now(operation: Operation, run: Run | None) -> dict[str, Any]:
    """Every membrane with its log, what it should give now, its wash and its tests."""
    house = house_of(operation)
    parts = sensors_by_part(operation)
    tanks = tanks_now(operation, parts)
    sap, head, permeate = tanks.get("sap"), tanks.get("head"), tanks.get("permeate")
    flow, pressure = latest_of(parts.get(("membrane", Kind.FLOW))), latest_of(parts.get(("membrane", Kind.PRESSURE)))
    on = running_by_log(run) if run else {}
    return {
        "permeate_m3": permeate.volume_m3 if permeate else None,
        "permeate_capacity_m3": permeate.capacity_m3 if permeate else None,
        "now": {
            "feed_brix": sap.brix.value if sap and sap.brix else None,
            "temp_c": sap.temp.value if sap and sap.temp else None,
            "concentrate_brix": head.brix.value if head and head.brix else None,
            "pressure_pa": pressure.value if pressure and pressure.value > 1e5 else None,
            "permeate_m3_s": flow.value if flow and flow.value > 1e-9 else None,
        },
        "machines": [_one(house, k, run, on) for k in range(len(house.machines))],
    }


def _one(house: House, k: int, run: Run | None, on: dict[str, datetime | None]) -> dict[str, Any]:
    row, machine = house.machine_rows[k], house.machines[k]
    need = membrane.wash_need(machine)
    lines = list(row.lines.filter(run=run, undone_at__isnull=True).select_related("by")) if run else []
    steps = list(row.wash_steps.filter(at__gte=clock.now() - WASH_SHOWN, undone_at__isnull=True).select_related("by"))
    tests = list(row.clean_water_tests.filter(undone_at__isnull=True).order_by("-at")[:TESTS_SHOWN])[::-1]
    shown = [line_out(line, machine) for line in lines]
    through = through_now(row, run)
    fouled = float(membrane.fouling_ratio(machine, through))
    ratio = shown[-1]["ratio"] if shown and shown[-1]["ratio"] is not None else fouled
    return {
        "id": row.pk,
        "name": row.name,
        "arrangement": machine.arrangement,
        "elements": int(machine.elements),
        "pressure_pa": machine.pressure_pa,
        "max_brix": machine.max_brix,
        "wash_below": machine.wash_below,
        "since_wash_m3": through,
        "running": None if row.name not in on else on[row.name] is not None,
        "running_since": on.get(row.name),
        "ratio": ratio,
        "wash_due": bool(ratio < machine.wash_below),
        "wash": {
            "permeate_m3": need.permeate_m3,
            "minutes": need.duration_s / 60,
            "rinse_m3": machine.rinse_before * machine.hold_up_m3,
            "fill_m3": machine.wash_fill * machine.hold_up_m3,
            "flush_m3": machine.rinse_after * machine.hold_up_m3,
        },
        "lines": shown,
        "steps": [step_out(step) for step in steps],
        "tests": [water_test_out(test) for test in tests],
    }


def line_out(line: MembraneLine, machine: membrane.Machine) -> dict[str, Any]:
    """A line of the log with what the clean machine would give, and the ratio of the two (None where it cannot)."""
    try:
        clean = float(membrane.clean_permeate_flow(machine, line.feed_brix, line.concentrate_brix, line.temp_c, line.pressure_pa))
    except CoreError:
        clean = 0.0
    return {
        "id": line.pk,
        "machine": line.machine_id,
        "at": line.at,
        "by": line.by.username if line.by else "",
        "feed_brix": line.feed_brix,
        "concentrate_brix": line.concentrate_brix,
        "temp_c": line.temp_c,
        "pressure_pa": line.pressure_pa,
        "permeate_m3_s": line.permeate_m3_s,
        "since_wash_m3": line.since_wash_m3,
        "clean_m3_s": clean or None,
        "ratio": line.permeate_m3_s / clean if clean > 0 else None,
    }


def step_out(step: WashStep) -> dict[str, Any]:
    """A wash step as shown."""
    return {
        "id": step.pk,
        "at": step.at,
        "by": step.by.username if step.by else "",
        "step": step.step,
        "chemical": step.chemical,
        "temp_c": step.temp_c,
        "minutes": step.minutes,
        "ph": step.ph,
    }


def water_test_out(test: CleanWaterTest) -> dict[str, Any]:
    """A clean-water test as shown."""
    return {
        "id": test.pk,
        "at": test.at,
        "health": test.health,
        "flow_m3_s": test.flow_m3_s,
        "temp_c": test.temp_c,
        "pressure_pa": test.pressure_pa,
    }
