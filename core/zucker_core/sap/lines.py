"""Sap by line: what each mainline should have given, and which lag without a leak."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import checked
from ..errors import Inconsistent
from .vacuum_yield import yield_factor

LAGS_BELOW = 0.8
"""A metered line that gives less than this share of what its taps and vacuum promise deserves a look."""


def share_out(total_m3: float, taps: ArrayLike, vacuum_inhg: ArrayLike) -> np.ndarray:
    """Sap of each line, m³, when the bush gave `total_m3`: by its taps and by the vacuum at them.

    taps, vacuum_inhg : (L,); the gain with vacuum is that of `yield_factor`. Lines that are metered are compared with this.
    """
    total = float(checked("total_m3", total_m3, 0.0, 1e5, "m³"))
    hung = checked("taps", taps, 0, 1e5)
    weight = hung * np.asarray(yield_factor(vacuum_inhg))
    if hung.shape != weight.shape or hung.ndim != 1:
        raise Inconsistent("vacuum_inhg", "needs one value for each line")
    return total * weight / weight.sum() if weight.sum() > 0 else np.zeros(len(hung))


def lags(metered_m3: ArrayLike, expected_m3: ArrayLike) -> np.ndarray:
    """(L,) true where a line's meter shows less than 80 % of what was expected of it; false where either is unknown (NaN)."""
    metered, expected = np.asarray(metered_m3, float), np.asarray(expected_m3, float)
    with np.errstate(invalid="ignore"):
        return (expected > 0) & (metered < LAGS_BELOW * expected)
