"""A wood fire between two firings."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, bisect, checked, plain


def mean_over_peak(interval_s: ArrayLike, decay_s: ArrayLike) -> Number:
    """Mean heat over peak heat when wood is fed every `interval_s` and the fire decays with `decay_s`:
    `(1 − e^(−t/τ))·τ/t` (first-order decay)."""
    t = checked("interval_s", interval_s, 1.0, 14_400.0, "s")
    tau = checked("decay_s", decay_s, 60.0, 14_400.0, "s")
    return plain((1.0 - np.exp(-t / tau)) * tau / t)


def firing_interval(mean_share: ArrayLike, decay_s: ArrayLike) -> Number:
    """Longest time in s between firings that keeps the mean heat at `mean_share` of its peak
    (0.2..0.999): inverse of `mean_over_peak`."""
    share = checked("mean_share", mean_share, 0.2, 0.999)
    tau = checked("decay_s", decay_s, 60.0, 14_400.0, "s")
    share, tau = np.broadcast_arrays(share, tau)
    return plain(bisect(lambda x: share - (1.0 - np.exp(-x)) / x, np.full(share.shape, 1e-4), np.full(share.shape, 10.0)) * tau)
