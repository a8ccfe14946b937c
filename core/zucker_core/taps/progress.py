"""How far the tapping has come, and when it will be done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import Inconsistent

DAY_S = 86_400.0


@dataclass(frozen=True)
class Progress:
    """Taps set of those planned, the pace of the last days (taps a day, None before the first), and days left."""

    done: int
    planned: int
    a_day: float | None
    days_left: float | None


def progress(planned: int, sets: Sequence[tuple[float, int]], now_s: float, over_days: float = 5.0) -> Progress:
    """Where the work stands.

    planned : taps in all; sets : (when, taps) of each entry, seconds on any clock; now_s : on the same clock
    over_days : the pace is that of the working days (those with an entry) within so many days
    """
    if planned < 0 or any(count < 0 for _, count in sets):
        raise Inconsistent("taps", "a number of taps cannot be negative")
    done = sum(count for _, count in sets)
    recent = [(at, count) for at, count in sets if now_s - at <= over_days * DAY_S]
    days = {int((now_s - at) // DAY_S) for at, _ in recent}
    pace = sum(count for _, count in recent) / len(days) if days else None
    left = max(planned - done, 0)
    return Progress(done, planned, pace, left / pace if pace else (0.0 if not left else None))
