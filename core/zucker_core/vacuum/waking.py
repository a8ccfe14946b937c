"""The morning thaw: which lines have woken, and in what order they usually do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import checked
from ..errors import Inconsistent
from ..units import PA_PER_INHG

ASLEEP_PA = 2.0 * PA_PER_INHG
"""A gauge that stands this far under its usual in the frost sleeps."""
AWAKE_PA = 1.0 * PA_PER_INHG
STEADY = 3
"""Steps in a row within AWAKE_PA of the usual that make a line awake."""


def woke_at(falls_pa: ArrayLike, cold: ArrayLike) -> np.ndarray:
    """When each gauge woke in one night and morning.

    Parameters
    ----------
    falls_pa : (T, S) usual less actual at even steps, NaN where nothing came
    cold : (T,) true where the air is, or lately was, under 0 °C

    Returns (S,): the step at which it had come back for good; −1 for one that still sleeps at the end, NaN for one that
    never slept. A gauge sleeps when it stands 2 inHg under its usual in the cold for three steps; it is awake when it stands
    within 1 inHg for three. A leak, which stays when it is warm, does not begin in the cold and so is not called asleep.
    """
    falls = np.atleast_2d(np.asarray(falls_pa, float))
    frost = np.asarray(cold, bool)
    if frost.shape != (len(falls),):
        raise Inconsistent("cold", f"has {frost.size} steps, falls_pa {len(falls)}")
    found = np.full(falls.shape[1], np.nan)
    for gauge in range(falls.shape[1]):
        known = np.isfinite(falls[:, gauge])
        low = known & frost & (falls[:, gauge] > ASLEEP_PA)
        asleep = _runs(low, known)
        if asleep is None:
            continue
        near = known & (falls[:, gauge] < AWAKE_PA)
        near[: asleep + 1] = False
        back = _runs(near, known)
        found[gauge] = -1 if back is None else back
    return found


def _runs(true: np.ndarray, known: np.ndarray) -> int | None:
    """First step of the first run of STEADY trues among the known steps."""
    steps = np.flatnonzero(known)
    values = true[steps]
    for k in range(len(steps) - STEADY + 1):
        if values[k : k + STEADY].all():
            return int(steps[k])
    return None


@dataclass(frozen=True)
class Waking:
    """How a gauge usually wakes. order : 1 for the first; after_min : minutes behind the bush's first, the middle of its
    mornings; mornings : how many it slept and woke in"""

    order: int
    after_min: float
    mornings: int


def usual_order(woke_min: ArrayLike) -> dict[int, Waking]:
    """How the gauges (by column) usually wake, from (D, S) minutes of day at which they woke on D mornings (NaN: did not
    sleep, or never woke). Those without a morning are left out."""
    woke = np.atleast_2d(np.asarray(woke_min, float))
    checked("woke_min", woke[np.isfinite(woke)], 0, 2880, "min")
    some = np.isfinite(woke).any(axis=1)
    if not some.any():
        return {}
    woke = woke[some]
    behind = woke - np.nanmin(woke, axis=1, keepdims=True)
    heard = np.flatnonzero(np.isfinite(behind).any(axis=0))
    middle = {int(g): float(np.nanmedian(behind[:, g])) for g in heard}
    ranked = sorted(middle, key=lambda g: middle[g])
    return {g: Waking(place, middle[g], int(np.isfinite(behind[:, g]).sum())) for place, g in enumerate(ranked, start=1)}
