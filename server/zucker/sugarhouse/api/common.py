"""What the sugarhouse's routes share."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest
from pydantic import Field

from ...people.models import Operation, Person
from ..models import Run

Facts = dict[str, Any]


def between(low: float, high: float) -> Any:
    """A finite number within [low, high]."""
    return Field(ge=low, le=high, allow_inf_nan=False)


def person_of(request: HttpRequest) -> Person:
    """Who is signed in."""
    assert isinstance(request.user, Person)
    return request.user


def run_of(operation: Operation, number: int) -> Run:
    """The operation's run by its number. Raises Http404."""
    found = Run.objects.of(operation).filter(number=number).select_related("plan").first()
    if found is None:
        raise Http404
    return found
