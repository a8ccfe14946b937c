"""Woods: the map, the lines now, the profile of one."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import Http404, HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth

from ...config.errors import REFUSALS, Errors
from ...config.fields import Slug, Tag
from ...people.access import operation_for
from .. import mapping, queries

router = Router(tags=["woods"], auth=django_auth)


class MapLine(Schema):
    main: str
    kind: str
    diameter_m: float
    points: list[list[float]]


class MapLateral(Schema):
    main: str
    taps: int
    points: list[list[float]]


class MapPoint(Schema):
    tag: str
    kind: str
    sensor: str | None
    bush: str
    x: float
    y: float


class Contour(Schema):
    elevation_m: float
    points: list[list[float]]


class MapOut(Schema):
    """Metres east and north of the first pump."""

    lines: list[MapLine]
    laterals: list[MapLateral]
    points: list[MapPoint]
    contours: list[Contour]


class Gauge(Schema):
    """Pa below the atmosphere. state: holding, slipping, losing or silent."""

    sensor: str
    vacuum_pa: float | None
    usual_pa: float
    spread_pa: float
    shortfall_pa: float
    age_s: float | None
    state: str


class PumpOut(Gauge):
    sap_m3_s: float
    money_s: float


class MainAlarm(Schema):
    """What its open alarm says: the likeliest cause with its probability, since when, what it has cost, its hunt."""

    id: int
    cause: str
    chance: float
    since: datetime
    sap_lost_m3: float
    money_lost: float
    case: int | None


class MainOut(Gauge):
    """sap_m3_s and money_s: what its shortfall costs."""

    main: str
    bush: str
    taps: int
    length_m: float
    sap_m3_s: float
    money_s: float
    alarm: MainAlarm | None


class BushOut(Schema):
    slug: str
    name: str
    hauled: bool
    taps: int
    pump: PumpOut | None = None
    sap_m3_s: float | None = None
    sap_known: bool = False
    temp_c: float | None = None


class WoodsOut(Schema):
    bushes: list[BushOut]
    mains: list[MainOut]
    sap_lost_m3_s: float
    money_lost_s: float
    walk_first: str | None


class ProfilePoint(Schema):
    node: str
    kind: str
    distance_m: float
    elevation_m: float
    usual_pa: float
    spread_pa: float


class ProfileReading(Gauge):
    distance_m: float


class ProfileOut(Schema):
    main: str
    bush: str
    taps: int
    points: list[ProfilePoint]
    readings: list[ProfileReading]


@router.get("/operations/{operation}/woods", response={200: WoodsOut, REFUSALS: Errors})
def read_woods(request: HttpRequest, operation: Slug) -> dict[str, Any]:
    """Every mainline now beside its usual, with what it loses."""
    return queries.woods_now(operation_for(request, operation))


@router.get("/operations/{operation}/woods/map", response={200: MapOut, REFUSALS: Errors})
def read_map(request: HttpRequest, operation: Slug) -> dict[str, Any]:
    """Lines, gauges, valves and contours."""
    return mapping.map_of(operation_for(request, operation))


@router.get("/operations/{operation}/woods/mains/{main}/profile", response={200: ProfileOut, REFUSALS: Errors})
def read_profile(request: HttpRequest, operation: Slug, main: Tag) -> dict[str, Any]:
    """Vacuum along one mainline from the pump to its far end: the clean curve and the readings."""
    found = queries.profile(operation_for(request, operation), main)
    if found is None:
        raise Http404
    return found
