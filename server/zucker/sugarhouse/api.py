"""Sugarhouse: the Line, Tonight, Boil and the Ledger."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import Http404, HttpRequest, HttpResponse
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field
from zucker_core.evaporator import FUELS
from zucker_core.run import Measured

from ..config.errors import REFUSALS, Errors
from ..config.fields import Brix, Id, Money, SapBrix, ShortText, Slug, Strict, Text, Volume
from ..people.access import operation_for
from ..people.models import Operation, Person, Role
from . import boil, closing, line, tonight
from .actions.choose_plan import choose_plan
from .actions.close_run import close_run
from .actions.log_entry import log_entry, undo_entry
from .actions.record_draw import record_draw, undo_draw
from .actions.start_run import set_boiling_point, start_run
from .equipment import evaporator_of
from .models import Draw, Entry, Plan, Run

router = Router(tags=["sugarhouse"], auth=django_auth)
Facts = dict[str, Any]


class WoodsStation(Schema):
    sap_m3_s: float
    money_lost_s: float
    losing: int
    silent: int
    mains: int


class SapStation(Schema):
    volume_m3: float | None
    capacity_m3: float
    brix: float | None
    stale: bool


class MembraneStation(Schema):
    permeate_m3_s: float | None
    running: bool
    known: bool
    head_m3: float | None
    head_brix: float | None


class PansStation(Schema):
    set_c: float
    pan_c: float | None
    boiling: bool
    run: int | None


class BarrelsStation(Schema):
    syrup_m3: float
    syrup_brix: float


class LineOut(Schema):
    woods: WoodsStation
    sap: SapStation | None
    membrane: MembraneStation
    pans: PansStation
    barrels: BarrelsStation


@router.get("/operations/{operation}/line", response={200: LineOut, REFUSALS: Errors})
def read_line(request: HttpRequest, operation: Slug) -> Facts:
    """The five stations' headline figures."""
    return line.line_now(operation_for(request, operation))


def _between(low: float, high: float) -> Any:
    return Field(ge=low, le=high, allow_inf_nan=False)


class Assumptions(Strict):
    """All that a plan depends on besides the equipment, SI; fuel by its trade unit."""

    sap_volume_m3: Volume
    sap_brix: SapBrix
    sap_temp_c: Annotated[float, _between(0, 40)]
    coming_m3: Volume = 0.0
    coming_h: Annotated[float, _between(0, 24)] = 0.0
    head_volume_m3: Volume = 0.0
    head_brix: Annotated[float, _between(0.2, 40)] = 8.0
    permeate_m3: Volume = 0.0
    pressure_pa: Annotated[float, _between(0, 1e7)]
    heat_w: Annotated[float, _between(1e3, 2e7)]
    efficiency: Annotated[float, _between(0.1, 1)]
    fuel_price: Money = 0.0
    power_price_kwh: Money = 0.0
    labour_price_h: Money = 0.0
    wash_price: Money = 0.0
    membrane_people: Annotated[float, _between(0, 20)] = 0.5
    fire_people: Annotated[float, _between(0, 20)] = 1.0
    finish_by_h: Annotated[float, _between(0.5, 24)] | None = None
    objective: Literal["cheapest", "earliest finish", "least fuel"] = "cheapest"


class Source(Schema):
    text: str
    age_s: float | None


class PlanChoice(Schema):
    target_brix: float
    light_min: float
    ro_min: float
    ro_end_min: float
    boil_min: float
    boil_end_min: float
    finish_min: float
    concentrate_m3: float
    permeate_m3: float
    syrup_m3: float
    fuel: float
    power_kwh: float
    labour_h: float
    cost: float
    cost_per_m3: float | None
    washes: int


class ChosenPlan(PlanChoice):
    id: int
    made_at: datetime
    made_by: str


