"""What a hydrometer or a refractometer shows, and what the liquid really is."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike

from ..arrays import Number, bisect, checked, plain
from ..errors import OutOfRange
from .density import BRIX_RANGE, TEMP_RANGE, density

GLASS_EXPANSION = 25e-6
"""Cubic expansion of hydrometer glass, 1/K (soda-lime glass; OIML R 22)."""
GRADUATED_AT_C = 15.56
"""60 °F, at which most syrup hydrometers are graduated."""
HOT_CUP_C = 60.0


def hydrometer_true_brix(reading: ArrayLike, temp_c: ArrayLike, graduated_at_c: float = GRADUATED_AT_C) -> Number:
    """True °Brix from a hydrometer reading.

    Parameters
    ----------
    reading : °Brix on the stem at the liquid's level, 0..80
    temp_c : temperature of the liquid in the cup, °C, 0..107
    graduated_at_c : temperature for which the stem is graduated, °C

    Solves `ρ(R, T0) = ρ(B, T)·[1 + γ (T − T0)]`. Raises OutOfRange, also when the true value would
    leave 0..80 °Brix. Source: buoyancy with glass expansion, OIML R 22; ±0.15 °Brix below 60 °C,
    ±0.5 hot.
    """
    r = checked("reading", reading, *BRIX_RANGE, "°Brix")
    t = checked("temp_c", temp_c, *TEMP_RANGE, "°C")
    t0 = checked("graduated_at_c", graduated_at_c, 0.0, 60.0, "°C")
    target = np.asarray(density(r, t0) / (1.0 + GLASS_EXPANSION * (t - t0)))
    for bound in BRIX_RANGE:
        beyond = (target < density(bound, t) - 1e-6) if bound == BRIX_RANGE[0] else (target > density(bound, t) + 1e-6)
        if np.any(beyond):
            low, high = (hydrometer_expected_reading(b, float(np.asarray(t)[beyond].flat[0]) if t.ndim else float(t),
                                                     graduated_at_c, clip=True) for b in BRIX_RANGE)
            worst = np.broadcast_to(r, beyond.shape)[beyond].flat[0]
            raise OutOfRange("reading", float(worst), low, high, "°Brix at this temperature")
    target, t = np.broadcast_arrays(target, t)
    return plain(bisect(lambda b: density(b, t) - target, np.zeros(target.shape), np.full(target.shape, 80.0)))


def hydrometer_expected_reading(
    brix: ArrayLike, temp_c: ArrayLike, graduated_at_c: float = GRADUATED_AT_C, *, clip: bool = False
) -> Number:
    """What a hydrometer shows in liquid of `brix` at `temp_c`: the inverse of `hydrometer_true_brix`.

    Syrup of 66.9 °Brix shows 59.42 at 211 °F. Raises OutOfRange when the stem would show less than
    0 or more than 80, unless `clip`, which then gives the end of the stem.
    """
    b = checked("brix", brix, *BRIX_RANGE, "°Brix")
    t = checked("temp_c", temp_c, *TEMP_RANGE, "°C")
    t0 = checked("graduated_at_c", graduated_at_c, 0.0, 60.0, "°C")
    target = np.asarray(density(b, t) * (1.0 + GLASS_EXPANSION * (t - t0)))
    low, high = density(0.0, t0), density(80.0, t0)
    if not clip and np.any((target < low - 1e-6) | (target > high + 1e-6)):
        worst = np.broadcast_to(b, target.shape)[(target < low - 1e-6) | (target > high + 1e-6)].flat[0]
        raise OutOfRange("brix", float(worst), 0.0, 80.0, "°Brix on the stem at this temperature")
    return plain(bisect(lambda r: density(r, t0) - target, np.zeros(target.shape), np.full(target.shape, 80.0)))


def hydrometer_uncertainty(temp_c: ArrayLike) -> Number:
    """What a hydrometer reading may be off by, ± °Brix: 0.15 below 60 °C (140 °F), 0.5 hot."""
    t = checked("temp_c", temp_c, *TEMP_RANGE, "°C")
    return plain(np.where(t <= HOT_CUP_C, 0.15, 0.5))


def refractometer_true_brix(reading: ArrayLike, temp_c: ArrayLike, compensated: bool = False) -> Number:
    """True °Brix from a refractometer zeroed on water at 20 °C.

    Parameters
    ----------
    reading : °Brix in the eyepiece, 0..85
    temp_c : temperature of the sample, °C, 0..40 (below 10 only with readings under 10 °Brix)
    compensated : the instrument corrects for temperature itself; nothing is added from 10 to 30 °C,
        and outside that range it is refused, because nobody knows what it then does.

    Source: polynomial fitted to the ICUMSA (1974) temperature correction table, ±0.1 °Brix.
    """
    b = checked("reading", reading, 0.0, 85.0, "°Brix")
    if compensated:
        checked("temp_c", temp_c, 10.0, 30.0, "°C")
        return plain(b)
    t = checked("temp_c", temp_c, 0.0, 40.0, "°C")
    cold_and_sweet = (t < 10.0) & (b >= 10.0)
    if np.any(cold_and_sweet):
        worst = np.broadcast_to(t, cold_and_sweet.shape)[cold_and_sweet].flat[0]
        raise OutOfRange("temp_c", float(worst), 10.0, 40.0, "°C for 10 °Brix and more")
    d = t - 20.0
    added = (
        d * (0.062098 + 5.6282e-4 * b - 4.4552e-6 * b**2)
        + d**2 * (1.1525e-3 - 2.0021e-5 * b + 7.4888e-8 * b**2)
        - 1.0449e-5 * d**3
    )
    return plain(b + added)
