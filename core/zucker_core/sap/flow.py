"""When sap runs: frost, then warmth; scaled to this bush by its own past runs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.stats import t as student

from ..arrays import checked
from ..errors import Inconsistent

FROST_H = 4
FROST_ENOUGH_CH = 20.0
WARM_ENOUGH_C = 8.0
LEAST_RUNS = 5
LEVEL = 0.80


def hourly_index(temp_c: ArrayLike) -> np.ndarray:
    """Run index of each hour: after at least 4 h below 0 °C, `min(1, frost degree-hours/20) · min(T, 8)` while T > 0.

    temp_c : (H,) hourly air temperature, −60..50 °C. A frost counts until the next one begins; a thaw of
    under 4 h does not end it. A convention of this program.
    """
    temp = checked("temp_c", temp_c, -60.0, 50.0, "°C")
    if temp.ndim != 1:
        raise Inconsistent("temp_c", "needs one temperature for each hour")
    index = np.zeros(len(temp))
    frost_h, degree_hours, thaw_h = 0, 0.0, 0
    for hour, t in enumerate(temp):
        if t < 0:
            if thaw_h >= FROST_H:
                frost_h, degree_hours = 0, 0.0
            thaw_h = 0
            frost_h += 1
            degree_hours -= t
        else:
            thaw_h += 1
            if frost_h >= FROST_H:
                index[hour] = min(1.0, degree_hours / FROST_ENOUGH_CH) * min(t, WARM_ENOUGH_C)
    return index


def run_index(temp_c: ArrayLike) -> float:
    """Index of a whole spell of hours: the sum of `hourly_index`."""
    return float(hourly_index(temp_c).sum())


@dataclass(frozen=True)
class PastRun:
    """What an earlier run gave: its index, and sap for a tap, m³."""

    index: float
    sap_per_tap_m3: float

    def __post_init__(self) -> None:
        checked("index", self.index, 0.0, 1e4)
        checked("sap_per_tap_m3", self.sap_per_tap_m3, 0.0, 1.0, "m³")


@dataclass(frozen=True)
class Yield:
    """Sap for a tap and a unit of run index, m³, learned from `runs` past runs, with the relative spread of one run
    about it (standard deviation of the logarithm)."""

    per_index_m3: float
    spread: float
    runs: int

    def of(self, index: float, taps: float = 1.0) -> tuple[float, float, float]:
        """Sap to expect, m³: the middle, and the ends of the 80 % interval for one run."""
        middle = self.per_index_m3 * index * taps
        reach = float(np.exp(student.ppf(0.5 + LEVEL / 2, self.runs - 1) * self.spread * np.sqrt(1 + 1 / self.runs)))
        return middle, middle / reach, middle * reach


def learn_yield(history: Sequence[PastRun]) -> Yield:
    """Scale of the run index for this operation, from its own past runs: median of the logarithms of sap over index,
    spread by the median absolute deviation, so that a freak run does not rule.

    Raises Inconsistent with fewer than 5 runs that had both an index and sap: "not enough history".
    """
    useful = [run for run in history if run.index > 0 and run.sap_per_tap_m3 > 0]
    if len(useful) < LEAST_RUNS:
        raise Inconsistent("history", f"not enough history: {len(useful)} past runs, {LEAST_RUNS} are needed to scale a forecast")
    logs = np.log([run.sap_per_tap_m3 / run.index for run in useful])
    middle = float(np.median(logs))
    spread = 1.4826 * float(np.median(np.abs(logs - middle)))
    # the median deviation of a handful comes out small by chance
    return Yield(float(np.exp(middle)), max(spread, 0.5 * float(logs.std(ddof=1)), 0.05), len(useful))


@dataclass(frozen=True)
class Sign:
    """One sign of the season's end: what it is, its value, the value at which it speaks, and whether it does."""

    name: str
    value: float
    limit: float
    speaks: bool


@dataclass(frozen=True)
class SeasonEnd:
    """signs : each with its evidence; state : "running", "near its end" (two signs speak) or "over" (three, or
    an off-flavour note with another)."""

    signs: tuple[Sign, ...]
    state: str


WARM_NIGHTS, DEGREE_DAYS, DEGREE_DAY_BASE_C = 4, 60.0, 5.0


def season_end(
    night_low_c: ArrayLike,
    day_mean_c: ArrayLike,
    brix_days: ArrayLike = (),
    brix: ArrayLike = (),
    off_flavours: int = 0,
) -> SeasonEnd:
    """Signs that the season ends.

    Parameters
    ----------
    night_low_c, day_mean_c : (D,) by day since tapping, the last is the latest
    brix_days, brix : sap readings, days since tapping and °Brix
    off_flavours : notes of buddy or otherwise bad taste in the last days

    Warm nights in a row (4), degree-days over 5 °C since tapping (60), Brix falling surely (by two standard deviations of its
    slope), off-flavour. The limits are conventions of this program, not laws.
    """
    nights = checked("night_low_c", night_low_c, -60.0, 50.0, "°C")
    days = checked("day_mean_c", day_mean_c, -60.0, 50.0, "°C")
    frosts = np.nonzero(nights < 0)[0]
    warm = len(nights) - (int(frosts[-1]) + 1 if frosts.size else 0)
    heat = float(np.maximum(days - DEGREE_DAY_BASE_C, 0.0).sum())
    slope, slope_sd = _slope(np.asarray(brix_days, float), checked("brix", brix, 0.0, 20.0, "°Brix"))
    signs = (
        Sign("nights without frost", float(warm), float(WARM_NIGHTS), warm >= WARM_NIGHTS),
        Sign("degree-days", heat, DEGREE_DAYS, heat >= DEGREE_DAYS),
        Sign("Brix a week", 7 * slope, -7 * 2 * slope_sd, bool(slope < -2 * slope_sd and slope_sd > 0)),
        Sign("off-flavour notes", float(off_flavours), 1.0, off_flavours >= 1),
    )
    speaking = sum(sign.speaks for sign in signs)
    over = speaking >= 3 or (off_flavours >= 1 and speaking >= 2)
    return SeasonEnd(signs, "over" if over else "near its end" if speaking >= 2 else "running")


def _slope(x: np.ndarray, y: np.ndarray) -> tuple[float, float]:
    if len(x) != len(y):
        raise Inconsistent("brix", f"{len(y)} readings come with {len(x)} days")
    if len(x) < 4 or np.ptp(x) <= 0:
        return 0.0, 0.0
    off = x - x.mean()
    slope = float((off * y).sum() / (off**2).sum())
    left = y - y.mean() - slope * off
    return slope, float(np.sqrt((left**2).sum() / (len(x) - 2) / (off**2).sum()))