class TonightOut(Schema):
    assumptions: Assumptions
    sources: dict[str, Source]
    sap_capacity_m3: float
    head_capacity_m3: float
    head_reserve_m3: float
    permeate_capacity_m3: float
    machine: str | None
    machine_max_brix: float | None
    arrangement: str | None
    evaporator: str
    fuel: str
    fuel_unit: str
    chosen: ChosenPlan | None


class ChoiceOut(Schema):
    """One target; the figures are there when it can be done, `limit` when it cannot."""

    target_brix: float
    light_min: float
    limit: str | None
    limit_min: float
    cost_per_m3: float | None
    in_band: bool
    ro_min: float | None = None
    ro_end_min: float | None = None
    boil_min: float | None = None
    boil_end_min: float | None = None
    finish_min: float | None = None
    washes: int | None = None
    concentrate_m3: float | None = None
    permeate_m3: float | None = None
    permeate_left_m3: float | None = None
    syrup_m3: float | None = None
    fuel: float | None = None
    power_kwh: float | None = None
    labour_h: float | None = None
    cost: float | None = None
    fuel_cost: float | None = None
    power_cost: float | None = None
    labour_cost: float | None = None
    wash_cost: float | None = None
    trace_min: int | None = None
    sap_trace: list[float] = []
    head_trace: list[float] = []
    permeate_trace: list[float] = []
    syrup_trace: list[float] = []
    wash_spans: list[list[int]] = []
    ro_spans: list[list[int]] = []


class CompareOut(Schema):
    choices: list[ChoiceOut]
    best: int | None
    frontier: list[int]


@router.get("/operations/{operation}/tonight", response={200: TonightOut, REFUSALS: Errors})
def read_tonight(request: HttpRequest, operation: Slug) -> Facts:
    """What is assumed for tonight, from tanks, equipment and prices."""
    return tonight.assumptions_now(operation_for(request, operation))


@router.post("/operations/{operation}/tonight/compare", response={200: CompareOut, REFUSALS: Errors})
def compare_targets(request: HttpRequest, operation: Slug, payload: Assumptions) -> Facts:
    """What each target Brix would mean. Nothing is kept."""
    return tonight.compare(operation_for(request, operation), payload.dict())


class ChooseIn(Strict):
    assumptions: Assumptions
    target_brix: Annotated[float, _between(0, 45)]


@router.post("/operations/{operation}/tonight/plan", response={201: ChosenPlan, REFUSALS: Errors})
def choose_target(request: HttpRequest, operation: Slug, payload: ChooseIn) -> Status:
    """Choose one target as tonight's plan."""
    place = operation_for(request, operation, Role.CREW)
    plan = choose_plan(place, person_of(request), payload.assumptions.dict(), payload.target_brix)
    return Status(201, {"id": plan.pk, "made_at": plan.made_at, "made_by": person_of(request).username, **plan.choice})


def person_of(request: HttpRequest) -> Person:
    assert isinstance(request.user, Person)
    return request.user


def _run(operation: Operation, number: int) -> Run:
    found = Run.objects.of(operation).filter(number=number).select_related("plan").first()
    if found is None:
        raise Http404
    return found


class Drawoff(Schema):
    """source: measured, barometer or elevation. uncertainty_k once there are cup tests."""

    set_c: float
    uncertainty_k: float | None
    first_c: float
    water_boiling_c: float
    source: str
    pressure_pa: float
    barometer_age_s: float | None
    limited: bool
    target_brix: float


class HeadOut(Schema):
    volume_m3: float
    capacity_m3: float
    reserve_m3: float
    age_s: float
    stale: bool
    fall_m3_s: float | None
    minutes_left: float | None
    minutes_low: float | None
    minutes_high: float | None


class DrawOut(Schema):
    """verdict: on, light or heavy; what that draw needs to be put right."""

    id: int
    at: datetime
    by: str
    volume_m3: float
    instrument: str
    reading: float
    temp_c: float
    set_c: float
    true_brix: float
    brix_sd: float
    gap_brix: float
    verdict: str
    boil_off_kg: float | None
    thin_m3: float | None
    given_away: float | None


