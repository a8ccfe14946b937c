"""Weather in and out."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth

from ..config.errors import REFUSALS, Errors, Refused
from ..config.fields import Slug
from ..people.access import operation_for
from ..people.models import Role
from .actions.take_weather import take_weather
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
