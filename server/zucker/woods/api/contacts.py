"""Contacts: who is told of alarms, and when not."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

import httpx
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Schema, Status
from ninja.security import django_auth
from pydantic import Field

from ...config.errors import REFUSALS, Errors, Refused
from ...config.fields import Id, Slug, Strict
from ...people.access import operation_for
from ...people.models import Role
from ..actions.keep_contact import drop_contact, keep_contact
from ..actions.send_notices import deliver
from ..models import Contact

router = Router(tags=["contacts"], auth=django_auth)
Hour = Annotated[int, Field(ge=0, le=23)]


class ContactIn(Strict):
    """quiet_from, quiet_to: hours of the local day in which only a person overdue is told; equal: none."""

    kind: Literal["email", "webhook"]
    address: Annotated[str, Field(min_length=3, max_length=300, pattern=r"^[^\x00-\x20]+$")]
    quiet_from: Hour = 0
    quiet_to: Hour = 0


class ContactOut(Schema):
    """fault: why the last notice could not be sent."""

    id: int
    kind: str
    address: str
    quiet_from: int
    quiet_to: int
    sent_at: datetime | None
    fault: str


def _shaped(contact: Contact) -> dict[str, Any]:
    last = contact.notices.order_by("-made_at").first()
    return {
        "id": contact.pk,
        "kind": contact.kind,
        "address": contact.address,
        "quiet_from": contact.quiet_from,
        "quiet_to": contact.quiet_to,
        "sent_at": last.sent_at if last else None,
        "fault": last.fault if last else "",
    }


@router.get("/operations/{operation}/contacts", response={200: list[ContactOut], REFUSALS: Errors})
def list_contacts(request: HttpRequest, operation: Slug) -> list[dict[str, Any]]:
    """Who is told, and whether the last notice went out."""
    return [_shaped(c) for c in Contact.objects.of(operation_for(request, operation, Role.OWNER)).order_by("pk")]


@router.post("/operations/{operation}/contacts", response={201: ContactOut, REFUSALS: Errors})
def add_contact(request: HttpRequest, operation: Slug, payload: ContactIn) -> Status:
    """One more to tell. The same address again changes its quiet hours."""
    owned = operation_for(request, operation, Role.OWNER)
    contact = keep_contact(owned, payload.kind, payload.address, payload.quiet_from, payload.quiet_to)
    return Status(201, _shaped(contact))


@router.post("/operations/{operation}/contacts/{contact}/try", response={200: ContactOut, REFUSALS: Errors})
def try_contact(request: HttpRequest, operation: Slug, contact: Id) -> dict[str, Any]:
    """Send a trial now."""
    found = get_object_or_404(
        Contact.objects.of(operation_for(request, operation, Role.OWNER)).select_related("operation"), pk=contact
    )
    try:
        deliver(found, "a trial", "If you read this, alarms will reach you.", {"event": "trial"})
    except (OSError, httpx.HTTPError) as error:
        raise Refused("address", f"nothing could be sent: {error}"[:200], 409, found.address) from None
    return _shaped(found)


@router.delete("/operations/{operation}/contacts/{contact}", response={204: None, REFUSALS: Errors})
def remove_contact(request: HttpRequest, operation: Slug, contact: Id) -> Status:
    """Tell them no more."""
    drop_contact(get_object_or_404(Contact.objects.of(operation_for(request, operation, Role.OWNER)), pk=contact))
    return Status(204, None)