class EntryOut(Schema):
    id: int
    at: datetime
    by: str
    kind: str
    text: str


class Firing(Schema):
    interval_s: float
    since_s: float | None


class NextOut(Schema):
    key: str
    minutes: float | None
    urgent: bool


class OpenRun(Schema):
    id: int
    number: int
    started_at: datetime
    water_boiling_c: float | None
    plan: PlanChoice | None


class BoilOut(Schema):
    run: OpenRun | None
    drawoff: Drawoff
    head: HeadOut | None
    firing: Firing | None
    pan_c: float | None
    pan_age_s: float | None
    draws: list[DrawOut]
    entries: list[EntryOut]
    syrup_m3: float
    fuel: str | None
    next: NextOut


@router.get("/operations/{operation}/boil", response={200: BoilOut, REFUSALS: Errors})
def read_boil(request: HttpRequest, operation: Slug) -> Facts:
    """Everything beside the pan."""
    return boil.boil_now(operation_for(request, operation))


class StartIn(Strict):
    plan: Id | None = None


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


@router.post("/operations/{operation}/runs", response={201: RunOut, REFUSALS: Errors})
def begin_run(request: HttpRequest, operation: Slug, payload: StartIn) -> Status:
    """Start a run, by a plan if one is named."""
    place = operation_for(request, operation, Role.CREW)
    plan = None
    if payload.plan is not None:
        plan = Plan.objects.of(place).filter(pk=payload.plan).first()
        if plan is None:
            raise Http404
    return Status(201, closing.summary(place, start_run(place, person_of(request), plan)))


@router.get("/operations/{operation}/runs/{number}", response={200: RunOut, REFUSALS: Errors})
def read_run(request: HttpRequest, operation: Slug, number: Id) -> Facts:
    """One run."""
    place = operation_for(request, operation)
    return closing.summary(place, _run(place, number))


class BoilingPointIn(Strict):
    water_boiling_c: Annotated[float, _between(86, 104.5)]


@router.post("/operations/{operation}/runs/{number}/boiling-point", response={200: Drawoff, REFUSALS: Errors})
def measure_boiling_point(request: HttpRequest, operation: Slug, number: Id, payload: BoilingPointIn) -> Facts:
    """The boiling point of water as the pan's own thermometer shows it today."""
    place = operation_for(request, operation, Role.CREW)
    run = set_boiling_point(_run(place, number), payload.water_boiling_c)
    return boil.drawoff_of(place, run, {})


class DrawIn(Strict):
    """A draw: its volume and how its density was read. set_c is the draw-off temperature in force."""

    volume_m3: Annotated[float, _between(0, 5)]
    instrument: Literal["hydrometer", "refractometer"]
    reading: Brix
    temp_c: Annotated[float, _between(0, 107)]
    set_c: Annotated[float, _between(85, 125)]


@router.post("/operations/{operation}/runs/{number}/draws", response={201: DrawOut, REFUSALS: Errors})
def add_draw(request: HttpRequest, operation: Slug, number: Id, payload: DrawIn) -> Status:
    """Record a draw; answers with its true Brix and what to do about it."""
    place = operation_for(request, operation, Role.CREW)
    draw = record_draw(place, _run(place, number), person_of(request), **payload.dict())
    return Status(201, boil.draw_out(place, draw))


@router.delete("/operations/{operation}/runs/{number}/draws/{draw}", response={204: None, REFUSALS: Errors})
def remove_draw(request: HttpRequest, operation: Slug, number: Id, draw: Id) -> Status:
    """Undo a draw."""
    place = operation_for(request, operation, Role.CREW)
    found = Draw.objects.of(place).filter(run=_run(place, number), pk=draw).select_related("run").first()
    if found is None:
        raise Http404
    undo_draw(found)
    return Status(204, None)


