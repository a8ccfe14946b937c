"""Assumptions as the core's scenario."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from zucker_core import run, sap
from zucker_core.evaporator import FUELS, Evaporator
from zucker_core.membrane import Machine, MembraneState

from ..config.errors import Refused
from ..people.models import Operation
from ..telemetry.queries import sensors_by_part
from .assumptions import NO_EQUIPMENT
from .equipment import House, house_of, tanks_now
from .fouling import states_now
from .models import Run


def scenario_of(operation: Operation, a: dict[str, Any], *, lit: bool = False) -> tuple[run.Scenario, House]:
    """The core's scenario of these assumptions. Raises CoreError or Refused naming what does not fit."""
    tanks, house = tanks_now(operation, sensors_by_part(operation)), house_of(operation)
    if house.evaporator is None or "sap" not in tanks:
        raise Refused("equipment", NO_EQUIPMENT, 409)
    evaporators, machines = _evaporators(a, house), _machines(a, house)
    sap_tank, head, permeate = tanks["sap"], tanks.get("head"), tanks.get("permeate")
    for name, volume, tank in (("sap_volume_m3", a["sap_volume_m3"], sap_tank), ("head_volume_m3", a["head_volume_m3"], head)):
        if tank is not None and volume > tank.capacity_m3 * (1 + 1e-9):
            raise Refused(name, f"{volume:.3g} m³ is more than the tank's {tank.capacity_m3:.3g} m³", value=volume)
    loads = tuple(run.Load(load["at_h"] * 60.0, load["volume_m3"], load["brix"]) for load in a["loads"])
    if a["sap_volume_m3"] + a["head_volume_m3"] + a["coming_m3"] + sum(x.volume_m3 for x in loads) <= 0:
        raise Refused("sap_volume_m3", "there is no sap to plan for: enter how much there is", value=0.0)
    left = without_ice(a)
    states = states_now(house, Run.objects.of(operation).filter(closed_at__isnull=True).first())
    scenario = run.Scenario(
        sap=run.Stock(left["volume_m3"], left["brix"], a["sap_temp_c"], sap_tank.capacity_m3),
        head=run.Stock(
            a["head_volume_m3"], a["head_brix"], a["sap_temp_c"], head.capacity_m3 if head else sap_tank.capacity_m3,
            head.reserve_m3 if head else 0.0),
        evaporator=evaporators[0], more_evaporators=evaporators[1:], machine=machines[0] if machines else None,
        membrane=states[0] if states else MembraneState(), more_machines=tuple(zip(machines[1:], states[1:], strict=True)),
        permeate_m3=a["permeate_m3"], permeate_capacity_m3=permeate.capacity_m3 if permeate else 0.0,
        between_m3=tanks["between"].capacity_m3 if "between" in tanks else 0.0,
        prices=_prices(a, FUELS[evaporators[0].fuel].trade_size), people=_people(a), loads=loads,
        inflow_m3_s=inflow(a, a["coming_m3"]), inflow_brix=a["sap_brix"],
        events=_events(a), pans_left=a["pans_left"], fire_lit=lit,
        finish_by_min=None if a["finish_by_h"] is None else a["finish_by_h"] * 60.0)
    return scenario, house


def _evaporators(a: dict[str, Any], house: House) -> tuple[Evaporator, ...]:
    """The evaporators as assumed."""
    heats = [a["heat_w"], *_further("more_heats_w", a, [e.heat_w for e in house.evaporators])]
    shares = [a["efficiency"], *_further("more_efficiencies", a, [e.efficiency for e in house.evaporators])]
    return tuple(replace(evaporator, heat_w=heat, efficiency=share)
                 for evaporator, heat, share in zip(house.evaporators, heats, shares, strict=True))


def _machines(a: dict[str, Any], house: House) -> list[Machine]:
    """The membranes as assumed."""
    if not house.machines:
        return []
    pressures = [a["pressure_pa"], *_further("more_pressures_pa", a, [m.pressure_pa for m in house.machines])]
    return [replace(machine, pressure_pa=pressure) for machine, pressure in zip(house.machines, pressures, strict=True)]


def _further(name: str, a: dict[str, Any], known: list[float]) -> list[float]:
    """What is assumed of the second machine of a kind and those after it; of what nobody spoke, what is known."""
    given = a.get(name) or []
    if len(given) > len(known) - 1:
        raise Refused(name, f"{len(given)} are given for {len(known) - 1} further machines", value=len(given))
    return [*given, *known[1 + len(given):]]


def without_ice(a: dict[str, Any]) -> dict[str, float]:
    """The sap tank once its ice is thrown out. Raises Inconsistent naming ice_m3."""
    if not a["ice_m3"]:
        return {"volume_m3": a["sap_volume_m3"], "brix": a["sap_brix"]}
    left = sap.take_ice(a["sap_volume_m3"], a["sap_brix"], a["ice_m3"])
    return {"volume_m3": float(left.volume_m3), "brix": float(left.brix)}


def inflow(a: dict[str, Any], volume_m3: float) -> np.ndarray:
    """A volume of sap from the lines by minute, even over its hours."""
    minutes = round(a["coming_h"] * 60)
    if volume_m3 > 0 and minutes < 1:
        raise Refused("coming_h", "sap that is still to come needs the hours it comes in", value=a["coming_h"])
    return np.full(minutes, volume_m3 / max(minutes, 1) / 60.0) if volume_m3 > 0 else np.zeros(0)


def _prices(a: dict[str, Any], trade_size: float) -> run.Prices:
    return run.Prices(
        fuel=a["fuel_price"] / trade_size, power_j=a["power_price_kwh"] / 3.6e6, labour_s=a["labour_price_h"] / 3600.0,
        wash=a["wash_price"], power_hours=tuple(price / 3.6e6 for price in a["power_prices_kwh"]))


def _people(a: dict[str, Any]) -> run.People:
    start, end = a["present_from_h"], a["present_until_h"]
    if start is None and end is None:
        return run.People(a["membrane_people"], a["fire_people"])
    if end is not None and end <= (start or 0.0):
        raise Refused("present_until_h", f"{end:g} h is not after the {start or 0:g} h at which people come", value=end)
    return run.People(a["membrane_people"], a["fire_people"], (((start or 0.0) * 60, (end or 72.0) * 60),))


def _events(a: dict[str, Any]) -> tuple[run.Event, ...]:
    events = []
    if a["cut_from_h"] is not None:
        end = a["cut_until_h"]
        if end is None or end <= a["cut_from_h"]:
            raise Refused("cut_until_h", "a power cut must end after it begins", value=end)
        events.append(run.Event("power cut", a["cut_from_h"] * 60, end * 60))
    if a["frost_at_h"] is not None:
        events.append(run.Event("hard frost", a["frost_at_h"] * 60, 8640.0))
    return tuple(events)
