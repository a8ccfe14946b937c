"""Choose one target as tonight's plan."""

from __future__ import annotations

from typing import Any

import structlog
from django.db import transaction

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ..models import Plan, Run
from ..tonight import compare, replanned
from .start_run import require_open

log = structlog.get_logger()
KEPT = (
    "target_brix",
    "light_min",
    "ro_min",
    "ro_end_min",
    "boil_min",
    "boil_end_min",
    "finish_min",
    "concentrate_m3",
    "permeate_m3",
    "syrup_m3",
    "fuel",
    "power_kwh",
    "labour_h",
    "cost",
    "cost_per_m3",
    "washes",
    "trace_min",
    "syrup_trace",
    "head_trace",
    "ways",
)


def choose_plan(operation: Operation, person: Person, assumptions: dict[str, Any], target_brix: float) -> Plan:
    """Work the comparison out again and keep the chosen target's promise. Raises Refused for a target that
    is not offered or is refused."""
    choice = _able(compare(operation, assumptions)["choices"], target_brix)
    plan = Plan.objects.create(
        operation=operation,
        made_at=clock.now(),
        made_by=person,
        assumptions=assumptions,
        choice={key: choice[key] for key in KEPT},
    )
    log.info("plan chosen", operation=operation.pk, plan=plan.pk, target=target_brix)
    return plan


@transaction.atomic
def replan(operation: Operation, run: Run, person: Person, target_brix: float) -> Plan:
    """Give an open run a new plan from where it stands; times and syrup of the promise are counted from the run's start.

    Raises Refused for a closed run, or a target that is refused.
    """
    require_open(run)
    found = replanned(operation, run.plan)
    choice = _able(found["choices"], target_brix)
    since = (clock.now() - run.started_at).total_seconds() / 60.0
    drawn = sum(d.volume_m3 for d in run.draws.filter(undone_at__isnull=True))
    for key in ("light_min", "ro_end_min", "boil_end_min", "finish_min"):
        choice[key] += since
    choice["syrup_m3"] += drawn
    steps = int(since // choice["trace_min"])
    before = run.plan.choice.get("syrup_trace") or [] if run.plan else []
    past = [before[min(k, len(before) - 1)] if before else drawn * k / max(steps, 1) for k in range(steps)]
    choice["syrup_trace"] = past + [drawn + value for value in choice["syrup_trace"]]
    choice["head_trace"] = [choice["head_trace"][0]] * steps + choice["head_trace"]
    plan = Plan.objects.create(
        operation=operation,
        made_at=clock.now(),
        made_by=person,
        assumptions=found["assumptions"],
        choice={key: choice[key] for key in KEPT},
    )
    run.plan = plan
    run.save(update_fields=["plan"])
    log.info("replanned", run=run.pk, plan=plan.pk, target=target_brix)
    return plan


def _able(choices: list[dict[str, Any]], target_brix: float) -> dict[str, Any]:
    """The choice of a target. Raises Refused when it is not offered or cannot be done."""
    choice = next((c for c in choices if abs(c["target_brix"] - target_brix) < 1e-6), None)
    if choice is None:
        raise Refused("target_brix", f"{target_brix:g} is not among the targets compared", value=target_brix)
    if choice["limit"] is not None:
        raise Refused("target_brix", f"{target_brix:g} °Brix cannot be done: {choice['limit']}", value=target_brix)
    return choice
