"""Tonight: what is assumed, what each target would mean, the plan chosen."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from django.http import HttpRequest
from ninja import Router, Schema, Status
from ninja.security import django_auth

from ...config.errors import REFUSALS, Errors
from ...config.fields import Money, SapBrix, Slug, Strict, Volume
from ...people.access import operation_for
from ...people.models import Role
from .. import tonight
from ..actions.choose_plan import choose_plan
from .common import Facts, between, person_of

router = Router(auth=django_auth)


class Assumptions(Strict):
    """All that a plan depends on besides the equipment, SI; fuel by its trade unit."""

    sap_volume_m3: Volume
    sap_brix: SapBrix
    sap_temp_c: Annotated[float, between(0, 40)]
    coming_m3: Volume = 0.0
    coming_h: Annotated[float, between(0, 24)] = 0.0
    head_volume_m3: Volume = 0.0
    head_brix: Annotated[float, between(0.2, 40)] = 8.0
    permeate_m3: Volume = 0.0
    pressure_pa: Annotated[float, between(0, 1e7)]
    heat_w: Annotated[float, between(1e3, 2e7)]
    efficiency: Annotated[float, between(0.1, 1)]
    fuel_price: Money = 0.0
    power_price_kwh: Money = 0.0
    labour_price_h: Money = 0.0
    wash_price: Money = 0.0
    membrane_people: Annotated[float, between(0, 20)] = 0.5
    fire_people: Annotated[float, between(0, 20)] = 1.0
    finish_by_h: Annotated[float, between(0.5, 24)] | None = None
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
    target_brix: Annotated[float, between(0, 45)]


@router.post("/operations/{operation}/tonight/plan", response={201: ChosenPlan, REFUSALS: Errors})
def choose_target(request: HttpRequest, operation: Slug, payload: ChooseIn) -> Status:
    """Choose one target as tonight's plan."""
    place = operation_for(request, operation, Role.CREW)
    plan = choose_plan(place, person_of(request), payload.assumptions.dict(), payload.target_brix)
    return Status(201, {"id": plan.pk, "made_at": plan.made_at, "made_by": person_of(request).username, **plan.choice})
