"""Drills over HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field

from ... import clock
from ...config.errors import REFUSALS, Errors, Refused
from ...config.fields import Id, Slug, Strict, Tag
from ...people.access import operation_for
from ...people.models import Role
from ..actions.play_drill import begin_drill, play_step
from ..drills import drill_view, summary
from ..models import Drill
from .book import bush_of
from .hunt import AdviceOut, LeakOut, StripPlace

router = Router(tags=["drill"], auth=django_auth)
Cause = Literal["leak", "frozen", "sensor"]


class DrillRow(Schema):
    """par_min: minutes when every advice is followed; it, the cause and the place are told when the drill is over."""

    number: int
    who: str
    bush: str
    made_at: datetime
    minutes: float
    par_min: float | None
    solved: bool | None
    cause: str | None
    at: str | None
    steps: int


class DrillGauge(Schema):
    gauge: str
    main: str
    fall_pa: float
    state: str


class DrillPlace(Schema):
    """A place that can be looked over; main is empty on the conductors."""

    tag: str
    main: str


class BestStep(Schema):
    action: str
    at: str
    minutes: float
    bits: float


class DrillStep(Schema):
    """worth: what the step could be expected to tell a minute, as a share of the best there was then (told when it is over)."""

    action: str
    at: str
    minutes: float
    cause: str | None
    right: bool | None
    found: bool | None
    gauge: str | None
    rise_pa: float | None
    metres: float | None
    worth: float | None
    best: BestStep | None


class DrillOut(DrillRow):
    """size: SCFM of a leak, Pa otherwise; frost: whether there was frost in the night."""

    size: float | None
    frost: bool
    position: str
    gauges: list[DrillGauge]
    valves: list[str]
    places: list[DrillPlace]
    strip: list[StripPlace]
    leak: LeakOut | None
    hints: list[AdviceOut]
    log: list[DrillStep]


class DrillIn(Strict):
    bush: Slug
    causes: Annotated[list[Cause], Field(min_length=1, max_length=3)] = ["leak", "frozen", "sensor"]


class PlayIn(Strict):
    """at: the valve to shut or the saddle to look over; cause: what you say it is."""

    action: Literal["shut", "look", "say", "give_up"]
    at: Tag | None = None
    cause: Cause | None = None


@router.get("/operations/{operation}/drills", response={200: list[DrillRow], REFUSALS: Errors})
def list_drills(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """The crew's drills, the newest first."""
    found = Drill.objects.of(operation_for(request, operation)).select_related("bush", "person").order_by("-number")
    return [summary(one) for one in found[:100]]


@router.post("/operations/{operation}/drills", response={201: DrillOut, REFUSALS: Errors})
def start_drill(request: HttpRequest, operation: Slug, payload: DrillIn) -> Status:
    """A made-up trouble in a real network."""
    owned = operation_for(request, operation, Role.CREW)
    return Status(201, drill_view(begin_drill(owned, bush_of(owned, payload.bush), request.user, payload.causes, clock.now())))


@router.get("/operations/{operation}/drills/{number}", response={200: DrillOut, REFUSALS: Errors})
def read_drill(request: HttpRequest, operation: Slug, number: Id) -> dict[str, Any]:
    """One drill as it stands."""
    drills = Drill.objects.of(operation_for(request, operation)).select_related("bush", "person")
    return drill_view(get_object_or_404(drills, number=number))


@router.post("/operations/{operation}/drills/{number}/steps", response={200: DrillOut, REFUSALS: Errors})
def play(request: HttpRequest, operation: Slug, number: Id, payload: PlayIn) -> dict[str, Any]:
    """One step of the player whose drill it is."""
    drills = Drill.objects.of(operation_for(request, operation, Role.CREW)).select_related("bush", "person")
    found = get_object_or_404(drills, number=number)
    if found.person_id != request.user.pk:
        raise Refused("drill", f"this drill is {found.person.username}'s", 409)
    if payload.action in ("shut", "look") and payload.at is None:
        raise Refused("at", "name the valve or the saddle")
    if payload.action == "say" and payload.cause is None:
        raise Refused("cause", "say what it is: leak, frozen or sensor")
    return drill_view(play_step(found, payload.action, payload.at or "", payload.cause or ""))
