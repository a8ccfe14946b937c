"""What a plan assumes: as it stands now, and as it stands some hours on."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from zucker_core.evaporator import FUELS

from .. import clock
from ..config.errors import Refused
from ..people.models import Operation
from ..season.forecast import sap_ahead
from ..telemetry.queries import Latest, sensors_by_part
from .equipment import House, TankNow, house_of, tanks_now
from .models import Plan, PriceList, Run

FALLBACK_BRIX, FALLBACK_TEMP_C = 2.0, 4.0
NO_EQUIPMENT = "a plan needs a sap tank and an evaporator; this operation has not entered them"


def _source(latest: Latest | None, otherwise: str) -> dict[str, Any]:
    if latest is None:
        return {"text": otherwise, "age_s": None}
    return {"text": "measured", "age_s": latest.age_s}


def assumptions_now(operation: Operation) -> dict[str, Any]:
    """Everything a plan depends on as it stands, SI, with where each value came from."""
    tanks, house = tanks_now(operation, sensors_by_part(operation)), house_of(operation)
    evaporator, machine = house.evaporator, house.machine
    if evaporator is None or "sap" not in tanks:
        raise Refused("equipment", NO_EQUIPMENT, 409)
    sap_tank, prices = tanks["sap"], PriceList.objects.of(operation).first()
    head, permeate = tanks.get("head"), tanks.get("permeate")
    brix = sap_tank.brix.value if sap_tank.brix else FALLBACK_BRIX
    temp = sap_tank.temp.value if sap_tank.temp else FALLBACK_TEMP_C
    ahead = sap_ahead(operation)
    assumptions = {
        "sap_volume_m3": sap_tank.volume_m3 or 0.0, "sap_brix": min(max(brix, 0.2), 20.0),
        "sap_temp_c": min(max(temp, 0.0), 40.0), "ice_m3": 0.0, "loads": [],
        "coming_m3": _expected(ahead["middle_m3"], sap_tank, machine is not None), "coming_h": ahead["hours"],
        "coming_low_m3": _expected(ahead["low_m3"], sap_tank, machine is not None) if ahead["low_m3"] is not None else None,
        "coming_high_m3": _expected(ahead["high_m3"], sap_tank, machine is not None) if ahead["high_m3"] is not None else None,
        "head_volume_m3": _volume(head), "head_brix": _brix(head, 8.0),
        "permeate_m3": _volume(permeate),
        "pressure_pa": machine.pressure_pa if machine else 0.0,
        "heat_w": evaporator.heat_w, "efficiency": evaporator.efficiency,
        "more_pressures_pa": [m.pressure_pa for m in house.machines[1:]],
        "more_heats_w": [e.heat_w for e in house.evaporators[1:]],
        "more_efficiencies": [e.efficiency for e in house.evaporators[1:]],
        "fuel_price": float(prices.fuel) if prices else 0.0, "power_price_kwh": float(prices.power_kwh) if prices else 0.0,
        "power_prices_kwh": [],
        "labour_price_h": float(prices.labour_hour) if prices else 0.0, "wash_price": float(prices.wash) if prices else 0.0,
        "membrane_people": 0.5, "fire_people": 1.0, "present_from_h": None, "present_until_h": None,
        "finish_by_h": None, "objective": "cheapest", "pans_left": "held",
        "cut_from_h": None, "cut_until_h": None,
        "frost_at_h": None,
        "taste_low": None, "taste_high": None, "taste_cost": 0.0,
    }
    fuel = FUELS[evaporator.fuel]
    learned = _learned(house)
    return {
        "assumptions": assumptions,
        "sources": {
            "sap_volume_m3": _source(sap_tank.level, "no level sensor: type it in"),
            "sap_brix": _source(sap_tank.brix, "no reading: 2.0 taken"),
            "sap_temp_c": _source(sap_tank.temp, "no reading: 4 °C taken"),
            "head_volume_m3": _source(head.level if head else None, "no head tank"),
            "permeate_m3": _source(permeate.level if permeate else None, "no permeate tank"),
            "heat_w": {"text": learned, "age_s": None}, "efficiency": {"text": learned, "age_s": None},
        },
        "forecast": ahead,
        "sap_capacity_m3": sap_tank.capacity_m3,
        "head_capacity_m3": head.capacity_m3 if head else sap_tank.capacity_m3,
        "head_reserve_m3": head.reserve_m3 if head else 0.0,
        "permeate_capacity_m3": permeate.capacity_m3 if permeate else 0.0,
        "machine": " and ".join(row.name for row in house.machine_rows) or None,
        "machines": [row.name for row in house.machine_rows], "evaporators": [row.name for row in house.evaporator_rows],
        "machine_max_brix": max((m.max_brix for m in house.machines), default=None),
        "arrangement": machine.arrangement if machine else None,
        "evaporator": " and ".join(row.name for row in house.evaporator_rows), "fuel": fuel.name, "fuel_unit": fuel.trade_unit,
        "chosen": _chosen(operation),
    }


def _expected(middle_m3: float | None, sap_tank: TankNow, machine: bool) -> float:
    """Forecast sap that a plan counts on. Without a membrane only what the tank still
    takes: the rest runs over, plan or no plan."""
    if middle_m3 is None or machine:
        return middle_m3 or 0.0
    return min(middle_m3, max(sap_tank.capacity_m3 - (sap_tank.volume_m3 or 0.0), 0.0))


def _learned(house: House) -> str:
    if house.lesson is None:
        return "the maker's figure"
    runs = house.lesson.facts.get("runs", 1)
    return f"learned from {runs} runs" if runs != 1 else "learned from one run"


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


ENDS = ("coming_h", "present_from_h", "present_until_h", "finish_by_h", "cut_from_h", "cut_until_h", "frost_at_h")
SOONEST_FINISH_H = 0.5


def later(a: dict[str, Any], hours: float) -> dict[str, Any]:
    """Assumptions as they stand some hours on: what counts from now counts from later, what has come is in the tank.

    Trucks, cuts and frosts that lie behind are left out; of the sap to come the share is left that its hours leave.
    """
    left = max(1.0 - hours / a["coming_h"], 0.0) if a["coming_h"] else 0.0
    then = {**a, **{key: max(a[key] - hours, 0.0) for key in ENDS if a.get(key) is not None}}
    for key in ("coming_m3", "coming_low_m3", "coming_high_m3"):
        if a.get(key) is not None:
            then[key] = a[key] * left
    then["loads"] = [{**load, "at_h": load["at_h"] - hours} for load in a["loads"] if load["at_h"] >= hours]
    then["power_prices_kwh"] = a["power_prices_kwh"][min(int(hours), max(len(a["power_prices_kwh"]) - 1, 0)):]
    if then["cut_until_h"] is not None and then["cut_until_h"] <= 0:
        then |= {"cut_from_h": None, "cut_until_h": None}
    if then["frost_at_h"] is not None and then["frost_at_h"] <= 0:
        # it is there: what runs is kept warm, or the list for a cold snap is at hand
        then["frost_at_h"] = None
    if then["finish_by_h"] is not None:
        then["finish_by_h"] = max(then["finish_by_h"], SOONEST_FINISH_H)
    if then["present_until_h"] is not None and then["present_until_h"] <= (then["present_from_h"] or 0.0):
        # they have stayed on
        then |= {"present_from_h": None, "present_until_h": None}
    return then


STOCKS = ("sap_volume_m3", "sap_brix", "sap_temp_c", "head_volume_m3", "head_brix", "permeate_m3")


def known_now(operation: Operation, planned: Plan | None) -> dict[str, Any]:
    """The assumptions of this minute in a run: stocks as measured, the rest as the plan had it, so much later."""
    now = assumptions_now(operation)["assumptions"]
    if planned is None:
        return now
    # a plan kept before an assumption was added does not have it
    then = later(now | {key: value for key, value in planned.assumptions.items() if key in now}, _hours_since(planned.made_at))
    return then | {key: now[key] for key in STOCKS} | {"ice_m3": 0.0}


def _hours_since(moment: datetime) -> float:
    return max((clock.now() - moment).total_seconds() / 3600.0, 0.0)
