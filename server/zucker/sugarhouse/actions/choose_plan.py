"""Choose one target as tonight's plan."""

from __future__ import annotations

from typing import Any

import structlog

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ..models import Plan
from ..tonight import compare

log = structlog.get_logger()
KEPT = (
    "target_brix", "light_min", "ro_min", "ro_end_min", "boil_min", "boil_end_min", "finish_min", "concentrate_m3", "permeate_m3",
    "syrup_m3", "fuel", "power_kwh", "labour_h", "cost", "cost_per_m3", "washes",
)


def choose_plan(operation: Operation, person: Person, assumptions: dict[str, Any], target_brix: float) -> Plan:
    """Work the comparison out again and keep the chosen target's promise. Raises Refused for a target that
    is not offered or is refused."""
    choice = next((c for c in compare(operation, assumptions)["choices"] if abs(c["target_brix"] - target_brix) < 1e-6), None)
    if choice is None:
        raise Refused("target_brix", f"{target_brix:g} is not among the targets compared", value=target_brix)
    if choice["limit"] is not None:
        raise Refused("target_brix", f"{target_brix:g} °Brix cannot be done: {choice['limit']}", value=target_brix)
    plan = Plan.objects.create(
        operation=operation, made_at=clock.now(), made_by=person, assumptions=assumptions,
        choice={key: choice[key] for key in KEPT})
    log.info("plan chosen", operation=operation.pk, plan=plan.pk, target=target_brix)
    return plan
