"""Tonight: what is assumed, and what each target would mean."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from zucker_core import run
from zucker_core.evaporator import FUELS, Evaporator
from zucker_core.membrane import Machine, MembraneState

from ..config.errors import Refused
from ..people.models import Operation
from ..telemetry.queries import Latest, sensors_by_part
from .equipment import TankNow, evaporator_of, machine_of, tanks_now
from .models import EvaporatorUnit, MembraneMachine, Plan, PriceList, Run

TRACE_EVERY_MIN = 10
FALLBACK_BRIX, FALLBACK_TEMP_C = 2.0, 4.0


def _source(latest: Latest | None, otherwise: str) -> dict[str, Any]:
    if latest is None:
        return {"text": otherwise, "age_s": None}
    return {"text": "measured", "age_s": latest.age_s}


def assumptions_now(operation: Operation) -> dict[str, Any]:
    """Everything a plan depends on as it stands, SI, with where each measured value came from."""
    parts = sensors_by_part(operation)
    tanks = tanks_now(operation, parts)
    unit, machine_row = EvaporatorUnit.objects.of(operation).first(), MembraneMachine.objects.of(operation).first()
    evaporator, machine = evaporator_of(operation), machine_of(operation)
    if unit is None or evaporator is None or "sap" not in tanks:
        raise Refused("equipment", "a plan needs a sap tank and an evaporator; this operation has not entered them", 409)
    sap_tank, prices = tanks["sap"], PriceList.objects.of(operation).first()
    head, permeate = tanks.get("head"), tanks.get("permeate")
    brix = sap_tank.brix.value if sap_tank.brix else FALLBACK_BRIX
    temp = sap_tank.temp.value if sap_tank.temp else FALLBACK_TEMP_C
    assumptions = {
        "sap_volume_m3": sap_tank.volume_m3 or 0.0, "sap_brix": min(max(brix, 0.2), 20.0),
        "sap_temp_c": min(max(temp, 0.0), 40.0), "coming_m3": 0.0, "coming_h": 0.0,
        "head_volume_m3": _volume(head), "head_brix": _brix(head, 8.0),
        "permeate_m3": _volume(permeate),
        "pressure_pa": machine.pressure_pa if machine else 0.0,
        "heat_w": evaporator.heat_w, "efficiency": evaporator.efficiency,
        "fuel_price": float(prices.fuel) if prices else 0.0, "power_price_kwh": float(prices.power_kwh) if prices else 0.0,
        "labour_price_h": float(prices.labour_hour) if prices else 0.0, "wash_price": float(prices.wash) if prices else 0.0,
        "membrane_people": 0.5, "fire_people": 1.0, "finish_by_h": None, "objective": "cheapest",
    }
    fuel = FUELS[evaporator.fuel]
    return {
        "assumptions": assumptions,
        "sources": {
            "sap_volume_m3": _source(sap_tank.level, "no level sensor: type it in"),
            "sap_brix": _source(sap_tank.brix, "no reading: 2.0 taken"),
            "sap_temp_c": _source(sap_tank.temp, "no reading: 4 °C taken"),
            "head_volume_m3": _source(head.level if head else None, "no head tank"),
            "permeate_m3": _source(permeate.level if permeate else None, "no permeate tank"),
        },
        "sap_capacity_m3": sap_tank.shape.capacity_m3,
        "head_capacity_m3": head.shape.capacity_m3 if head else sap_tank.shape.capacity_m3,
        "head_reserve_m3": head.tank.reserve_m3 if head else 0.0,
        "permeate_capacity_m3": permeate.shape.capacity_m3 if permeate else 0.0,
        "machine": machine_row.name if machine_row else None,
        "machine_max_brix": machine.max_brix if machine else None,
        "arrangement": machine.arrangement if machine else None,
        "evaporator": unit.name, "fuel": fuel.name, "fuel_unit": fuel.trade_unit,
        "chosen": _chosen(operation),
    }


def _volume(tank: TankNow | None) -> float:
    return tank.volume_m3 or 0.0 if tank else 0.0


def _brix(tank: TankNow | None, otherwise: float) -> float:
    return min(max(tank.brix.value, 0.2), 40.0) if tank and tank.brix else otherwise


def _chosen(operation: Operation) -> dict[str, Any] | None:
    """The plan last chosen, unless a run has been made of it."""
    plan = Plan.objects.of(operation).first()
    if plan is None or Run.objects.of(operation).filter(plan=plan, closed_at__isnull=False).exists():
        return None
    return {"id": plan.pk, "made_at": plan.made_at.isoformat(), "made_by": plan.made_by.username if plan.made_by else "",
            **plan.choice}


def scenario_of(operation: Operation, a: dict[str, Any]) -> tuple[run.Scenario, Evaporator, Machine | None]:
    """The core's scenario of these assumptions. Raises CoreError naming what does not fit."""
    tanks = tanks_now(operation, sensors_by_part(operation))
    evaporator, machine = evaporator_of(operation), machine_of(operation)
    if evaporator is None or "sap" not in tanks:
        raise Refused("equipment", "a plan needs a sap tank and an evaporator; this operation has not entered them", 409)
    evaporator = replace(evaporator, heat_w=a["heat_w"], efficiency=a["efficiency"])
    if machine is not None:
        machine = replace(machine, pressure_pa=a["pressure_pa"])
    sap_tank, head, permeate = tanks["sap"], tanks.get("head"), tanks.get("permeate")
    for name, volume, tank in (("sap_volume_m3", a["sap_volume_m3"], sap_tank), ("head_volume_m3", a["head_volume_m3"], head)):
        if tank is not None and volume > tank.shape.capacity_m3 * (1 + 1e-9):
            raise Refused(name, f"{volume:.3g} m³ is more than the tank's {tank.shape.capacity_m3:.3g} m³", value=volume)
    fuel = FUELS[evaporator.fuel]
    minutes = round(a["coming_h"] * 60)
    if a["coming_m3"] > 0 and minutes < 1:
        raise Refused("coming_h", "sap that is still to come needs the hours it comes in", value=a["coming_h"])
    row = MembraneMachine.objects.of(operation).first()
    scenario = run.Scenario(
        sap=run.Stock(a["sap_volume_m3"], a["sap_brix"], a["sap_temp_c"], sap_tank.shape.capacity_m3),
        head=run.Stock(
            a["head_volume_m3"], a["head_brix"], a["sap_temp_c"],
            head.shape.capacity_m3 if head else sap_tank.shape.capacity_m3, head.tank.reserve_m3 if head else 0.0),
        evaporator=evaporator, machine=machine, membrane=MembraneState(row.permeate_since_wash_m3 if row else 0.0),
        permeate_m3=a["permeate_m3"], permeate_capacity_m3=permeate.shape.capacity_m3 if permeate else 0.0,
        prices=run.Prices(
            fuel=a["fuel_price"] / fuel.trade_size, power_j=a["power_price_kwh"] / 3.6e6,
            labour_s=a["labour_price_h"] / 3600.0, wash=a["wash_price"]),
        people=run.People(a["membrane_people"], a["fire_people"]),
        inflow_m3_s=np.full(minutes, a["coming_m3"] / max(minutes, 1) / 60.0) if a["coming_m3"] > 0 else np.zeros(0),
        inflow_brix=a["sap_brix"], finish_by_min=None if a["finish_by_h"] is None else a["finish_by_h"] * 60.0,
    )
    if a["sap_volume_m3"] + a["head_volume_m3"] + a["coming_m3"] <= 0:
        raise Refused("sap_volume_m3", "there is no sap to plan for: enter how much there is", value=0.0)
    return scenario, evaporator, machine


