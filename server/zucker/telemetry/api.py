"""Readings in; sensors and their history out; devices."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router, Schema, Status
from ninja.security import HttpBearer, django_auth

from ..config.errors import REFUSALS, Errors
from ..config.fields import Id, ShortText, Slug, Strict, Tag
from ..people.access import operation_for
from ..people.models import Role
from .actions.register_device import register_device, revoke_device
from .actions.take_readings import take_readings
from .models import Device, Sensor
from .parsing import parse_readings
from .queries import history

router = Router(tags=["telemetry"])


class DeviceToken(HttpBearer):
    """`Authorization: Bearer <token>` of a device that is not revoked."""

    def authenticate(self, request: HttpRequest, token: str) -> Device | None:
        return Device.objects.select_related("operation").filter(
            token_hash=Device.hash_of(token), revoked_at__isnull=True).first()


class RefusedReading(Schema):
    line: int
    field: str
    value: str | float | None = None
    message: str


class TakenOut(Schema):
    """taken: new and committed; known: here already; refused: why, by line."""

    taken: int
    known: int
    refused: list[RefusedReading]


_READING = {
    "type": "object",
    "required": ["sensor", "at", "value", "unit"],
    "properties": {
        "sensor": {"type": "string"}, "at": {"type": "string", "format": "date-time"},
        "value": {"type": "number"}, "unit": {"type": "string"},
    },
}


@router.post(
    "/readings", response={200: TakenOut, REFUSALS: Errors}, auth=DeviceToken(),
    openapi_extra={"requestBody": {"required": True, "content": {
        "application/json": {"schema": {
            "type": "object", "required": ["readings"],
            "properties": {"readings": {"type": "array", "items": _READING, "maxItems": 10_000}}}},
        "application/x-ndjson": {"schema": {"type": "string"}},
        "text/csv": {"schema": {"type": "string"}},
    }}},
)
def post_readings(request: HttpRequest) -> dict[str, Any]:
    """Take up to 10,000 readings. Taken means committed; sending one again is harmless."""
    device: Device = request.auth  # type: ignore[attr-defined]
    result = take_readings(device.operation, parse_readings(request.body, request.headers.get("Content-Type", "")))
    return {"taken": result.taken, "known": result.known, "refused": result.refused}


class HistoryPoint(Schema):
    at: datetime
    low: float
    mean: float
    high: float


class HistoryOut(Schema):
    tag: str
    kind: str
    points: list[HistoryPoint]


class HistoryQuery(Schema):
    hours: float = Query(24.0, ge=0.2, le=24 * 120, allow_inf_nan=False)


@router.get("/operations/{operation}/sensors/{tag}/history", response={200: HistoryOut, REFUSALS: Errors}, auth=django_auth)
def read_history(request: HttpRequest, operation: Slug, tag: Tag, query: Query[HistoryQuery]) -> dict[str, Any]:
    """A sensor's history over the last hours."""
    sensor = get_object_or_404(Sensor.objects.of(operation_for(request, operation)), tag=tag)
    points = [{"at": at, "low": low, "mean": mean, "high": high} for at, low, mean, high in history(sensor, query.hours)]
    return {"tag": sensor.tag, "kind": sensor.kind, "points": points}


class DeviceIn(Strict):
    name: ShortText


class DeviceOut(Schema):
    id: int
    name: str
    created_at: datetime
    revoked_at: datetime | None = None


class NewDeviceOut(DeviceOut):
    """The token is shown this once."""

    token: str


@router.get("/operations/{operation}/devices", response={200: list[DeviceOut], REFUSALS: Errors}, auth=django_auth)
def list_devices(request: HttpRequest, operation: Slug) -> list[Device]:
    """The operation's devices, without their tokens."""
    return list(Device.objects.of(operation_for(request, operation, Role.OWNER)).order_by("pk"))


@router.post("/operations/{operation}/devices", response={201: NewDeviceOut, REFUSALS: Errors}, auth=django_auth)
def create_device(request: HttpRequest, operation: Slug, payload: DeviceIn) -> Status:
    """Register a device; its token is in this answer and nowhere else."""
    device, token = register_device(operation_for(request, operation, Role.OWNER), payload.name)
    return Status(201, {"id": device.pk, "name": device.name, "created_at": device.created_at, "token": token})


@router.delete("/operations/{operation}/devices/{device}", response={204: None, REFUSALS: Errors}, auth=django_auth)
def delete_device(request: HttpRequest, operation: Slug, device: Id) -> Status:
    """Revoke a device's token."""
    found = Device.objects.of(operation_for(request, operation, Role.OWNER)).filter(pk=device).first()
    if found is None:
        raise Http404
    revoke_device(found)
    return Status(204, None)
