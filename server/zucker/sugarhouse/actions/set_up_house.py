"""Enter a sugarhouse's equipment and prices."""

from __future__ import annotations

from typing import Any

from django.db import models, transaction
from zucker_core.evaporator import Evaporator
from zucker_core.membrane import Machine
from zucker_core.sap import TankShape

from ...config.errors import Refused
from ...people.models import Operation
from ..models import EvaporatorUnit, MembraneMachine, PriceList, Tank, TankRole


@transaction.atomic
def set_up_house(operation: Operation, facts: dict[str, Any]) -> None:
    """Tanks, membranes, evaporators and prices, each checked by the core before it is kept.

    The first of a kind stands by itself; further ones are lists: `more_tanks` (with their role), `more_machines`,
    `more_evaporators`. What was there before is changed in its order. Raises CoreError, or Refused when a membrane
    with a log would go.
    """
    for role in TankRole.values:
        tanks = [facts["tanks"][role]] if role in facts["tanks"] else []
        tanks += [tank for tank in facts.get("more_tanks", []) if tank["role"] == role]
        for tank in tanks:
            TankShape(**tank["shape"])
        _keep(Tank.objects.of(operation).filter(role=role), [
            {"operation": operation, "role": role, "name": tank["name"], "shape": tank["shape"],
             "reserve_m3": tank.get("reserve_m3", 0.0)} for tank in tanks])
    machines = []
    if facts["machine"] is not None:
        machines.append({"name": facts["machine_name"], "parameters": facts["machine"], "since_wash_m3": facts["since_wash_m3"]})
    machines += facts.get("more_machines", [])
    for machine in machines:
        Machine(**machine["parameters"])
    _keep(MembraneMachine.objects.of(operation), [
        {"operation": operation, "name": machine["name"], "parameters": machine["parameters"],
         "permeate_since_wash_m3": machine.get("since_wash_m3", 0.0)} for machine in machines])
    first = {"name": facts["evaporator_name"], "parameters": facts["evaporator"], "firing_decay_s": facts["firing_decay_s"]}
    units = [first, *facts.get("more_evaporators", [])]
    for unit in units:
        Evaporator(**unit["parameters"])
    _keep(EvaporatorUnit.objects.of(operation), [
        {"operation": operation, "name": unit["name"], "parameters": unit["parameters"],
         "firing_decay_s": unit.get("firing_decay_s")} for unit in units])
    PriceList.objects.update_or_create(operation=operation, defaults=facts["prices"])


def _keep(there: models.QuerySet[Any], wanted: list[dict[str, Any]]) -> None:
    """Change the rows that are there in their order, add what is new, drop what is no longer."""
    rows = list(there.order_by("pk"))
    for row in rows[len(wanted):]:
        if isinstance(row, MembraneMachine) and row.lines.exists():
            raise Refused("machine", f"{row.name} has a log: keep it in the list", status=409)
        row.delete()
    for row, facts in zip(rows, wanted, strict=False):
        for name, value in facts.items():
            setattr(row, name, value)
        row.save()
    for facts in wanted[len(rows):]:
        there.model.objects.create(**facts)
