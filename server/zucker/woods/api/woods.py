"""Woods: the map, the lines now, the profile of one."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import Http404, HttpRequest
from ninja import Query, Router, Schema
from ninja.security import django_auth

from ... import clock
from ...config.errors import REFUSALS, Errors
from ...config.fields import Slug, Tag
from ...people.access import operation_for
from .. import mapping, mornings, queries

router = Router(tags=["woods"], auth=django_auth)


class MapLine(Schema):
    bush: str
    main: str
    kind: str
    diameter_m: float
    points: list[list[float]]


class MapLateral(Schema):
    bush: str
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
    """Pa below the atmosphere. state: holding, slipping, losing or silent; by_hand: a dial, as read on the last round."""

    sensor: str
    vacuum_pa: float | None
    usual_pa: float
    spread_pa: float
    shortfall_pa: float
    age_s: float | None
    by_hand: bool
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


class WakingOut(Schema):
    """state: asleep, awake (since woke_at) or never slept this morning; usual_*: its place among the lines, and minutes
    behind the first, the middle of `mornings`."""

    main: str
    bush: str
    sensor: str
    state: str
    woke_at: datetime | None
    usual_order: int | None
    usual_after_min: float | None
    mornings: int


class LineSap(Schema):
    """Sap of one tap in a day, m³, by the line's own meter or its share of the releaser's; lags: under 80 % of what its taps
    and vacuum promise."""

    main: str
    bush: str
    taps: int
    metered: bool
    tap_day_m3: float | None
    expected_tap_day_m3: float | None
    vacuum_pa: float
    lags: bool


class SapQuery(Schema):
    days: int = Query(7, ge=1, le=120)


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


@router.get("/operations/{operation}/woods/waking", response={200: list[WakingOut], REFUSALS: Errors})
def read_waking(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """The morning thaw: which lines sleep, which have woken, and when each usually does."""
    return mornings.waking_of(operation_for(request, operation), clock.now())


@router.get("/operations/{operation}/woods/sap", response={200: list[LineSap], REFUSALS: Errors})
def read_sap(request: HttpRequest, operation: Slug, query: Query[SapQuery]) -> list[dict[str, Any]]:
    """Sap a tap and day by line over the last days; lines that lag without a leak first."""
    return mornings.sap_by_line(operation_for(request, operation), clock.now(), query.days)
