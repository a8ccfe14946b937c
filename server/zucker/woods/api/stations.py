"""Pump stations: state and requests for people; state in and requests out for their gateway."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field

from ... import clock
from ...config.errors import REFUSALS, Errors
from ...config.fields import Id, Moment, Slug, Strict, Tag
from ...people.access import operation_for
from ...people.models import Role
from ...telemetry.api import DeviceToken
from ...telemetry.models import Device
from ..actions.ask_station import SILENT, answer_request, ask_station, give_up_waiting, hear_stations
from ..models import Station, StationRequest

router = Router(tags=["pump stations"])


class RequestOut(Schema):
    """state: asked, done, refused or no answer."""

    id: int
    action: str
    by: str | None
    at: datetime
    state: str
    reason: str
    answered_at: datetime | None


class StationOut(Schema):
    tag: str
    bush: str | None
    running: bool
    local: bool
    silent: bool
    hours: float | None
    heard_at: datetime
    requests: list[RequestOut]


class AskIn(Strict):
    action: Literal["start", "stop"]


class StationIn(Strict):
    """hours: it has run in all; local: switched to local control; bush: its slug."""

    tag: Tag
    bush: Slug | None = None
    running: bool
    local: bool = False
    hours: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] | None = None
    at: Moment


class HeardIn(Strict):
    stations: Annotated[list[StationIn], Field(max_length=100)]


class AskedOut(Schema):
    id: int
    station: str
    action: str


class HeardOut(Schema):
    """What the stations are asked to do; each is to be answered."""

    requests: list[AskedOut]


class AnswerIn(Strict):
    """done, or not and why."""

    done: bool
    reason: Annotated[str, Field(max_length=200, pattern=r"^[^\x00]*$")] = ""


def _shaped(station: Station, now: datetime) -> dict[str, Any]:
    requests = station.requests.select_related("by").order_by("-at", "-pk")[:5]
    return {
        "tag": station.tag,
        "bush": station.bush.slug if station.bush else None,
        "running": station.running,
        "local": station.local,
        "silent": now - station.heard_at > SILENT,
        "hours": station.hours,
        "heard_at": station.heard_at,
        "requests": [
            {
                "id": r.pk,
                "action": r.action,
                "by": r.by.username if r.by else None,
                "at": r.at,
                "state": r.state,
                "reason": r.reason,
                "answered_at": r.answered_at,
            }
            for r in requests
        ],
    }


@router.get("/operations/{operation}/stations", response={200: list[StationOut], REFUSALS: Errors}, auth=django_auth)
def list_stations(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """Every pump station with its last requests."""
    now = clock.now()
    give_up_waiting(now)
    return [_shaped(s, now) for s in Station.objects.of(operation_for(request, operation)).select_related("bush").order_by("tag")]


@router.post("/operations/{operation}/stations/{tag}/requests", response={201: StationOut, REFUSALS: Errors}, auth=django_auth)
def ask(request: HttpRequest, operation: Slug, tag: Tag, payload: AskIn) -> Status:
    """Ask a station to start or stop. It is refused in local control, when it is silent, and while another request waits."""
    station = get_object_or_404(Station.objects.of(operation_for(request, operation, Role.CREW)).select_related("bush"), tag=tag)
    ask_station(station, request.user, payload.action, clock.now())
    return Status(201, _shaped(station, clock.now()))


@router.post("/stations", response={200: HeardOut, REFUSALS: Errors}, auth=DeviceToken())
def hear(request: HttpRequest, payload: HeardIn) -> dict[str, Any]:
    """A gateway tells how its stations stand and learns what is asked of them."""
    device: Device = request.auth  # type: ignore[attr-defined]
    asked = hear_stations(device.operation, [s.model_dump() for s in payload.stations], clock.now())
    return {"requests": [{"id": r.pk, "station": r.station.tag, "action": r.action} for r in asked]}


@router.post("/stations/requests/{number}", response={200: RequestOut, REFUSALS: Errors}, auth=DeviceToken())
def answer(request: HttpRequest, number: Id, payload: AnswerIn) -> dict[str, Any]:
    """A station did what it was asked, or refused."""
    device: Device = request.auth  # type: ignore[attr-defined]
    found = get_object_or_404(StationRequest.objects.of(device.operation).select_related("by"), pk=number)
    r = answer_request(found, payload.done, payload.reason, clock.now())
    return {
        "id": r.pk,
        "action": r.action,
        "by": None,
        "at": r.at,
        "state": r.state,
        "reason": r.reason,
        "answered_at": r.answered_at,
    }
