"""Enter a sugarhouse's equipment and prices."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from zucker_core.evaporator import Evaporator
from zucker_core.membrane import Machine
from zucker_core.sap import TankShape

from ...people.models import Operation
from ..models import EvaporatorUnit, MembraneMachine, PriceList, Tank


@transaction.atomic
def set_up_house(operation: Operation, facts: dict[str, Any]) -> None:
    """Tanks, machine, evaporator and prices, each checked by the core before it is kept. Raises CoreError."""
    for role, tank in facts["tanks"].items():
        TankShape(**tank["shape"])
        Tank.objects.update_or_create(
            operation=operation, role=role,
            defaults={"name": tank["name"], "shape": tank["shape"], "reserve_m3": tank["reserve_m3"]})
    if facts["machine"] is not None:
        Machine(**facts["machine"])
        MembraneMachine.objects.update_or_create(operation=operation, defaults={
            "name": facts["machine_name"], "parameters": facts["machine"],
            "permeate_since_wash_m3": facts["since_wash_m3"]})
    Evaporator(**facts["evaporator"])
    EvaporatorUnit.objects.update_or_create(operation=operation, defaults={
        "name": facts["evaporator_name"], "parameters": facts["evaporator"], "firing_decay_s": facts["firing_decay_s"]})
    PriceList.objects.update_or_create(operation=operation, defaults=facts["prices"])