class EntryIn(Strict):
    kind: Literal["fired", "level", "defoamer", "note"]
    text: Text = ""


@router.post("/operations/{operation}/runs/{number}/entries", response={201: EntryOut, REFUSALS: Errors})
def add_entry(request: HttpRequest, operation: Slug, number: Id, payload: EntryIn) -> Status:
    """Write a line in the run's log."""
    place = operation_for(request, operation, Role.CREW)
    entry = log_entry(_run(place, number), person_of(request), payload.kind, payload.text)
    return Status(201, {"id": entry.pk, "at": entry.at, "by": person_of(request).username, "kind": entry.kind,
                        "text": entry.text})


@router.delete("/operations/{operation}/runs/{number}/entries/{entry}", response={204: None, REFUSALS: Errors})
def remove_entry(request: HttpRequest, operation: Slug, number: Id, entry: Id) -> Status:
    """Undo a line of the log."""
    place = operation_for(request, operation, Role.CREW)
    found = Entry.objects.of(place).filter(run=_run(place, number), pk=entry).select_related("run").first()
    if found is None:
        raise Http404
    undo_entry(found)
    return Status(204, None)


class MeasureIO(Strict):
    """One line of the balance. sd: one standard deviation."""

    name: ShortText
    side: Literal["in", "out", "held before", "held after"]
    volume_m3: Volume
    volume_sd_m3: Volume
    brix: Brix
    brix_sd: Annotated[float, _between(0, 40)]
    temp_c: Annotated[float, _between(0, 107)] = 20.0

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

    fuel: Annotated[float, _between(0, 1e6)] | None = None
    labour_h: Annotated[float, _between(0, 1000)] | None = None


@router.get("/operations/{operation}/runs/{number}/measures", response={200: list[MeasureIO], REFUSALS: Errors})
def read_measures(request: HttpRequest, operation: Slug, number: Id) -> list[Facts]:
    """A closed run's measures; for an open one what sensors and draws suggest."""
    place = operation_for(request, operation)
    run = _run(place, number)
    if run.closed_at is not None:
        return [dict(row) for row in run.measures.values(*MeasureIO.model_fields)]
    return closing.suggested_measures(place, run)


@router.post("/operations/{operation}/runs/{number}/balance", response={200: BalanceOut, REFUSALS: Errors})
def balance_run(request: HttpRequest, operation: Slug, number: Id, payload: Measures) -> Facts:
    """Sugar in against sugar out for these measures. Nothing is kept."""
    _run(operation_for(request, operation), number)
    return closing.balance([m.to_core() for m in payload.measures])


@router.post("/operations/{operation}/runs/{number}/close", response={200: RunOut, REFUSALS: Errors})
def end_run(request: HttpRequest, operation: Slug, number: Id, payload: CloseIn) -> Facts:
    """Close the run with its measures."""
    place = operation_for(request, operation, Role.CREW)
    evaporator = evaporator_of(place)
    size = FUELS[evaporator.fuel].trade_size if evaporator else 1.0
    run = close_run(
        _run(place, number), [m.to_core() for m in payload.measures],
        None if payload.fuel is None else payload.fuel * size,
        None if payload.labour_h is None else payload.labour_h * 3600.0)
    return closing.summary(place, run)


@router.get("/operations/{operation}/runs/{number}/export.json", response={200: dict[str, Any], REFUSALS: Errors})
def export_json(request: HttpRequest, operation: Slug, number: Id) -> Facts:
    """The whole run as JSON, SI."""
    place = operation_for(request, operation)
    run = _run(place, number)
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
    text = closing.as_csv(closing.run_rows(place, _run(place, number)))
    return HttpResponse(text, content_type="text/csv; charset=utf-8", headers={
        "Content-Disposition": f'attachment; filename="{place.slug}-run-{number}.csv"'})
