"""How every refusal is told: which field, which value, which range, what to do."""

from __future__ import annotations

import json
import math
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, HttpResponse
from django.http.request import RawPostDataException
from ninja import NinjaAPI, Schema
from ninja.errors import AuthenticationError, HttpError, ValidationError
from zucker_core.errors import CoreError, Inconsistent, NetworkError, OutOfRange
from zucker_core.units import UnknownUnit


class Fault(Schema):
    """One thing that is wrong with a request."""

    field: str
    message: str
    value: str | float | None = None
    low: float | None = None
    high: float | None = None
    unit: str | None = None


class Errors(Schema):
    """Everything that is wrong with a request."""

    errors: list[Fault]


REFUSALS = frozenset({400, 401, 403, 404, 409, 413, 415, 422, 429})
"""Statuses that carry Errors; every route documents them."""


class Refused(Exception):
    """An action says no: the field at fault and why."""

    def __init__(self, field: str, message: str, status: int = 422, value: Any = None) -> None:
        super().__init__(message)
        self.field, self.message, self.status, self.value = field, message, status, value


def from_core(error: CoreError) -> dict[str, Any]:
    """A core error as a Fault."""
    if isinstance(error, OutOfRange):
        return {"field": error.name, "message": str(error), "value": "NaN" if math.isnan(error.value) else error.value,
                "low": error.low, "high": error.high, "unit": error.unit}
    if isinstance(error, UnknownUnit):
        return {"field": "unit", "message": str(error), "value": error.unit}
    if isinstance(error, NetworkError):
        return {"field": error.feature, "message": str(error)}
    return {"field": error.name if isinstance(error, Inconsistent) else "input", "message": str(error)}


def from_pydantic(error: dict[str, Any]) -> dict[str, Any]:
    """One pydantic error as a Fault: the last part of its place names the field."""
    place = [str(part) for part in error["loc"] if part not in ("body", "query", "path", "payload")]
    # a password is never repeated
    value = None if place[-1:] == ["password"] else error.get("input")
    context = error.get("ctx") or {}
    low, high = context.get("ge", context.get("gt")), context.get("le", context.get("lt"))
    number = isinstance(value, int | float) and not isinstance(value, bool) and abs(value) < 1e300
    return {
        "field": ".".join(place) or "body", "message": error["msg"],
        "value": value if number else (str(value)[:80] if value is not None else None),
        "low": low if isinstance(low, int | float) else None, "high": high if isinstance(high, int | float) else None,
    }


def _sent(request: HttpRequest, error: dict[str, Any]) -> Any:
    """What stood in the request where the error points; None when that cannot be said."""
    try:
        found = json.loads(request.body) if error["loc"][0] == "body" else request.GET
    except (ValueError, UnicodeDecodeError, RawPostDataException):
        return None
    # the second part names the view's own argument
    places = error["loc"][2:] if error["loc"][0] == "body" else error["loc"][1:]
    if not places:
        return None
    for part in places:
        try:
            found = found[part]
        except (KeyError, IndexError, TypeError):
            return None
    return found


def install(api: NinjaAPI) -> None:
    """Give the API its error handlers."""

    def answer(request: HttpRequest, faults: list[dict[str, Any]], status: int) -> HttpResponse:
        return api.create_response(request, {"errors": faults}, status=status)

    @api.exception_handler(Refused)
    def on_refused(request: HttpRequest, error: Refused) -> HttpResponse:
        return answer(request, [{"field": error.field, "message": error.message, "value": error.value}], error.status)

    @api.exception_handler(CoreError)
    def on_core(request: HttpRequest, error: CoreError) -> HttpResponse:
        return answer(request, [from_core(error)], 422)

    @api.exception_handler(ValidationError)
    def on_validation(request: HttpRequest, error: ValidationError) -> HttpResponse:
        return answer(request, [from_pydantic({"input": _sent(request, one), **one}) for one in error.errors], 422)

    @api.exception_handler(Http404)
    def on_missing(request: HttpRequest, error: Http404) -> HttpResponse:
        return answer(request, [{"field": "path", "message": "there is nothing at this address for you"}], 404)

    @api.exception_handler(PermissionDenied)
    def on_denied(request: HttpRequest, error: PermissionDenied) -> HttpResponse:
        return answer(request, [{"field": "role", "message": str(error) or "your role may not do this"}], 403)

    @api.exception_handler(AuthenticationError)
    def on_stranger(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return answer(request, [{"field": "session", "message": "sign in first"}], 401)

    @api.exception_handler(HttpError)
    def on_http(request: HttpRequest, error: HttpError) -> HttpResponse:
        return answer(request, [{"field": "request", "message": str(error)}], error.status_code)