def compare(operation: Operation, a: dict[str, Any]) -> dict[str, Any]:
    """What each target would mean under these assumptions."""
    scenario, evaporator, _ = scenario_of(operation, a)
    found = run.plan(scenario, a["objective"])
    return {
        "choices": [_shape(choice, found, evaporator) for choice in found.choices],
        "best": found.best, "frontier": list(found.frontier),
    }


def _shape(choice: run.Choice, found: run.Plan, evaporator: Evaporator) -> dict[str, Any]:
    out, r = found.outcome, choice.row
    facts: dict[str, Any] = {
        "target_brix": choice.target_brix, "light_min": choice.light_min, "limit": choice.limit, "limit_min": choice.limit_min,
        "cost_per_m3": choice.cost_per_m3, "in_band": choice.in_band,
    }
    if choice.limit is not None:
        return facts
    end = int(out.finish_min[r]) + 1
    every = slice(0, end + TRACE_EVERY_MIN, TRACE_EVERY_MIN)

    def trace(values: np.ndarray) -> list[float]:
        return [round(float(v), 3) for v in values[every, r]]

    return facts | {
        "ro_min": float(out.ro_min[r]), "ro_end_min": float(out.ro_end_min[r]), "boil_min": float(out.boil_min[r]),
        "boil_end_min": float(out.boil_end_min[r]), "finish_min": float(out.finish_min[r]), "washes": int(out.washes[r]),
        "concentrate_m3": float(out.concentrate_m3[r]), "permeate_m3": float(out.permeate_m3[r]),
        "permeate_left_m3": float(out.permeate_left_m3[r]), "syrup_m3": float(out.syrup_m3[r]),
        "fuel": float(out.fuel[r]) / FUELS[evaporator.fuel].trade_size, "power_kwh": float(out.power_j[r]) / 3.6e6,
        "labour_h": float(out.labour_s[r]) / 3600.0, "cost": float(out.cost[r]), "fuel_cost": float(out.fuel_cost[r]),
        "power_cost": float(out.power_cost[r]), "labour_cost": float(out.labour_cost[r]), "wash_cost": float(out.wash_cost[r]),
        "trace_min": TRACE_EVERY_MIN, "sap_trace": trace(out.sap_trace), "head_trace": trace(out.head_trace),
        "permeate_trace": trace(out.permeate_trace), "syrup_trace": trace(out.syrup_trace),
        "wash_spans": _spans(out.wash_trace[:, r]), "ro_spans": _spans(out.ro_trace[:, r]),
    }


def _spans(share: np.ndarray) -> list[list[int]]:
    """[start, end) minutes in which something ran."""
    on = np.concatenate([[0], (share > 0).astype(int), [0]])
    change = np.diff(on)
    return [[int(a), int(b)] for a, b in zip(np.nonzero(change == 1)[0], np.nonzero(change == -1)[0], strict=True)]
