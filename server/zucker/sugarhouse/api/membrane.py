"""The membrane's session: readings, wash, clean-water test."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import StringConstraints

from ...config.errors import REFUSALS, Errors
from ...config.fields import Id, Slug
from ...people.access import operation_for
from ...people.models import Operation, Role
from .. import session
from ..actions.log_membrane import log_clean_water, log_membrane, log_wash, undo_line
from ..boil import open_run
from ..equipment import house_of
from ..models import CleanWaterTest, MembraneLine, MembraneMachine, WashStep
from .boil import KeptIn
from .common import Facts, between, person_of, run_of

router = Router(auth=django_auth)

Flow = Annotated[float, between(0, 1)]
Pressure = Annotated[float, between(0, 1e7)]
Degrees = Annotated[float, between(0, 60)]


class MembraneLineOut(Schema):
    """ratio: flow over what the clean machine would give at the same Brix, temperature and pressure."""

    id: int
    machine: int
    at: datetime
    by: str
    feed_brix: float
    concentrate_brix: float
    temp_c: float
    pressure_pa: float
    permeate_m3_s: float
    since_wash_m3: float
    clean_m3_s: float | None
    ratio: float | None


class WashStepOut(Schema):
    id: int
    at: datetime
    by: str
    step: str
    chemical: str
    temp_c: float | None
    minutes: float | None
    ph: float | None


class CleanWaterOut(Schema):
    """health: over the flow when new at the same temperature and pressure."""

    id: int
    at: datetime
    health: float
    flow_m3_s: float
    temp_c: float
    pressure_pa: float


class WashNeedOut(Schema):
    permeate_m3: float
    minutes: float
    rinse_m3: float
    fill_m3: float
    flush_m3: float


class MembraneOut(Schema):
    """running: by the run's log, None when it does not say; since when."""

    id: int
    name: str
    arrangement: str
    elements: int
    pressure_pa: float
    max_brix: float
    wash_below: float
    since_wash_m3: float
    running: bool | None
    running_since: datetime | None
    ratio: float
    wash_due: bool
    wash: WashNeedOut
    lines: list[MembraneLineOut]
    steps: list[WashStepOut]
    tests: list[CleanWaterOut]


class MembraneNowOut(Schema):
    feed_brix: float | None
    concentrate_brix: float | None
    temp_c: float | None
    pressure_pa: float | None
    permeate_m3_s: float | None


class MembraneSessionOut(Schema):
    permeate_m3: float | None
    permeate_capacity_m3: float | None
    now: MembraneNowOut
    machines: list[MembraneOut]


@router.get("/operations/{operation}/membrane", response={200: MembraneSessionOut, REFUSALS: Errors})
def read_membrane(request: HttpRequest, operation: Slug) -> Facts:
    """Every membrane: log of the open run, wash, tests."""
    place = operation_for(request, operation)
    return session.membrane_now(place, open_run(place))


class MembraneLineIn(KeptIn):
    machine: Id
    feed_brix: Annotated[float, between(0.2, 20)]
    concentrate_brix: Annotated[float, between(0.2, 45)]
    temp_c: Annotated[float, between(0, 45)]
    pressure_pa: Annotated[float, between(1e5, 1e7)]
    permeate_m3_s: Annotated[float, between(1e-7, 1)]


@router.post("/operations/{operation}/runs/{number}/membrane-lines", response={201: MembraneLineOut, REFUSALS: Errors})
def add_line(request: HttpRequest, operation: Slug, number: Id, payload: MembraneLineIn) -> Status:
    """A line of the membrane's log."""
    place = operation_for(request, operation, Role.CREW)
    facts = payload.dict()
    machine = _machine(place, facts.pop("machine"))
    line = log_membrane(run_of(place, number), machine, person_of(request), **facts)
    house = house_of(place)
    known = house.machines[[row.pk for row in house.machine_rows].index(machine.pk)]
    return Status(201, session.line_out(line, known))


class WashStepIn(KeptIn):
    step: Literal["rinse", "alkali", "acid", "soak", "flush", "done"]
    chemical: Annotated[str, StringConstraints(max_length=80, pattern=r"^[^\x00]*$", strip_whitespace=True)] = ""
    temp_c: Degrees | None = None
    minutes: Annotated[float, between(0, 1440)] | None = None
    ph: Annotated[float, between(0, 14)] | None = None


@router.post("/operations/{operation}/machines/{machine}/wash-steps", response={201: WashStepOut, REFUSALS: Errors})
def add_wash_step(request: HttpRequest, operation: Slug, machine: Id, payload: WashStepIn) -> Status:
    """A step of a wash; "done" starts the membrane's count anew."""
    place = operation_for(request, operation, Role.CREW)
    return Status(201, session.step_out(log_wash(_machine(place, machine), person_of(request), **payload.dict())))


class CleanWaterIn(KeptIn):
    flow_m3_s: Annotated[float, between(1e-7, 1)]
    temp_c: Annotated[float, between(0, 45)]
    pressure_pa: Annotated[float, between(1e5, 1e7)]


@router.post("/operations/{operation}/machines/{machine}/clean-water", response={201: CleanWaterOut, REFUSALS: Errors})
def add_test(request: HttpRequest, operation: Slug, machine: Id, payload: CleanWaterIn) -> Status:
    """A clean-water test; answers with the membrane's health."""
    place = operation_for(request, operation, Role.CREW)
    return Status(201, session.water_test_out(log_clean_water(_machine(place, machine), person_of(request), **payload.dict())))


KINDS: dict[str, Any] = {"membrane-lines": MembraneLine, "wash-steps": WashStep, "clean-water": CleanWaterTest}


@router.delete("/operations/{operation}/membrane/{kind}/{line}", response={204: None, REFUSALS: Errors})
def remove_line(
    request: HttpRequest, operation: Slug, kind: Literal["membrane-lines", "wash-steps", "clean-water"], line: Id
) -> Status:
    """Take back a line of the log, a wash step or a test."""
    place = operation_for(request, operation, Role.CREW)
    row = KINDS[kind].objects.of(place).filter(pk=line).first()
    if row is None:
        raise Http404
    undo_line(row)
    return Status(204, None)


def _machine(place: Operation, key: int) -> MembraneMachine:
    found = MembraneMachine.objects.of(place).filter(pk=key).first()
    if found is None:
        raise Http404
    return found
