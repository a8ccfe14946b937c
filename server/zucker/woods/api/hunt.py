"""Hunts: cases, the advice of the moment, and the steps that the crew writes."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID, uuid4

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import File, Form, Router, Schema, Status, UploadedFile
from ninja.security import django_auth
from pydantic import Field

from ... import clock
from ...config.errors import REFUSALS, Errors, Refused
from ...config.fields import Id, Moment, Slug, Strict, Tag, Text
from ...people.access import operation_for
from ...people.models import Operation, Role
from ..actions.keep_photo import MOST_BYTES, keep_photo
from ..actions.log_step import log_step, undo_step
from ..actions.open_case import open_case
from ..hunts import OPEN, hunt_view, summary
from ..models import Alarm, Bush, CaseStep, LeakCase, Photo

router = Router(tags=["hunt"], auth=django_auth)


class CaseOut(Schema):
    """A case in the list. fall_pa: of the gauge that fell most when it was opened; minutes: spent hunting."""

    number: int
    state: str
    bush: str
    main: str
    opened_at: datetime
    opened_by: str | None
    closed_at: datetime | None
    fall_pa: float
    found_at: str
    found_cause: str
    steps: int
    minutes: float


class OutcomeOut(Schema):
    """name: rose, stayed, found or nothing; metres: of main in which the leak then lies (90 %); rise_pa: of the gauge
    that shows it best; hold_pa_s: how fast the shut branch loses vacuum."""

    name: str
    chance: float
    metres: float
    rise_pa: float | None
    gauge: str | None
    hold_pa_s: float | None


class AdviceOut(Schema):
    """action: shut a valve, or look at a saddle and its laterals; bits: expected information about the place."""

    action: str
    at: str
    minutes: float
    walk_m: float
    chance: float
    bits: float
    outcomes: list[OutcomeOut]


class BranchChance(Schema):
    main: str
    chance: float


class LeakOut(Schema):
    """What is believed: size in SCFM with its 90 % interval, the length of main that holds it with 90 %, its nodes."""

    size_scfm: float
    size_low: float
    size_high: float
    metres: float
    nodes: list[str]
    branches: list[BranchChance]


class StripPlace(Schema):
    """A place of the suspect line straightened out: row 0 leads to the far end, spurs lie below."""

    tag: str
    kind: str
    sensor: str | None
    row: int
    distance_m: float
    from_m: float
    chance: float
    laterals: int


class StepOut(Schema):
    id: int
    token: UUID
    at: datetime
    by: str | None
    kind: str
    place: str
    facts: dict[str, Any]
    undone: bool
    photo: bool


class Other(Schema):
    who: str
    place: str


class CaseAlarm(Schema):
    cause: str
    causes: dict[str, float]
    opened_at: datetime
    sap_lost_m3: float
    money_lost: float
    over: bool


class HuntOut(CaseOut):
    """A case with all that its room shows."""

    sap_m3_s: float
    money_s: float
    alarm: CaseAlarm | None
    steps_log: list[StepOut]
    wind_m_s: float | None
    listen: bool
    notice: float
    position: str
    leak: LeakOut
    strip: list[StripPlace]
    advice: list[AdviceOut]
    others: list[Other]


class CaseIn(Strict):
    """From an alarm, or by hand in a bush; main: the line that is suspected, if one is."""

    alarm: Id | None = None
    bush: Slug | None = None
    main: Tag | None = None


class StepFacts(Strict):
    """What belongs to the kind of step: shut: began_at, or rose; found: cause, parts; any: text."""

    began_at: Moment | None = None
    rose: bool | None = None
    cause: Annotated[str, Field(max_length=24)] | None = None
    parts: Text | None = None
    text: Text | None = None


class StepIn(Strict):
    """token: made where the step was written, so that sending it again is harmless; at: when it was done."""

    kind: Literal["going", "shut", "look", "note", "found", "repaired", "not_found", "dropped"]
    place: Tag | None = None
    facts: StepFacts = StepFacts()
    at: Moment | None = None
    token: UUID | None = None


class PhotoIn(Strict):
    place: Annotated[str, Field(max_length=40, pattern=r"^[^\x00]*$")] = ""
    text: Annotated[str, Field(max_length=500, pattern=r"^[^\x00]*$")] = ""
    at: Moment | None = None
    token: UUID | None = None


def _case(operation: Operation, number: int) -> LeakCase:
    cases = LeakCase.objects.of(operation).select_related("bush", "operation", "alarm", "opened_by")
    return get_object_or_404(cases, number=number)


@router.get("/operations/{operation}/hunts", response={200: list[CaseOut], REFUSALS: Errors})
def list_cases(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """Open cases first, then the closed ones, the newest first."""
    cases = LeakCase.objects.of(operation_for(request, operation)).select_related("bush", "opened_by").prefetch_related("steps")
    rows = [summary(case, sorted(case.steps.all(), key=lambda s: (s.at, s.pk))) for case in cases.order_by("-number")[:200]]
    return sorted(rows, key=lambda row: row["state"] not in OPEN)


@router.post("/operations/{operation}/hunts", response={201: HuntOut, REFUSALS: Errors})
def start_case(request: HttpRequest, operation: Slug, payload: CaseIn) -> Status:
    """Open a hunt. For an alarm that has an open one, the answer is that one."""
    owned = operation_for(request, operation, Role.CREW)
    alarm = None
    if payload.alarm is not None:
        alarm = get_object_or_404(Alarm.objects.of(owned).select_related("bush"), pk=payload.alarm)
        bush = alarm.bush
    elif payload.bush is not None:
        bush = get_object_or_404(Bush.objects.of(owned).filter(hauled=False, survey__gt=0), slug=payload.bush)
    else:
        raise Refused("alarm", "name an alarm, or the bush to hunt in")
    now = clock.now()
    case = open_case(owned, bush, request.user, now, main=payload.main or "", alarm=alarm)
    return Status(201, hunt_view(_case(owned, case.number), request.user.pk, now))


@router.get("/operations/{operation}/hunts/{number}", response={200: HuntOut, REFUSALS: Errors})
def read_case(request: HttpRequest, operation: Slug, number: Id) -> dict[str, Any]:
    """One case: what is believed, what to do next, what was done."""
    return hunt_view(_case(operation_for(request, operation), number), request.user.pk, clock.now())


@router.post("/operations/{operation}/hunts/{number}/steps", response={201: HuntOut, REFUSALS: Errors})
def write_step(request: HttpRequest, operation: Slug, number: Id, payload: StepIn) -> Status:
    """Write a step. Without `rose`, a shut-off test is read from the live gauges by itself."""
    case = _case(operation_for(request, operation, Role.CREW), number)
    now = clock.now()
    facts = {name: value for name, value in payload.facts.model_dump().items() if value is not None}
    log_step(case, request.user, payload.kind, payload.place or "", facts, payload.at or now, payload.token or uuid4(), now)
    return Status(201, hunt_view(_case(case.operation, number), request.user.pk, now))


@router.post("/operations/{operation}/hunts/{number}/photos", response={201: HuntOut, REFUSALS: Errors})
def add_photo(
    request: HttpRequest, operation: Slug, number: Id, photo: File[UploadedFile], payload: Form[PhotoIn],
) -> Status:
    """A picture of what was found; kept small and without its place."""
    case = _case(operation_for(request, operation, Role.CREW), number)
    now = clock.now()
    keep_photo(case, request.user, photo.read(MOST_BYTES + 1), payload.text, payload.place, payload.at or now,
               payload.token or uuid4(), now)
    return Status(201, hunt_view(_case(case.operation, number), request.user.pk, now))


@router.get("/operations/{operation}/hunts/{number}/photos/{step}", response={200: bytes, REFUSALS: Errors})
def read_photo(request: HttpRequest, operation: Slug, number: Id, step: Id) -> HttpResponse:
    """The picture of a step, JPEG."""
    found = get_object_or_404(Photo.objects.of(operation_for(request, operation)), step=step, step__case__number=number)
    answer = HttpResponse(bytes(found.jpeg), content_type="image/jpeg")
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    return answer


@router.delete("/operations/{operation}/hunts/{number}/steps/{step}", response={200: HuntOut, REFUSALS: Errors})
def take_back_step(request: HttpRequest, operation: Slug, number: Id, step: Id) -> dict[str, Any]:
    """Undo the last step; it stays in the log."""
    case = _case(operation_for(request, operation, Role.CREW), number)
    now = clock.now()
    undo_step(case, get_object_or_404(CaseStep.objects.filter(case=case), pk=step), now)
    return hunt_view(_case(case.operation, number), request.user.pk, now)
