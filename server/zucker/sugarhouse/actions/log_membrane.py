"""Write down a membrane's readings, the steps of its wash, and its clean-water test."""

from __future__ import annotations

import uuid
from datetime import datetime
from typing import Any

import structlog
from django.db import transaction
from zucker_core.errors import Inconsistent
from zucker_core.membrane import Record

from ... import clock
from ...config.errors import Refused
from ...people.models import Person
from ..fouling import known_before, since_wash
from ..models import CleanWaterTest, MembraneLine, MembraneMachine, Run, WashStep
from ..session import clean_water_health
from .kept import written_at
from .start_run import require_open

log = structlog.get_logger()
STEPS = ("rinse", "alkali", "acid", "soak", "flush", "done")


@transaction.atomic
def log_membrane(
    run: Run,
    machine: MembraneMachine,
    person: Person,
    *,
    feed_brix: float,
    concentrate_brix: float,
    temp_c: float,
    pressure_pa: float,
    permeate_m3_s: float,
    at: datetime | None = None,
    token: uuid.UUID | None = None,
) -> MembraneLine:
    """One line of the log; permeate since the last wash is worked out. Raises OutOfRange or Refused."""
    token = token or uuid.uuid4()
    known = run.membrane_lines.filter(token=token).first()
    if known is not None:
        return known
    require_open(run)
    when = written_at(at, run.started_at)
    machine = MembraneMachine.objects.select_for_update().get(pk=machine.pk)
    through = since_wash(machine, run, when, permeate_m3_s)
    # the core's own checks, so that a line which nothing could be learned from is not kept
    try:
        Record(feed_brix, concentrate_brix, temp_c, pressure_pa, permeate_m3_s, through)
    except Inconsistent as odd:
        raise Refused(odd.name, str(odd), value=concentrate_brix) from None
    cycle = WashStep.objects.filter(
        machine=machine, step="done", at__gte=run.started_at, at__lte=when, undone_at__isnull=True
    ).count()
    line = MembraneLine.objects.create(
        run=run,
        machine=machine,
        by=person,
        at=when,
        token=token,
        feed_brix=feed_brix,
        concentrate_brix=concentrate_brix,
        temp_c=temp_c,
        pressure_pa=pressure_pa,
        permeate_m3_s=permeate_m3_s,
        since_wash_m3=through,
        cycle=cycle,
    )
    machine.permeate_since_wash_m3 = through
    machine.save(update_fields=["permeate_since_wash_m3"])
    return line


@transaction.atomic
def log_wash(
    machine: MembraneMachine,
    person: Person,
    *,
    step: str,
    chemical: str,
    temp_c: float | None,
    minutes: float | None,
    ph: float | None,
    at: datetime | None = None,
    token: uuid.UUID | None = None,
) -> WashStep:
    """One step of a wash; "done" sets the permeate since the wash to nothing. Raises Refused."""
    token = token or uuid.uuid4()
    known = machine.wash_steps.filter(token=token).first()
    if known is not None:
        return known
    if step not in STEPS:
        raise Refused("step", f"{step!r} is not one of {', '.join(STEPS)}", value=step)
    if step in ("alkali", "acid") and not chemical:
        raise Refused("chemical", "say which chemical was used", value="")
    when = written_at(at, clock.now())
    machine = MembraneMachine.objects.select_for_update().get(pk=machine.pk)
    before = machine.wash_steps.filter(undone_at__isnull=True).order_by("-at").first()
    if before is not None and {before.step, step} == {"alkali", "acid"}:
        raise Refused("step", f"{step} straight after {before.step}: rinse in between, the two are never mixed", status=409)
    row = WashStep.objects.create(
        machine=machine, by=person, at=when, token=token, step=step, chemical=chemical, temp_c=temp_c, minutes=minutes, ph=ph
    )
    if step == "done":
        machine.permeate_since_wash_m3 = 0.0
        machine.save(update_fields=["permeate_since_wash_m3"])
        log.info("membrane washed", machine=machine.pk)
    return row


def log_clean_water(
    machine: MembraneMachine,
    person: Person,
    *,
    flow_m3_s: float,
    temp_c: float,
    pressure_pa: float,
    at: datetime | None = None,
    token: uuid.UUID | None = None,
) -> CleanWaterTest:
    """A clean-water test with the membrane's health. Raises OutOfRange or Refused."""
    token = token or uuid.uuid4()
    health = clean_water_health(machine, flow_m3_s, temp_c, pressure_pa)
    row, _ = CleanWaterTest.objects.get_or_create(
        machine=machine,
        token=token,
        defaults={
            "at": written_at(at, clock.now()),
            "by": person,
            "flow_m3_s": flow_m3_s,
            "temp_c": temp_c,
            "pressure_pa": pressure_pa,
            "health": health,
        },
    )
    return row


@transaction.atomic
def undo_line(row: Any) -> None:
    """Take back a line, a step or a test; the row stays. What the membrane has made since its wash follows."""
    if row.undone_at is not None:
        raise Refused("line", "this line is undone already", status=409)
    row.undone_at = clock.now()
    row.save(update_fields=["undone_at"])
    if isinstance(row, MembraneLine) or (isinstance(row, WashStep) and row.step == "done"):
        machine = MembraneMachine.objects.select_for_update().get(pk=row.machine_id)
        machine.permeate_since_wash_m3 = known_before(machine)
        machine.save(update_fields=["permeate_since_wash_m3"])
