"""Has a gauge fallen? A sequential test that waits for persistence, not for one bad reading."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import checked
from ..units import PA_PER_INHG
from .gauge import NOISE_PA

STEP_PA = 0.5 * PA_PER_INHG
"""The fall that must be found within ten minutes."""
LONGEST_PA = 1.8 * PA_PER_INHG
SHORTEST_PA = 0.9 * PA_PER_INHG
FALSE_ALARM_MINUTES = 50 * 7 * 24 * 60 * 4
"""Minutes of one gauge between two false alarms: for fifty gauges, a quarter of one a week."""
ONE_READING_PA = 3.0 * PA_PER_INHG
"""More than this in one minute counts as no more: a single wild reading must not raise an alarm."""
BASE_MIN = 240.0


def long_run_variance(falls_pa: ArrayLike) -> np.ndarray:
    """Variance (Pa², by gauge) that a mean of many minutes still has, times their number: of a healthy time's
    falls (T, S). Neighbouring minutes that move together make it larger than the variance of one.

    By batch means of ten minutes about their own slow course. Source: Alexopoulos and Seila (1996).
    """
    falls = np.asarray(falls_pa, float)
    usable = falls[: len(falls) // 10 * 10].reshape(-1, 10, falls.shape[1])
    whole = np.isfinite(usable).all(axis=1)
    means = np.where(whole, np.where(np.isfinite(usable), usable, 0.0).mean(axis=1), np.nan)
    # differences of neighbouring batches leave out what changes slowly
    steps = np.abs(np.diff(means, axis=0))
    found = np.full(falls.shape[1], NOISE_PA**2 * 2.0)
    for gauge in range(falls.shape[1]):
        known = steps[np.isfinite(steps[:, gauge]), gauge]
        if len(known) >= 6:
            spread = float(np.median(known)) / 0.6745 / np.sqrt(2.0)
            found[gauge] = max(10.0 * spread**2, (0.03 * PA_PER_INHG) ** 2)
    return found


@dataclass(frozen=True)
class Watch:
    """State of the test for S gauges after some minutes: cumulated sums (Pa), slow base of the falls (Pa), and
    when the present sum left zero (minutes ago)."""

    total_pa: np.ndarray
    base_pa: np.ndarray
    rising_min: np.ndarray

    @classmethod
    def begin(cls, gauges: int) -> Watch:
        """Nothing seen yet."""
        return cls(np.zeros(gauges), np.zeros(gauges), np.zeros(gauges))


def threshold(long_run: ArrayLike) -> np.ndarray:
    """Sum (Pa) at which a gauge with this long-run variance (Pa²) is said to have fallen.

    From the mean time between false alarms of a Brownian motion with drift `−STEP/2`, `exp(h·STEP/σ²)`
    (Siegmund, 1985), bounded so that the delays hold for the noise of ordinary gauges.
    """
    h = np.asarray(long_run, float) * np.log(FALSE_ALARM_MINUTES) / STEP_PA
    return np.clip(h, SHORTEST_PA, LONGEST_PA)


def detect(
    watch: Watch, falls_pa: ArrayLike, long_run: ArrayLike, minutes: float = 1.0
) -> tuple[Watch, np.ndarray]:
    """Take one reading of each gauge; returns the new state and which gauges have fallen (S, bool).

    Parameters
    ----------
    falls_pa : usual minus actual (S,), NaN where nothing came: that gauge's sum waits
    long_run : from `long_run_variance`, of a healthy time
    minutes : since the reading before

    One-sided cumulated sum (Page, 1954) of the fall below a slow base, less half of 0.5 inHg a minute.
    """
    minutes = float(checked("minutes", minutes, 0.0, 24 * 60.0, "min"))
    falls = np.asarray(falls_pa, float)
    seen = np.isfinite(falls)
    above = np.clip(np.where(seen, falls, 0.0) - watch.base_pa, -ONE_READING_PA, ONE_READING_PA)
    share = min(minutes, 3.0)  # after a gap one reading is one reading
    grown = np.maximum(watch.total_pa + share * (np.minimum(above, 2 * STEP_PA) - STEP_PA / 2), 0.0)
    total = np.where(seen, grown, watch.total_pa)
    limit = threshold(long_run)
    quiet = total < 0.3 * limit
    # the base follows what the model does not know, slowly, and never while a fall is suspected
    follow = np.where(seen & quiet, 1.0 - np.exp(-minutes / BASE_MIN), 0.0)
    base = watch.base_pa + follow * above
    rising = np.where(total > 0, watch.rising_min + minutes, 0.0)
    return Watch(np.minimum(total, 2 * limit), base, rising), total > limit
