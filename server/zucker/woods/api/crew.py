"""The crew: who is out alone, who tapped what, rounds of gauges read by eye."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Annotated, Any, Literal
from uuid import UUID, uuid4

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field

from ... import clock
from ...config.errors import REFUSALS, Errors
from ...config.fields import Id, Moment, ShortText, Slug, Strict, Tag
from ...people.access import operation_for
from ...people.models import Role
from ...telemetry.models import Kind, Sensor
from ...telemetry.queries import sensors_by_part
from .. import book
from ..actions.go_out import come_back, go_out
from ..actions.log_tapping import log_tapping, undo_tapping
from ..actions.take_round import take_round
from ..models import Tapping, Walk
from ..queries import bush_now, gauge
from .book import bush_of

router = Router(tags=["crew"], auth=django_auth)
SHOWN = timedelta(days=2)


class WalkOut(Schema):
    id: int
    token: UUID
    who: str
    place: str
    since: datetime
    due_at: datetime
    back_at: datetime | None
    overdue: bool


class WalkIn(Strict):
    """minutes: until due back, or due_at."""

    place: ShortText
    due_at: Moment
    since: Moment | None = None
    token: UUID | None = None


def _walk(walk: Walk, now: datetime) -> dict[str, Any]:
    return {
        "id": walk.pk,
        "token": walk.token,
        "who": walk.person.username,
        "place": walk.place,
        "since": walk.since,
        "due_at": walk.due_at,
        "back_at": walk.back_at,
        "overdue": walk.back_at is None and walk.due_at < now,
    }


@router.get("/operations/{operation}/walks", response={200: list[WalkOut], REFUSALS: Errors})
def list_walks(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """Who is out alone and when due back, the most overdue first; then who came back lately."""
    now = clock.now()
    walks = Walk.objects.of(operation_for(request, operation)).select_related("person").exclude(back_at__lt=now - SHOWN)
    return sorted((_walk(w, now) for w in walks.order_by("due_at")[:100]), key=lambda w: w["back_at"] is not None)


@router.post("/operations/{operation}/walks", response={201: WalkOut, REFUSALS: Errors})
def start_walk(request: HttpRequest, operation: Slug, payload: WalkIn) -> Status:
    """Out alone: where, and when due back."""
    now = clock.now()
    owned = operation_for(request, operation, Role.CREW)
    walk = go_out(owned, request.user, payload.place, payload.since or now, payload.due_at, payload.token or uuid4())
    return Status(201, _walk(walk, now))


@router.post("/operations/{operation}/walks/{walk}/back", response={200: WalkOut, REFUSALS: Errors})
def end_walk(request: HttpRequest, operation: Slug, walk: Id) -> dict[str, Any]:
    """Back."""
    found = get_object_or_404(Walk.objects.of(operation_for(request, operation, Role.CREW)).select_related("person"), pk=walk)
    return _walk(come_back(found, request.user, clock.now()), clock.now())


class LineProgress(Schema):
    main: str
    planned: int
    done: int
    soft: int


class PersonProgress(Schema):
    who: str
    taps: int


class TappingRow(Schema):
    id: int
    token: UUID
    main: str
    lateral: str
    at: datetime
    by: str | None
    taps: int
    soft: int
    depth_m: float | None
    spout: str
    note: str


class TappingOut(Schema):
    """This year's tapping: taps set of those planned, the pace of the last working days, days left at it."""

    done: int
    planned: int
    a_day: float | None
    days_left: float | None
    lines: list[LineProgress]
    people: list[PersonProgress]
    entries: list[TappingRow]


class TappingIn(Strict):
    main: Tag
    lateral: Tag | None = None
    taps: Annotated[int, Field(ge=1, le=2000)]
    soft: Annotated[int, Field(ge=0, le=2000)] = 0
    depth_m: Annotated[float, Field(ge=0.01, le=0.1, allow_inf_nan=False)] | None = None
    spout: Literal["new", "check-valve", "stainless"] = "new"
    note: Annotated[str, Field(max_length=200, pattern=r"^[^\x00]*$")] = ""
    at: Moment | None = None
    token: UUID | None = None


