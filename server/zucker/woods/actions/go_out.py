"""Say that one goes out alone and when one is due back; be back."""

from __future__ import annotations

import uuid
from datetime import datetime, timedelta
from typing import Any

import structlog
from django.db import transaction

from ...config.errors import Refused
from ...people.models import Operation
from ..models import Walk

log = structlog.get_logger()
LONGEST = timedelta(hours=24)


@transaction.atomic
def go_out(operation: Operation, person: Any, place: str, since: datetime, due_at: datetime, token: uuid.UUID) -> Walk:
    """A token that is known returns its walk. Whoever goes out anew is back from before. Raises Refused naming the field."""
    known = Walk.objects.filter(operation=operation, token=token).first()
    if known is not None:
        return known
    if not since < due_at <= since + LONGEST:
        raise Refused("due_at", "must lie within 24 hours after you leave", value=due_at.isoformat())
    Walk.objects.filter(operation=operation, person=person, back_at__isnull=True).update(back_at=since, back_by=person)
    walk = Walk.objects.create(operation=operation, token=token, person=person, place=place, since=since, due_at=due_at)
    log.info("out alone", walk=walk.pk)
    return walk


def come_back(walk: Walk, person: Any, at: datetime) -> Walk:
    """The person is back, or somebody else says so; the first word stays."""
    if walk.back_at is None:
        walk.back_at, walk.back_by = at, person
        walk.save(update_fields=["back_at", "back_by"])
        log.info("back", walk=walk.pk)
    return walk
