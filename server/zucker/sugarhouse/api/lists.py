"""Lists of the sugarhouse."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema
from ninja.security import django_auth

from ...config.errors import REFUSALS, Errors
from ...config.fields import ShortText, Slug, Strict
from ...people.access import operation_for
from ...people.models import Role
from .. import lists
from ..actions.tick_item import tick_item
from .common import Facts, person_of

router = Router(auth=django_auth)


class ItemOut(Schema):
    key: str
    text: str
    caution: str
    permeate_m3: float | None
    done_at: datetime | None
    done_by: str


class ListOut(Schema):
    name: str
    items: list[ItemOut]


@router.get("/operations/{operation}/lists", response={200: list[ListOut], REFUSALS: Errors})
def read_lists(request: HttpRequest, operation: Slug) -> list[Facts]:
    """Every list made from the equipment there is, with what was ticked today."""
    return lists.lists_now(operation_for(request, operation))


class TickIn(Strict):
    list: ShortText
    item: ShortText
    done: bool


@router.put("/operations/{operation}/lists", response={200: list[ListOut], REFUSALS: Errors})
def tick(request: HttpRequest, operation: Slug, payload: TickIn) -> list[Facts]:
    """Tick a line for today, or take the tick back."""
    place = operation_for(request, operation, Role.CREW)
    tick_item(place, person_of(request), payload.list, payload.item, payload.done)
    return lists.lists_now(place)
