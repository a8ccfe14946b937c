"""Weather in and out."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth
from pydantic import Field

from ..config.errors import REFUSALS, Errors, Refused
from ..config.fields import Slug, Strict
from ..people.access import operation_for
from ..people.models import Role
from .actions.take_weather import take_weather
from .actions.type_weather import type_weather
from .figures import compare_years
from .queries import weather_ahead

router = Router(tags=["season"], auth=django_auth)


class HourOut(Schema):
    at: datetime
    temp_c: float


class WeatherOut(Schema):
    frost_at: datetime | None
    thaw_at: datetime | None
    low_c: float | None
    low_at: datetime | None
    hours: list[HourOut]


class TakenHours(Schema):
    hours: int


class RunFigures(Schema):
    """One run, SI; fuel in its trade unit; day: of the year."""

    number: int
    year: int
    day: int
    started_at: datetime
    taps: int
    sap_m3: float | None
    sap_brix: float | None
    syrup_m3: float
    fuel: float | None
    fuel_per_syrup: float | None
    hours: float | None
    labour_h: float | None


class YearFigures(Schema):
    """Sums and weighted means of a year; leaks: repairs that were proven, and what they had cost; worth: of the syrup made
    at today's price."""

    year: int
    runs: int
    first_day: int
    last_day: int
    taps: int
    sap_m3: float
    syrup_m3: float
    syrup_per_tap_m3: float | None
    sap_per_tap_m3: float | None
    sap_brix: float | None
    fuel: float
    fuel_per_syrup: float | None
    hours: float
    labour_h: float
    leaks: int
    leaks_cost: float
    leak_cases: list[int]
    sold: float
    worth: float


class HealthOut(Schema):
    """After a run: membrane and evaporator over their best; or a clean-water test."""

    run: int | None
    at: datetime
    membrane: float | None
    evaporator: float | None
    clean_water: float | None


class SignOut(Schema):
    name: str
    value: float
    limit: float
    speaks: bool


class EndOut(Schema):
    state: str
    signs: list[SignOut]
    days: int


class SeasonOut(Schema):
    fuel_unit: str
    currency: str
    runs: list[RunFigures]
    years: list[YearFigures]
    membrane: list[HealthOut]
    end: EndOut | None


@router.get("/operations/{operation}/season", response={200: SeasonOut, REFUSALS: Errors})
def read_season(request: HttpRequest, operation: Slug) -> dict[str, Any]:
    """Runs and years compared."""
    return compare_years(operation_for(request, operation))


@router.get("/operations/{operation}/weather", response={200: WeatherOut, REFUSALS: Errors})
def read_weather(request: HttpRequest, operation: Slug) -> dict[str, Any]:
    """The coming 36 hours."""
    return weather_ahead(operation_for(request, operation))


@router.post(
    "/operations/{operation}/weather", response={200: TakenHours, REFUSALS: Errors},
    openapi_extra={"requestBody": {"required": True, "content": {"text/csv": {"schema": {"type": "string"}}}}},
)
def post_weather(request: HttpRequest, operation: Slug) -> dict[str, Any]:
    """Take a weather file."""
    place = operation_for(request, operation, Role.CREW)
    try:
        text = request.body.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise Refused("body", "is not UTF-8", status=400) from None
    return {"hours": take_weather(place, text)}


class ExtremesIn(Strict):
    """Hours of the operation's own clock."""

    warmest_c: Annotated[float, Field(ge=-60, le=50, allow_inf_nan=False)]
    coldest_c: Annotated[float, Field(ge=-60, le=50, allow_inf_nan=False)]
    warmest_hour: Annotated[float, Field(ge=0, le=24, allow_inf_nan=False)] = 15.0
    coldest_hour: Annotated[float, Field(ge=0, le=24, allow_inf_nan=False)] = 6.0


@router.put("/operations/{operation}/weather/extremes", response={200: TakenHours, REFUSALS: Errors})
def put_extremes(request: HttpRequest, operation: Slug, payload: ExtremesIn) -> dict[str, Any]:
    """Take the coming days' extremes as somebody typed them."""
    return {"hours": type_weather(operation_for(request, operation, Role.CREW), **payload.dict())}
