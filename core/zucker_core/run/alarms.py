"""What takes the whole screen beside the pans: a pan about to run dry, a tank at its brim, readings lost over a fire."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

NEARLY_DRY_MIN = 8.0
"""Concentrate for less than this does not last until the fire is out."""
FULL_SHARE = 0.97
"""A tank so full of its capacity is at its brim: what comes in goes over soon."""


@dataclass(frozen=True)
class Watched:
    """A tank by its level: m³, m³; `feeds_pans` for the head tank, which must keep `reserve_m3`; `stale` when the level is
    too old to trust."""

    name: str
    volume_m3: float
    capacity_m3: float
    feeds_pans: bool = False
    reserve_m3: float = 0.0
    stale: bool = False


@dataclass(frozen=True)
class Reading:
    """A reading that must not be lost over a fire: its name, minutes since it came, whether that is too long."""

    name: str
    age_min: float
    stale: bool


@dataclass(frozen=True)
class Alarm:
    """key : "dry-pan" (value: minutes left), "high-level" (value: share of the capacity) or "lost-readings" (value: minutes
    since the last); `of` names the tank or the reading, "" for the pans."""

    key: str
    value: float
    of: str = ""


def alarms(hot: bool, tanks: Sequence[Watched], readings: Sequence[Reading], minutes_left: float | None) -> list[Alarm]:
    """What cannot wait, the worst first.

    hot : the pans are hot; minutes_left : of concentrate, None when nobody knows
    """
    found = []
    for tank in tanks:
        low = tank.volume_m3 <= tank.reserve_m3 or (minutes_left is not None and minutes_left < NEARLY_DRY_MIN)
        if hot and tank.feeds_pans and not tank.stale and low:
            found.append(Alarm("dry-pan", minutes_left or 0.0))
    found += [Alarm("high-level", tank.volume_m3 / tank.capacity_m3, tank.name)
              for tank in tanks if tank.volume_m3 > FULL_SHARE * tank.capacity_m3]
    found += [Alarm("lost-readings", one.age_min, one.name) for one in readings if hot and one.stale]
    return found
