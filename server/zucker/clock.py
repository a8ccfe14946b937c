"""The one source of time. In a demo it can be set and sped up; otherwise it is the real clock."""

from __future__ import annotations

import time
from datetime import UTC, datetime

from django.conf import settings

_KEEP_S = 2.0
_setting: tuple[float, datetime, datetime, float] | None = None


def now() -> datetime:
    """The time now, UTC, by the demo's clock when there is one."""
    real = datetime.now(UTC)
    if not settings.DEMO:
        return real
    anchor_real, anchor_demo, pace = _read_setting(real)
    return anchor_demo + (real - anchor_real) * pace


def pace() -> float:
    """Seconds of this clock for one real second."""
    return _read_setting(datetime.now(UTC))[2] if settings.DEMO else 1.0


def set_to(moment: datetime, speed: float = 1.0) -> None:
    """Set the demo's clock and its speed; of no effect outside a demo."""
    from .telemetry.models import DemoClock

    DemoClock.objects.update_or_create(
        pk=1, defaults={"anchor_real": datetime.now(UTC), "anchor_demo": moment, "pace": speed}
    )
    forget()


def forget() -> None:
    """Read the setting anew at the next call."""
    global _setting  # noqa: PLW0603  # a two-second cache of one row
    _setting = None


def _read_setting(real: datetime) -> tuple[datetime, datetime, float]:
    global _setting  # noqa: PLW0603
    if _setting is None or time.monotonic() - _setting[0] > _KEEP_S:
        from .telemetry.models import DemoClock

        row = DemoClock.objects.filter(pk=1).first()
        found = (row.anchor_real, row.anchor_demo, row.pace) if row else (real, real, 1.0)
        _setting = (time.monotonic(), *found)
    return _setting[1:]
