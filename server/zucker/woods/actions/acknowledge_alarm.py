"""Somebody has seen an alarm."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import structlog

from ..models import Alarm

log = structlog.get_logger()


def acknowledge_alarm(alarm: Alarm, person: Any, now: datetime) -> Alarm:
    """The first to acknowledge stays; a second time changes nothing."""
    seen = Alarm.objects.filter(pk=alarm.pk, acknowledged_at__isnull=True).update(acknowledged_at=now, acknowledged_by=person)
    if seen:
        log.info("alarm acknowledged", alarm=alarm.pk)
    alarm.refresh_from_db()
    return alarm
