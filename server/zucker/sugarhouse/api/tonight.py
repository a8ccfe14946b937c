"""Tonight: what is assumed, what each target would mean, the plan chosen."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime
from typing import Annotated, Literal

from django.http import HttpRequest, StreamingHttpResponse
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field

from ...config.errors import REFUSALS, Errors
from ...config.fields import Money, SapBrix, Slug, Strict, Volume
from ...people.access import operation_for
from ...people.models import Role
from .. import tonight
from ..actions.choose_plan import choose_plan
from ..assumptions import SOONEST_FINISH_H, assumptions_now
from .common import Facts, between, person_of

router = Router(auth=django_auth)
NDJSON = "application/x-ndjson"


Hours = Annotated[float, between(0, 72)]
Pressure = Annotated[float, between(0, 1e7)]
Heat = Annotated[float, between(1e3, 2e7)]
Efficiency = Annotated[float, between(0.1, 1)]


class LoadIn(Strict):
    """A truck's load: hours from now, m³, °Brix."""

    at_h: Hours
    volume_m3: Annotated[float, between(0, 100)]
    brix: SapBrix


class Assumptions(Strict):
    """All that a plan depends on besides the equipment, SI; fuel by its trade unit. ice_m3: ice thrown out of the sap tank,
    of what stood in it at sap_brix before it froze. coming_low_m3, coming_high_m3: the forecast's spread about coming_m3.
    pressure_pa, heat_w and efficiency speak of the first machine of their kind, more_… of the others in their order."""

    sap_volume_m3: Volume
    sap_brix: SapBrix
    sap_temp_c: Annotated[float, between(0, 40)]
    ice_m3: Volume = 0.0
    coming_m3: Volume = 0.0
    coming_h: Annotated[float, between(0, 24)] = 0.0
    coming_low_m3: Volume | None = None
    coming_high_m3: Volume | None = None
    head_volume_m3: Volume = 0.0
    head_brix: Annotated[float, between(0.2, 40)] = 8.0
    permeate_m3: Volume = 0.0
    pressure_pa: Pressure
    heat_w: Heat
    efficiency: Efficiency
    more_pressures_pa: Annotated[list[Pressure], Field(max_length=10)] = []
    more_heats_w: Annotated[list[Heat], Field(max_length=10)] = []
    more_efficiencies: Annotated[list[Efficiency], Field(max_length=10)] = []
    fuel_price: Money = 0.0
    power_price_kwh: Money = 0.0
    labour_price_h: Money = 0.0
    wash_price: Money = 0.0
    membrane_people: Annotated[float, between(0, 20)] = 0.5
    fire_people: Annotated[float, between(0, 20)] = 1.0
    power_prices_kwh: Annotated[list[Money], Field(max_length=72)] = []
    present_from_h: Hours | None = None
    present_until_h: Hours | None = None
    finish_by_h: Annotated[float, between(SOONEST_FINISH_H, 24)] | None = None
    objective: Literal["cheapest", "earliest finish", "least fuel"] = "cheapest"
    loads: Annotated[list[LoadIn], Field(max_length=12)] = []
    pans_left: Literal["held", "chased", "drained"] = "held"
    cut_from_h: Hours | None = None
    cut_until_h: Hours | None = None
    frost_at_h: Hours | None = None
    taste_low: Annotated[float, between(0, 45)] | None = None
    taste_high: Annotated[float, between(0, 45)] | None = None
    taste_cost: Money = 0.0


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
    trace_min: int | None = None
    syrup_trace: list[float] = []
    head_trace: list[float] = []
    ways: list[str] = []


class ChosenPlan(PlanChoice):
    id: int
    made_at: datetime
    made_by: str


class ForecastOut(Schema):
    """Sap to come in the next day, m³, with its 80 % interval; None with the reason. low_c: the coldest hour."""

    middle_m3: float | None
    low_m3: float | None
    high_m3: float | None
    index: float | None
    hours: float
    runs: int
    reason: str
    frost_in_h: float | None
    low_c: float | None
    hard_frost: bool
    thaw_in_h: float | None


class TonightOut(Schema):
    assumptions: Assumptions
    sources: dict[str, Source]
    forecast: ForecastOut
    sap_capacity_m3: float
    head_capacity_m3: float
    head_reserve_m3: float
    permeate_capacity_m3: float
    machine: str | None
    machines: list[str]
    machine_max_brix: float | None
    arrangement: str | None
    evaporator: str
    evaporators: list[str]
    fuel: str
    fuel_unit: str
    chosen: ChosenPlan | None


