"""Boil: what now beside the pan, and what is written down there."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import Http404, HttpRequest
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import StringConstraints

from ...config.errors import REFUSALS, Errors
from ...config.fields import Brix, Id, Moment, Slug, Strict, Text
from ...people.access import operation_for
from ...people.models import Role
from .. import boil, drawoff, tonight
from ..actions.choose_plan import replan
from ..actions.log_entry import log_cup, log_entry, undo_entry
from ..actions.record_draw import record_draw, undo_draw
from ..actions.start_run import set_boiling_point
from ..models import Draw, Entry
from .common import Facts, between, person_of, run_of
from .tonight import Assumptions, CompareOut, PlanChoice

router = Router(auth=django_auth)


class Drawoff(Schema):
    """source: measured, barometer or elevation; moved_k: by the barometer since it was measured. uncertainty_k once there
    are cup tests."""

    set_c: float
    uncertainty_k: float | None
    first_c: float
    water_boiling_c: float
    moved_k: float
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
    """verdict: on, light or heavy; what that draw needs to be put right. token: made where it was written."""

    id: int
    token: UUID
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
    """true_brix: of a cup test. token: made where it was written."""

    id: int
    token: UUID
    at: datetime
    by: str
    kind: str
    text: str
    true_brix: float | None = None


class Firing(Schema):
    interval_s: float
    since_s: float | None


class NextOut(Schema):
    key: str
    minutes: float | None
    urgent: bool


class ChangeOut(Schema):
    """The smallest change that helps: pressure (share), target (°Brix), membrane (on), fire (share) or out."""

    kind: str
    value: float
    minutes_left: float | None
    holds: bool


class PanAdvice(Schema):
    sap_in: bool
    minutes_to_brim: float | None
    permeate_short_m3: float
    warn: bool
    breach: str
    change: ChangeOut | None
    membrane_on: bool


class SapLeft(Schema):
    volume_m3: float
    minutes_left: float | None


class PermeateKept(Schema):
    volume_m3: float
    wash_m3: float


class FuelGauge(Schema):
    """Burnt so far by the fire's rate and the time it was lit, in the fuel's trade unit."""

    used: float
    planned: float | None
    unit: str
    per_h: float
    lit: bool


class PanAlarm(Schema):
    """key: dry-pan, high-level or lost-readings; value: minutes left, share of full, minutes without; seen: acknowledged."""

    key: str
    value: float
    tank: str
    seen: bool


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
    fuel_gauge: FuelGauge | None
    advice: PanAdvice | None
    sap: SapLeft | None
    permeate: PermeateKept | None
    alarms: list[PanAlarm]
    hot: bool
    pan_c: float | None
    pan_age_s: float | None
    draws: list[DrawOut]
    entries: list[EntryOut]
    syrup_m3: float
    syrup_planned_m3: float | None
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
    return drawoff.drawoff_of(place, run, {})


class KeptIn(Strict):
    """at: when it was done; token: made where it was written, so that sending it again is harmless."""

    at: Moment | None = None
    token: UUID | None = None


class CupIn(KeptIn):
    """How a cup's density was read. set_c is the draw-off temperature in force."""

    instrument: Literal["hydrometer", "refractometer"]
    reading: Brix
    temp_c: Annotated[float, between(0, 107)]
    set_c: Annotated[float, between(85, 125)]


class DrawIn(CupIn):
    """A draw: its volume besides."""

    volume_m3: Annotated[float, between(0, 5)]


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


@router.post("/operations/{operation}/runs/{number}/cups", response={201: EntryOut, REFUSALS: Errors})
def add_cup(request: HttpRequest, operation: Slug, number: Id, payload: CupIn) -> Status:
    """A cup test without a draw; it moves the draw-off temperature."""
    place = operation_for(request, operation, Role.CREW)
    return Status(201, boil.entry_out(log_cup(place, run_of(place, number), person_of(request), **payload.dict())))


class EntryIn(KeptIn):
    """key and tank: of an alarm that was seen; text: of a membrane its name."""

    kind: Literal["lit", "out", "fired", "level", "defoamer", "membrane-on", "membrane-off", "alarm", "note"]
    text: Text = ""
    key: Annotated[str, StringConstraints(max_length=24, pattern=r"^[a-z-]*$")] = ""
    tank: Annotated[str, StringConstraints(max_length=40, pattern=r"^[^\x00]*$")] = ""


@router.post("/operations/{operation}/runs/{number}/entries", response={201: EntryOut, REFUSALS: Errors})
def add_entry(request: HttpRequest, operation: Slug, number: Id, payload: EntryIn) -> Status:
    """Write a line in the run's log."""
    place = operation_for(request, operation, Role.CREW)
    facts = {"key": payload.key, "tank": payload.tank} if payload.kind == "alarm" else {}
    entry = log_entry(run_of(place, number), person_of(request), payload.kind, payload.text, at=payload.at, token=payload.token,
                      facts=facts)
    return Status(201, boil.entry_out(entry))


@router.delete("/operations/{operation}/runs/{number}/entries/{entry}", response={204: None, REFUSALS: Errors})
def remove_entry(request: HttpRequest, operation: Slug, number: Id, entry: Id) -> Status:
    """Undo a line of the log."""
    place = operation_for(request, operation, Role.CREW)
    found = Entry.objects.of(place).filter(run=run_of(place, number), pk=entry).select_related("run").first()
    if found is None:
        raise Http404
    undo_entry(found)
    return Status(204, None)


class ReplanOut(CompareOut):
    assumptions: Assumptions


@router.get("/operations/{operation}/runs/{number}/replan", response={200: ReplanOut, REFUSALS: Errors})
def compare_from_here(request: HttpRequest, operation: Slug, number: Id) -> Facts:
    """What each target would mean from where things stand, with the fires lit. Nothing is kept."""
    place = operation_for(request, operation)
    return tonight.replanned(place, run_of(place, number).plan)


class ReplanIn(Strict):
    target_brix: Annotated[float, between(0, 45)]


@router.post("/operations/{operation}/runs/{number}/replan", response={201: PlanChoice, REFUSALS: Errors})
def choose_from_here(request: HttpRequest, operation: Slug, number: Id, payload: ReplanIn) -> Status:
    """Go on by another target; the run's promise is counted from its start."""
    place = operation_for(request, operation, Role.CREW)
    return Status(201, replan(place, run_of(place, number), person_of(request), payload.target_brix).choice)
