"""Boil: what now beside the pan, and what is written down there."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from django.http import Http404, HttpRequest
from ninja import Router, Schema, Status
from ninja.security import django_auth

from ...config.errors import REFUSALS, Errors
from ...config.fields import Brix, Id, Slug, Strict, Text
from ...people.access import operation_for
from ...people.models import Role
from .. import boil
from ..actions.log_entry import log_entry, undo_entry
from ..actions.record_draw import record_draw, undo_draw
from ..actions.start_run import set_boiling_point
from ..models import Draw, Entry
from .common import Facts, between, person_of, run_of
from .tonight import PlanChoice

router = Router(auth=django_auth)


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


class BoilingPointIn(Strict):
    water_boiling_c: Annotated[float, between(86, 104.5)]


@router.post("/operations/{operation}/runs/{number}/boiling-point", response={200: Drawoff, REFUSALS: Errors})
def measure_boiling_point(request: HttpRequest, operation: Slug, number: Id, payload: BoilingPointIn) -> Facts:
    """The boiling point of water as the pan's own thermometer shows it today."""
    place = operation_for(request, operation, Role.CREW)
    run = set_boiling_point(run_of(place, number), payload.water_boiling_c)
    return boil.drawoff_of(place, run, {})


class DrawIn(Strict):
    """A draw: its volume and how its density was read. set_c is the draw-off temperature in force."""

    volume_m3: Annotated[float, between(0, 5)]
    instrument: Literal["hydrometer", "refractometer"]
    reading: Brix
    temp_c: Annotated[float, between(0, 107)]
    set_c: Annotated[float, between(85, 125)]


@router.post("/operations/{operation}/runs/{number}/draws", response={201: DrawOut, REFUSALS: Errors})
def add_draw(request: HttpRequest, operation: Slug, number: Id, payload: DrawIn) -> Status:
    """Record a draw; answers with its true Brix and what to do about it."""
    place = operation_for(request, operation, Role.CREW)
    draw = record_draw(place, run_of(place, number), person_of(request), **payload.dict())
    return Status(201, boil.draw_out(place, draw))


@router.delete("/operations/{operation}/runs/{number}/draws/{draw}", response={204: None, REFUSALS: Errors})
def remove_draw(request: HttpRequest, operation: Slug, number: Id, draw: Id) -> Status:
    """Undo a draw."""
    place = operation_for(request, operation, Role.CREW)
    found = Draw.objects.of(place).filter(run=run_of(place, number), pk=draw).select_related("run").first()
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
    entry = log_entry(run_of(place, number), person_of(request), payload.kind, payload.text)
    return Status(201, {"id": entry.pk, "at": entry.at, "by": person_of(request).username, "kind": entry.kind,
                        "text": entry.text})


@router.delete("/operations/{operation}/runs/{number}/entries/{entry}", response={204: None, REFUSALS: Errors})
def remove_entry(request: HttpRequest, operation: Slug, number: Id, entry: Id) -> Status:
    """Undo a line of the log."""
    place = operation_for(request, operation, Role.CREW)
    found = Entry.objects.of(place).filter(run=run_of(place, number), pk=entry).select_related("run").first()
    if found is None:
        raise Http404
    undo_entry(found)
    return Status(204, None)