class WhyOut(Schema):
    """What a target has more than the best: money for a m³ of syrup in its parts, and minutes."""

    cost_more: float
    fuel_cost_more: float
    labour_cost_more: float
    other_cost_more: float
    later_min: float


class OtherwiseOut(Schema):
    """The same way when other sap comes than expected: when all is done, or which limit breaks and when."""

    coming_m3: float
    finish_min: float
    limit: str | None
    limit_min: float


class PeopleSpan(Schema):
    from_min: int
    until_min: int
    people: float


class ChoiceOut(Schema):
    """One target; the figures are there when it can be done, `limit` when it cannot. ways: what is out of the
    ordinary about how it is done; daring: it only stands if the machines are no worse than known."""

    target_brix: float
    light_min: float
    limit: str | None
    limit_min: float
    cost_per_m3: float | None
    taste_per_m3: float = 0.0
    in_band: bool
    daring: bool = False
    beyond_log: bool = False
    ways: list[str] = []
    why: WhyOut | None = None
    ro_start_min: float | None = None
    lights_min: list[float | None] = []
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
    lost_cost: float | None = None
    trace_min: int | None = None
    sap_trace: list[float] = []
    head_trace: list[float] = []
    permeate_trace: list[float] = []
    syrup_trace: list[float] = []
    wash_spans: list[list[int]] = []
    ro_spans: list[list[int]] = []
    fire_spans: list[list[int]] = []
    people_spans: list[PeopleSpan] = []
    with_less: OtherwiseOut | None = None
    with_more: OtherwiseOut | None = None


class WithoutIceOut(Schema):
    volume_m3: float
    brix: float


class CompareOut(Schema):
    """without_ice: the sap tank once the ice is out of it."""

    without_ice: WithoutIceOut | None = None
    choices: list[ChoiceOut]
    best: int | None
    frontier: list[int]


@router.get("/operations/{operation}/tonight", response={200: TonightOut, REFUSALS: Errors})
def read_tonight(request: HttpRequest, operation: Slug) -> Facts:
    """What is assumed for tonight, from tanks, equipment and prices."""
    return assumptions_now(operation_for(request, operation))


@router.post("/operations/{operation}/tonight/compare", response={200: CompareOut, REFUSALS: Errors})
def compare_targets(request: HttpRequest, operation: Slug, payload: Assumptions) -> Facts:
    """What each target Brix would mean. Nothing is kept."""
    return tonight.compare(operation_for(request, operation), payload.dict())


@router.post(
    "/operations/{operation}/tonight/compare-steps", response={REFUSALS: Errors},
    openapi_extra={"responses": {200: {"description": "OK", "content": {NDJSON: {"schema": {"type": "string"}}}}}},
)
def compare_in_steps(request: HttpRequest, operation: Slug, payload: Assumptions) -> StreamingHttpResponse:
    """The same, one JSON line a step: `{"done": 0.4, "answer": …}`; an answer comes as soon as every target has been tried,
    the last line holds the whole one. Leaving off reading cancels the work."""
    steps = tonight.comparing(operation_for(request, operation), payload.dict())
    first = next(steps)  # what is refused is refused before anything is sent

    def lines() -> Iterator[str]:
        step = first
        while True:
            share, so_far = step
            yield _line(share, so_far)
            try:
                step = next(steps)
            except StopIteration as end:
                yield _line(1.0, end.value)
                return

    return StreamingHttpResponse(lines(), content_type=NDJSON)


def _line(share: float, found: Facts | None) -> str:
    answer = {} if found is None else {"answer": CompareOut(**found).model_dump()}
    return json.dumps({"done": round(share, 3), **answer}) + "\n"


class ChooseIn(Strict):
    assumptions: Assumptions
    target_brix: Annotated[float, between(0, 45)]


@router.post("/operations/{operation}/tonight/plan", response={201: ChosenPlan, REFUSALS: Errors})
def choose_target(request: HttpRequest, operation: Slug, payload: ChooseIn) -> Status:
    """Choose one target as tonight's plan."""
    place = operation_for(request, operation, Role.CREW)
    plan = choose_plan(place, person_of(request), payload.assumptions.dict(), payload.target_brix)
    return Status(201, {"id": plan.pk, "made_at": plan.made_at, "made_by": person_of(request).username, **plan.choice})
