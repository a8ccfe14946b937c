"""What every line written beside the pans is checked for."""

from __future__ import annotations

from datetime import datetime, timedelta

from ... import clock
from ...config.errors import Refused

FUTURE = timedelta(minutes=10)
LONG_AGO = timedelta(hours=12)


def written_at(at: datetime | None, began: datetime) -> datetime:
    """When it was written: now when nothing is said. Raises Refused for a time ahead of now, or long before `began`."""
    now = clock.now()
    if at is None:
        return now
    if at > now + FUTURE:
        raise Refused("at", f"lies in the future; the latest is {now + FUTURE:%H:%M} UTC", value=at.isoformat())
    if at < began - LONG_AGO:
        raise Refused(
            "at", f"lies long before this began; the earliest is {began - LONG_AGO:%d %b %H:%M} UTC", value=at.isoformat()
        )
    return min(at, now)
