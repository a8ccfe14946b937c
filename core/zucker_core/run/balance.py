"""Live advice beside the pans: how long the concentrate lasts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..arrays import checked
from ..errors import Inconsistent


@dataclass(frozen=True)
class HeadTank:
    """What the head tank's level says.

    volume_m3 : now, from the fit; fall_m3_s : how fast it falls (negative: it rises)
    minutes_left : until the reserve, None while it does not fall
    minutes_low, minutes_high : the same one standard deviation to either side, None where unbounded
    """

    volume_m3: float
    fall_m3_s: float
    minutes_left: float | None
    minutes_low: float | None
    minutes_high: float | None


def concentrate_left(
    seconds: Sequence[float], volume_m3: Sequence[float], reserve_m3: float, *, level_sd_m3: float = 0.005
) -> HeadTank:
    """Minutes of concentrate left above the reserve, from recent levels.

    Parameters
    ----------
    seconds : times of the levels, rising; the last one is now
    volume_m3 : volumes at those times, at least 3
    reserve_m3 : what must stay in the tank while the fire is lit
    level_sd_m3 : least standard deviation of one reading (waves); more is used when the readings scatter more

    Straight line by least squares; the interval propagates the errors of level and slope.
    """
    t = np.asarray(seconds, float)
    v = checked("volume_m3", volume_m3, 0.0, 1e4, "m³")
    reserve = float(checked("reserve_m3", reserve_m3, 0.0, 1e4, "m³"))
    if t.shape != v.shape or t.size < 3 or np.ptp(t) < 30.0:
        raise Inconsistent("seconds", "at least three levels over half a minute or more are needed")
    x = t - t[-1]
    centre = x.mean()
    spread = ((x - centre) ** 2).sum()
    slope = float(((x - centre) * (v - v.mean())).sum() / spread)
    now = float(v.mean() - slope * centre)
    scatter = float(np.sqrt(((v - now - slope * x) ** 2).sum() / max(t.size - 2, 1)))
    sd = max(scatter, level_sd_m3)
    slope_sd, now_sd = sd / np.sqrt(spread), sd * np.sqrt(1.0 / t.size + centre**2 / spread)

    def minutes(volume: float, fall: float) -> float | None:
        return max(volume - reserve, 0.0) / fall / 60.0 if fall > 1e-9 else None

    fall = -slope
    return HeadTank(now, fall, minutes(now, fall), minutes(now - now_sd, fall + slope_sd),
                    minutes(now + now_sd, fall - slope_sd))
