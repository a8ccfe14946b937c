"""The trend of the head tank's level: how fast it falls now, not how fast it fell before something changed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import checked
from ..errors import Inconsistent

LEAST_LEVELS, LEAST_SPAN_S = 3, 30.0
BENT = 4.0
"""Levels bend where a kink there explains them better by so many standard deviations of its slope."""


@dataclass(frozen=True)
class HeadTank:
    """What the head tank's level says.

    volume_m3 : now, from the fit; fall_m3_s : how fast it falls (negative: it rises)
    minutes_left : until the reserve, None while it does not fall
    minutes_low, minutes_high : the same one standard deviation to either side, None where unbounded
    volume_sd_m3, fall_sd_m3_s : standard deviations of the first two
    """

    volume_m3: float
    fall_m3_s: float
    minutes_left: float | None
    minutes_low: float | None
    minutes_high: float | None
    volume_sd_m3: float = 0.0
    fall_sd_m3_s: float = 0.0


def concentrate_left(
    seconds: ArrayLike, volume_m3: ArrayLike, reserve_m3: float, *, level_sd_m3: float = 0.005
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
    if t.shape != v.shape or t.size < LEAST_LEVELS or np.ptp(t) < LEAST_SPAN_S:
        raise Inconsistent("seconds", "at least three levels over half a minute or more are needed")
    now, slope, now_sd, slope_sd = _line(t - t[-1], v, level_sd_m3)

    def minutes(volume: float, fall: float) -> float | None:
        return max(volume - reserve, 0.0) / fall / 60.0 if fall > 1e-9 else None

    fall = -slope
    return HeadTank(now, fall, minutes(now, fall), minutes(now - now_sd, fall + slope_sd),
                    minutes(now + now_sd, fall - slope_sd), now_sd, slope_sd)


def _line(x: np.ndarray, v: np.ndarray, least_sd: float) -> tuple[float, float, float, float]:
    """Value at 0 and slope of a straight line, with their standard deviations."""
    centre = x.mean()
    spread = ((x - centre) ** 2).sum()
    slope = float(((x - centre) * (v - v.mean())).sum() / spread)
    now = float(v.mean() - slope * centre)
    scatter = float(np.sqrt(((v - now - slope * x) ** 2).sum() / max(x.size - 2, 1)))
    sd = max(scatter, least_sd)
    return now, slope, float(sd * np.sqrt(1.0 / x.size + centre**2 / spread)), float(sd / np.sqrt(spread))


def recent_part(seconds: np.ndarray, volume_m3: np.ndarray, level_sd_m3: float = 0.005) -> int:
    """Index from which the levels lie on one straight line to the last, so that the line follows at once when a membrane
    stops or a fire is fed.

    While a line with one kink explains the levels surely better than a straight one (a z test on the change of slope at
    its best place, least squares), what lies before the kink is left out.
    """
    start, last = 0, len(seconds) - LEAST_LEVELS
    while last - start >= LEAST_LEVELS:
        t, v = seconds[start:] - seconds[start], volume_m3[start:]
        line = np.stack([np.ones_like(t), t])
        at = np.arange(LEAST_LEVELS - 1, len(t) - LEAST_LEVELS + 1)
        bent = np.maximum(t - t[at, None], 0.0)
        # what of each kink, and of the levels, no straight line explains
        across = line.T @ np.linalg.solve(line @ line.T, line)
        bent, rest = bent - bent @ across, v - across @ v
        size = (bent**2).sum(axis=1)
        slope = bent @ rest / size
        best = int(np.argmax(slope**2 * size))
        scatter = np.sqrt(max(rest @ rest - slope[best] ** 2 * size[best], 0.0) / max(len(t) - 3, 1))
        if abs(slope[best]) * np.sqrt(size[best]) <= BENT * max(scatter, level_sd_m3):
            break
        start += int(at[best])
    return start