@router.get("/operations/{operation}/bushes/{bush}/tapping", response={200: TappingOut, REFUSALS: Errors})
def read_tapping(request: HttpRequest, operation: Slug, bush: Slug) -> dict[str, Any]:
    """How far the tapping has come, by line and by person."""
    owned = operation_for(request, operation)
    return book.tapping_of(owned, bush_of(owned, bush), clock.now())


@router.post("/operations/{operation}/bushes/{bush}/tapping", response={201: TappingOut, REFUSALS: Errors})
def write_tapping(request: HttpRequest, operation: Slug, bush: Slug, payload: TappingIn) -> Status:
    """Taps set on a line."""
    owned, now = operation_for(request, operation, Role.CREW), clock.now()
    found = bush_of(owned, bush)
    facts = payload.model_dump(exclude={"at", "token"})
    log_tapping(found, request.user, facts, payload.at or now, payload.token or uuid4(), now)
    return Status(201, book.tapping_of(owned, found, now))


@router.delete("/operations/{operation}/bushes/{bush}/tapping/{tapping}", response={200: TappingOut, REFUSALS: Errors})
def take_back_tapping(request: HttpRequest, operation: Slug, bush: Slug, tapping: Id) -> dict[str, Any]:
    """Undo an entry."""
    owned, now = operation_for(request, operation, Role.CREW), clock.now()
    found = bush_of(owned, bush)
    undo_tapping(get_object_or_404(Tapping.objects.of(owned).filter(bush=found), pk=tapping), now)
    return book.tapping_of(owned, found, now)


class RoundGauge(Schema):
    """A dial: where it hangs, what it last showed and when, and how that stood to its usual then (Pa below the atmosphere)."""

    sensor: str
    node: str
    main: str
    distance_m: float
    vacuum_pa: float | None
    usual_pa: float
    shortfall_pa: float
    age_s: float | None
    state: str


class DialReading(Strict):
    sensor: Tag
    vacuum_pa: Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)]
    at: Moment | None = None


class RoundIn(Strict):
    readings: Annotated[list[DialReading], Field(min_length=1, max_length=500)]


@router.get("/operations/{operation}/bushes/{bush}/round", response={200: list[RoundGauge], REFUSALS: Errors})
def read_round(request: HttpRequest, operation: Slug, bush: Slug) -> list[dict[str, Any]]:
    """The dials to read on a round, in the order in which they hang from the pump."""
    owned = operation_for(request, operation)
    found = bush_of(owned, bush)
    now = bush_now(owned, found, sensors_by_part(owned))
    if now is None:
        return []
    dials = set(Sensor.objects.of(owned).filter(nodes__bush=found, by_hand=True, kind=Kind.VACUUM).values_list("tag", flat=True))
    names = {i: main for main, nodes in now.network.mains.items() for i in nodes}
    rows = []
    for tag, node in now.network.sensors.items():
        if tag in dials:
            row = gauge(now, tag, now.own_usual if node == 0 else now.usual)
            rows.append(
                {
                    **row,
                    "node": now.network.nodes[node].tag,
                    "main": names.get(node, ""),
                    "distance_m": float(now.network.distance_m[node]),
                }
            )
    return rows


@router.post("/operations/{operation}/bushes/{bush}/round", response={200: list[RoundGauge], REFUSALS: Errors})
def write_round(request: HttpRequest, operation: Slug, bush: Slug, payload: RoundIn) -> list[dict[str, Any]]:
    """What was read, each dial with its time."""
    found, now = bush_of(operation_for(request, operation, Role.CREW), bush), clock.now()
    take_round(found, [{"sensor": r.sensor, "vacuum_pa": r.vacuum_pa, "at": r.at or now} for r in payload.readings], now)
    return read_round(request, operation, bush)
