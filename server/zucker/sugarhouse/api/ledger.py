"""Runs from start to close: the list, the sugar balance, closing, exports."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field
from zucker_core.evaporator import FUELS
from zucker_core.run import Measured

from ...config.errors import REFUSALS, Errors
from ...config.fields import Brix, Id, ShortText, Slug, Strict, Volume
from ...people.access import operation_for
from ...people.models import Role
from .. import closing
from ..actions.close_run import close_run
from ..actions.start_run import start_run
from ..equipment import evaporator_of
from ..models import Plan, Run
from .common import Facts, between, person_of, run_of

router = Router(auth=django_auth)


class Planned(Schema):
    syrup_m3: float | None
    fuel: float | None
    hours: float | None
    labour_h: float | None


class ClosingOut(Schema):
    sugar_in_kg: float
    sugar_out_kg: float
    unaccounted_kg: float
    sd_kg: float
    closure: float
    explained: bool
    largest: str


class RunOut(Schema):
    """Fuel in its trade unit."""

    id: int
    number: int
    started_at: datetime
    closed_at: datetime | None
    target_brix: float | None
    syrup_m3: float
    draws: int
    taps: int
    syrup_per_tap_m3: float | None
    fuel: float | None
    fuel_unit: str
    fuel_per_syrup: float | None
    labour_h: float | None
    hours: float
    planned: Planned | None
    closing: ClosingOut | None


@router.get("/operations/{operation}/runs", response={200: list[RunOut], REFUSALS: Errors})
def list_runs(request: HttpRequest, operation: Slug) -> list[Facts]:
    """All runs, the newest first."""
    place = operation_for(request, operation)
    runs = Run.objects.of(place).select_related("plan").prefetch_related("draws")
    return [closing.summary(place, run) for run in runs]


class StartIn(Strict):
    plan: Id | None = None


@router.post("/operations/{operation}/runs", response={201: RunOut, REFUSALS: Errors})
def beginrun_of(request: HttpRequest, operation: Slug, payload: StartIn) -> Status:
    """Start a run, by a plan if one is named."""
    place = operation_for(request, operation, Role.CREW)
    plan = None
    if payload.plan is not None:
        plan = Plan.objects.of(place).filter(pk=payload.plan).first()
        if plan is None:
            raise Http404
    return Status(201, closing.summary(place, start_run(place, person_of(request), plan)))


@router.get("/operations/{operation}/runs/{number}", response={200: RunOut, REFUSALS: Errors})
def readrun_of(request: HttpRequest, operation: Slug, number: Id) -> Facts:
    """One run."""
    place = operation_for(request, operation)
    return closing.summary(place, run_of(place, number))


class MeasureIO(Strict):
    """One line of the balance. sd: one standard deviation."""

    name: ShortText
    side: Literal["in", "out", "held before", "held after"]
    volume_m3: Volume
    volume_sd_m3: Volume
    brix: Brix
    brix_sd: Annotated[float, between(0, 40)]
    temp_c: Annotated[float, between(0, 107)] = 20.0

    def to_core(self) -> Measured:
        return Measured(**self.dict())


class BalanceLine(Schema):
    name: str
    side: str
    sugar_kg: float
    sugar_sd_kg: float


class BalanceOut(ClosingOut):
    lines: list[BalanceLine]


class Measures(Strict):
    measures: Annotated[list[MeasureIO], Field(min_length=1, max_length=60)]


class CloseIn(Measures):
    """Fuel in the evaporator's trade unit."""

    fuel: Annotated[float, between(0, 1e6)] | None = None
    labour_h: Annotated[float, between(0, 1000)] | None = None


@router.get("/operations/{operation}/runs/{number}/measures", response={200: list[MeasureIO], REFUSALS: Errors})
def read_measures(request: HttpRequest, operation: Slug, number: Id) -> list[Facts]:
    """A closed run's measures; for an open one what sensors and draws suggest."""
    place = operation_for(request, operation)
    run = run_of(place, number)
    if run.closed_at is not None:
        return [dict(row) for row in run.measures.values(*MeasureIO.model_fields)]
    return closing.suggested_measures(place, run)


@router.post("/operations/{operation}/runs/{number}/balance", response={200: BalanceOut, REFUSALS: Errors})
def balancerun_of(request: HttpRequest, operation: Slug, number: Id, payload: Measures) -> Facts:
    """Sugar in against sugar out for these measures. Nothing is kept."""
    run_of(operation_for(request, operation), number)
    return closing.balance([m.to_core() for m in payload.measures])


@router.post("/operations/{operation}/runs/{number}/close", response={200: RunOut, REFUSALS: Errors})
def endrun_of(request: HttpRequest, operation: Slug, number: Id, payload: CloseIn) -> Facts:
    """Close the run with its measures."""
    place = operation_for(request, operation, Role.CREW)
    evaporator = evaporator_of(place)
    size = FUELS[evaporator.fuel].trade_size if evaporator else 1.0
    run = close_run(
        run_of(place, number), [m.to_core() for m in payload.measures],
        None if payload.fuel is None else payload.fuel * size,
        None if payload.labour_h is None else payload.labour_h * 3600.0)
    return closing.summary(place, run)


@router.get("/operations/{operation}/runs/{number}/export.json", response={200: dict[str, Any], REFUSALS: Errors})
def export_json(request: HttpRequest, operation: Slug, number: Id) -> Facts:
    """The whole run as JSON, SI."""
    place = operation_for(request, operation)
    run = run_of(place, number)
    facts = closing.summary(place, run)
    for key in ("started_at", "closed_at"):
        facts[key] = facts[key].isoformat() if facts[key] else None
    return {"format": "zucker-run", "version": 1, "operation": place.slug, "run": facts, "rows": closing.run_rows(place, run),
            "plan": {"assumptions": run.plan.assumptions, "choice": run.plan.choice} if run.plan else None}


@router.get(
    "/operations/{operation}/runs/{number}/export.csv", response={REFUSALS: Errors},
    openapi_extra={"responses": {200: {"description": "OK", "content": {"text/csv": {"schema": {"type": "string"}}}}}},
)
def export_csv(request: HttpRequest, operation: Slug, number: Id) -> HttpResponse:
    """Every line of the run as CSV, SI."""
    place = operation_for(request, operation)
    text = closing.as_csv(closing.run_rows(place, run_of(place, number)))
    return HttpResponse(text, content_type="text/csv; charset=utf-8", headers={
        "Content-Disposition": f'attachment; filename="{place.slug}-run-{number}.csv"'})
