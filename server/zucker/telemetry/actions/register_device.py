"""Register a device and hand out its token, once."""

from __future__ import annotations

import secrets

import structlog

from ... import clock
from ...people.models import Operation
from ..models import Device

log = structlog.get_logger()


def register_device(operation: Operation, name: str, token: str | None = None) -> tuple[Device, str]:
    """A new device and its token; only the token's hash is kept. `token` is for a demo's own stand-ins."""
    token = token or secrets.token_urlsafe(32)
    device = Device.objects.create(
        operation=operation, name=name, token_hash=Device.hash_of(token), created_at=clock.now())
    log.info("device registered", operation=operation.pk, device=device.pk)
    return device, token


def revoke_device(device: Device) -> None:
    """From now on the device's token opens nothing."""
    device.revoked_at = clock.now()
    device.save(update_fields=["revoked_at"])
    log.info("device revoked", device=device.pk)
