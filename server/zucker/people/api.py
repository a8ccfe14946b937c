"""Sessions and preferences."""

from __future__ import annotations

from typing import Any, Literal

from django.conf import settings
from django.contrib.auth import logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema, Status
from ninja.security import django_auth
from ninja.utils import check_csrf

from .. import clock
from ..config.errors import REFUSALS, Errors, Refused
from ..config.fields import ShortText, Strict
from .actions.set_preferences import set_preferences
from .actions.sign_in import sign_in
from .models import Person

router = Router(tags=["people"])


class SignIn(Strict):
    username: ShortText
    password: ShortText


class Preferences(Strict):
    units: Literal["us", "metric"] | None = None
    theme: Literal["device", "day", "night"] | None = None


class OperationOut(Schema):
    slug: str
    name: str
    place: str
    role: str
    zone: str
    currency: str
    syrup_brix: float
    elevation_m: float


class SessionOut(Schema):
    signed_in: bool
    username: str = ""
    units: str = "us"
    theme: str = "device"
    operations: list[OperationOut] = []
    demo: bool = False


class ClockOut(Schema):
    """now: ISO 8601, UTC; pace: seconds of this clock a real second."""

    now: str
    pace: float


def session_of(request: HttpRequest) -> dict[str, Any]:
    person = request.user
    if not isinstance(person, Person):
        return {"signed_in": False, "demo": settings.DEMO}
    memberships = person.memberships.select_related("operation").order_by("operation__pk")
    return {
        "signed_in": True, "username": person.username, "units": person.units, "theme": person.theme, "demo": settings.DEMO,
        "operations": [
            {"role": m.role, **{key: getattr(m.operation, key) for key in
                                ("slug", "name", "place", "zone", "currency", "syrup_brix", "elevation_m")}}
            for m in memberships
        ],
    }


@router.get("/clock", response=ClockOut, auth=None)
def read_clock(request: HttpRequest) -> dict[str, Any]:
    """The server's time, which a demo can set and speed up; devices in a demo follow it."""
    return {"now": clock.now().isoformat(), "pace": clock.pace()}


@router.get("/session", response=SessionOut, auth=None)
def read_session(request: HttpRequest) -> dict[str, Any]:
    """Who is signed in. Also sets the CSRF cookie that changes need."""
    get_token(request)
    return session_of(request)


@router.post("/session", response={200: SessionOut, REFUSALS: Errors}, auth=None)
def open_session(request: HttpRequest, payload: SignIn) -> dict[str, Any]:
    """Sign in with name and password; throttled."""
    if check_csrf(request) is not None:
        raise Refused("session", "the page is out of date: load it again", status=403)
    request.user = sign_in(request, payload.username, payload.password)
    return session_of(request)


@router.delete("/session", response={204: None, REFUSALS: Errors}, auth=django_auth)
def close_session(request: HttpRequest) -> Status:
    """Sign out."""
    logout(request)
    return Status(204, None)


@router.patch("/session", response={200: SessionOut, REFUSALS: Errors}, auth=django_auth)
def change_preferences(request: HttpRequest, payload: Preferences) -> dict[str, Any]:
    """Change units or theme."""
    assert isinstance(request.user, Person)
    set_preferences(request.user, payload.units, payload.theme)
    return session_of(request)
