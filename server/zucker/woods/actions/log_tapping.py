"""Note taps set; undo it."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta
from typing import Any

import structlog
from django.db import transaction

from ...config.errors import Refused
from ..models import Bush, Tapping
from ..networks import network_of

log = structlog.get_logger()
FUTURE = timedelta(minutes=10)


@transaction.atomic
def log_tapping(bush: Bush, person: Any, facts: dict[str, Any], at: datetime, token: uuid.UUID, now: datetime) -> Tapping:
    """A token that is known returns its entry, so that a phone may send again. Raises Refused naming the field."""
    known = Tapping.objects.filter(bush=bush, token=token).first()
    if known is not None:
        return known
    network = network_of(bush)
    if facts["main"] not in network.mains:
        raise Refused("main", f"there is no mainline {facts['main']!r} in {bush.name}", value=facts["main"])
    lateral = facts.get("lateral") or ""
    if lateral and lateral not in {
        line.tag for line in network.lines[1:] if line and line.kind == "lateral" and line.main == facts["main"]
    }:
        raise Refused("lateral", f"there is no lateral {lateral!r} on {facts['main']}", value=lateral)
    if facts.get("soft", 0) > facts["taps"]:
        raise Refused("soft", f"{facts['soft']} of {facts['taps']} taps cannot be soft", value=facts["soft"])
    if at > now + FUTURE:
        raise Refused("at", f"lies in the future; the latest is {now + FUTURE:%H:%M} UTC", value=at.isoformat())
    entry = Tapping.objects.create(bush=bush, token=token, by=person, at=at, **{**facts, "lateral": lateral})
    log.info("tapping", bush=bush.pk, main=entry.main, taps=entry.taps)
    return entry


def undo_tapping(entry: Tapping, now: datetime) -> Tapping:
    """Take an entry back; it stays in the store."""
    if entry.undone_at is None:
        entry.undone_at = now
        entry.save(update_fields=["undone_at"])
    return entry
