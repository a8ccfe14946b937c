"""Runs from start to close: the list, the sugar balance, closing, exports."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field, StringConstraints
from zucker_core.evaporator import FUELS
from zucker_core.run import Measured

from ...config.errors import REFUSALS, Errors
from ...config.fields import Brix, Id, ShortText, Slug, Strict, Volume
from ...people.access import operation_for
from ...people.models import Role
from .. import closing, past_runs
from ..actions.close_run import close_run
from ..actions.import_past_runs import import_past_runs
from ..actions.start_run import start_run
from ..equipment import evaporator_of
from ..models import Lesson, Plan, Run
from ..run_sheet import run_pdf, run_xlsx
from .common import Facts, between, person_of, run_of

router = Router(auth=django_auth)
Figure = Literal["date", "sap", "sap_brix", "syrup", "fuel", "hours", "taps", "target_brix"]


class Planned(Schema):
    syrup_m3: float | None
    fuel: float | None
    hours: float | None
    labour_h: float | None


class SuspectOut(Schema):
    """A reading that may be wrong; probability: its share of the blame if just one is."""

    name: str
    quantity: str
    statistic: float
    probability: float


class UncheckedOut(Schema):
    name: str
    quantity: str


class AgreedOut(Schema):
    """A reading made to agree with the balances."""

    name: str
    volume_m3: float
    volume_sd_m3: float
    brix: float
    brix_sd: float


class ClosingOut(Schema):
    """closure with its 90 % interval; suspects: the fewest readings that hold the wrong one, empty when nothing is amiss;
    unchecked: readings that no balance checks."""

    sugar_in_kg: float
    sugar_out_kg: float
    unaccounted_kg: float
    sd_kg: float
    closure: float
    closure_low: float | None = None
    closure_high: float | None = None
    explained: bool
    largest: str
    balances: int = 0
    suspects: list[SuspectOut] = []
    unchecked: list[UncheckedOut] = []
    agreed: list[AgreedOut] = []


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
    sap_m3: float | None
    sap_brix: float | None


@router.get("/operations/{operation}/runs", response={200: list[RunOut], REFUSALS: Errors})
def list_runs(request: HttpRequest, operation: Slug) -> list[Facts]:
    """All runs, the newest first."""
    place = operation_for(request, operation)
    runs = Run.objects.of(place).select_related("plan").prefetch_related("draws")
    return closing.summaries(place, runs)


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


Part = Literal["", "sap", "membrane", "head", "pans", "syrup", "outside", "line"]


class MeasureIO(Strict):
    """One line of the balance. sd: one standard deviation; source, sink: the part of the line it comes from and goes to,
    empty for the line as a whole."""

    name: ShortText
    side: Literal["in", "out", "held before", "held after", "within"]
    source: Part = ""
    sink: Part = ""
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
        run_of(place, number),
        [m.to_core() for m in payload.measures],
        None if payload.fuel is None else payload.fuel * size,
        None if payload.labour_h is None else payload.labour_h * 3600.0,
    )
    return closing.summary(place, run)


class EstimateOut(Schema):
    value: float
    low: float
    high: float
    sd: float
    from_prior: bool


class MembraneTaught(Schema):
    """a in m/s/Pa, σ, fouling in 1/m³ through one element; health: clean flow over the best three runs."""

    name: str
    permeability: EstimateOut
    sigma: EstimateOut
    fouling: EstimateOut
    maker_permeability: float
    maker_sigma: float
    maker_fouling: float
    told_apart: bool
    told: str
    health: EstimateOut | None


class EvaporatorTaught(Schema):
    name: str
    heat_w: EstimateOut
    efficiency: EstimateOut
    maker_heat_w: float
    maker_efficiency: float
    health: EstimateOut | None


class TaughtOut(Schema):
    """What the runs up to this one have taught."""

    runs: int
    membranes: list[MembraneTaught]
    evaporator: EvaporatorTaught | None


@router.get("/operations/{operation}/runs/{number}/taught", response={200: TaughtOut | None, REFUSALS: Errors})
def read_taught(request: HttpRequest, operation: Slug, number: Id) -> Facts | None:
    """What a closed run and those before it have taught about the machines; null when nothing yet."""
    run = run_of(operation_for(request, operation), number)
    lesson = Lesson.objects.of(run.operation).filter(run=run).first()
    return lesson.facts if lesson else None


@router.get("/operations/{operation}/runs/{number}/export.json", response={200: dict[str, Any], REFUSALS: Errors})
def export_json(request: HttpRequest, operation: Slug, number: Id) -> Facts:
    """The whole run as JSON, SI."""
    place = operation_for(request, operation)
    run = run_of(place, number)
    facts = closing.summary(place, run)
    for key in ("started_at", "closed_at"):
        facts[key] = facts[key].isoformat() if facts[key] else None
    return {
        "format": "zucker-run",
        "version": 1,
        "operation": place.slug,
        "run": facts,
        "rows": closing.run_rows(place, run),
        "plan": {"assumptions": run.plan.assumptions, "choice": run.plan.choice} if run.plan else None,
    }


@router.get(
    "/operations/{operation}/runs/{number}/export.csv",
    response={REFUSALS: Errors},
    openapi_extra={"responses": {200: {"description": "OK", "content": {"text/csv": {"schema": {"type": "string"}}}}}},
)
def export_csv(request: HttpRequest, operation: Slug, number: Id) -> HttpResponse:
    """Every line of the run as CSV, SI."""
    place = operation_for(request, operation)
    text = closing.as_csv(closing.run_rows(place, run_of(place, number)))
    return HttpResponse(
        text,
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{place.slug}-run-{number}.csv"'},
    )


def _file(content: bytes, kind: str, name: str) -> HttpResponse:
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@router.get(
    "/operations/{operation}/runs/{number}/export.xlsx",
    response={REFUSALS: Errors},
    openapi_extra={
        "responses": {200: {"description": "OK", "content": {XLSX: {"schema": {"type": "string", "format": "binary"}}}}}
    },
)
def export_xlsx(request: HttpRequest, operation: Slug, number: Id) -> HttpResponse:
    """The run as a workbook: summary, log, balance, membrane; SI."""
    place = operation_for(request, operation)
    return _file(run_xlsx(place, run_of(place, number)), XLSX, f"{place.slug}-run-{number}.xlsx")


@router.get(
    "/operations/{operation}/runs/{number}/sheet.pdf",
    response={REFUSALS: Errors},
    openapi_extra={
        "responses": {
            200: {"description": "OK", "content": {"application/pdf": {"schema": {"type": "string", "format": "binary"}}}}
        }
    },
)
def run_sheet(request: HttpRequest, operation: Slug, number: Id) -> HttpResponse:
    """The run on one page, black on white, in the units of who asks."""
    place = operation_for(request, operation)
    return _file(
        run_pdf(place, run_of(place, number), person_of(request).units), "application/pdf", f"{place.slug}-run-{number}.pdf"
    )


class ColumnIn(Strict):
    """Which column of the file holds a figure, and its unit."""

    column: ShortText
    unit: Annotated[str, StringConstraints(max_length=12)] = ""


class PastRunsIn(Strict):
    """A CSV of earlier runs; columns chosen by figure, or left out to have them guessed."""

    text: Annotated[str, StringConstraints(min_length=1, max_length=2_000_000, pattern=r"^[^\x00]*$")]
    columns: dict[Figure, ColumnIn] | None = None


class PastRow(Schema):
    line: int
    date: str
    sap_m3: float | None
    sap_brix: float | None
    syrup_m3: float
    fuel: float | None
    hours: float | None
    taps: int
    target_brix: float | None


class RefusedRow(Schema):
    line: int
    field: str
    message: str


class PastRunsOut(Schema):
    """headers: of the file; columns: as used; rows: what would be (or was) taken; refused: each other line and why."""

    headers: list[str]
    columns: dict[str, ColumnIn]
    rows: list[PastRow]
    refused: list[RefusedRow]
    taken: int


@router.post("/operations/{operation}/past-runs/look", response={200: PastRunsOut, REFUSALS: Errors})
def look_at_past_runs(request: HttpRequest, operation: Slug, payload: PastRunsIn) -> Facts:
    """What a file of earlier runs holds. Nothing is kept."""
    operation_for(request, operation)
    return past_runs.read(payload.text, _columns(payload)).shown(0)


@router.post("/operations/{operation}/past-runs", response={200: PastRunsOut, REFUSALS: Errors})
def take_past_runs(request: HttpRequest, operation: Slug, payload: PastRunsIn) -> Facts:
    """Take over earlier runs; every line refused comes back with its reason."""
    place = operation_for(request, operation, Role.CREW)
    found = past_runs.read(payload.text, _columns(payload))
    return found.shown(import_past_runs(place, person_of(request), found.rows))


def _columns(payload: PastRunsIn) -> dict[str, tuple[str, str]] | None:
    return None if payload.columns is None else {name: (c.column, c.unit) for name, c in payload.columns.items()}
